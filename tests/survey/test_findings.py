"""What is found, and what is not: one fault of each kind, and patches without (all of them: `bench.faults`)."""

from __future__ import annotations

from dataclasses import replace

import pytest
from bench.faults import CLEAN, FAULTS, Fault, found_in, is_right
from bench.patches import linked, view_of

from dunefall.base.words import time_told
from dunefall.patch.document import Document
from dunefall.patch.library import find_patch
from dunefall.patch.mixing import master_of
from dunefall.patch.model import Layer, Module, Patch
from dunefall.session.edits.cures import apply_cure
from dunefall.survey.findings import Cure, Finding, Limits
from dunefall.survey.judging import judged
from dunefall.survey.places import Step
from dunefall.survey.report import lines_of, raw_report, report_of, table_of
from rig import demo

KINDS = tuple({fault.kind: fault for fault in reversed(FAULTS)}.values())


@pytest.mark.parametrize("fault", KINDS, ids=lambda fault: fault.kind)
def test_each_kind_of_fault_is_found_with_its_module(fault: Fault) -> None:
    found = found_in(fault.patch, 75.0)
    assert is_right(fault, found), found
    for one in found:
        assert one.text[0].isupper() or one.text[0].isdigit()
        assert one.why.endswith(".")
        assert not one.text.endswith(".")


@pytest.mark.parametrize("patch", CLEAN[1:9:2], ids=lambda patch: patch.title)
def test_in_a_patch_without_faults_no_error_is_found(patch: Patch) -> None:
    assert [one for one in found_in(patch, 40.0) if one.error] == []


@pytest.mark.parametrize("kind", ["click", "off scale", "peak", "creeping"])
def test_a_cure_cures_in_one_step(kind: str) -> None:
    fault = next(fault for fault in FAULTS if fault.kind == kind)
    seconds = 75.0 if kind == "creeping" else 40.0
    finding = next(one for one in found_in(fault.patch, seconds) if one.kind == kind)
    assert finding.cure is not None
    document = Document(fault.patch, None)
    assert apply_cure(document, finding.cure)
    assert document.undo_label == finding.cure.text
    left = [one for one in found_in(document.patch, seconds) if one.kind == kind]
    if kind == "creeping":  # it is lower, and still creeps
        assert left
    else:
        assert left == []
    document.undo()
    assert document.patch == fault.patch


def test_a_cure_whose_module_is_gone_does_nothing() -> None:
    document = Document(demo(), None)
    assert apply_cure(document, Cure("Soften", softened="gone")) == ""
    assert document.patch == demo()


def test_loudness_off_its_target_is_told_with_what_is_missing() -> None:
    view = view_of(demo(), 20.0)
    aim = round(view.integrated) - 6.0
    found = judged(replace(view, limits=Limits(target_lufs=aim)))
    finding = next(one for one in found if one.kind == "loudness")
    assert finding.text == f"{view.integrated - aim:.1f} LU too loud"
    assert [one.kind for one in judged(replace(view, limits=Limits(target_lufs=round(view.integrated))))] == []


def test_what_gives_no_numbers_and_what_hears_the_world_is_told() -> None:
    patch = demo().with_new_module("fog-air", Module("ear", "live-input", "Ear"))
    ear = next(link for link in patch.links if link.target.module == "fog-air-output")
    heard = replace(ear, id="ear-link", source=replace(ear.source, module="ear", port="out"))
    view = view_of(patch.with_link(heard), 5.0)
    assert [one.kind for one in judged(view)] == ["live"]
    view.faulty = ("fog-air-output",)
    assert judged(view)[0] == Finding("fault", f"{patch.module('fog-air-output').name} was silenced",
                                      "Invalid numbers came out of it.", modules=("fog-air-output",))  # fmt: skip


def test_silence_is_told() -> None:
    view = view_of(Patch(), 12.0)
    report = report_of(view)
    assert [one.text for one in report.findings] == ["It is silent"]
    assert "Silence, true peak" in "\n".join(lines_of(report, view))


def test_the_report_has_all_three_parts() -> None:
    view = view_of(demo(), 16.0)
    report = report_of(view)
    raw = raw_report(report, view)
    assert list(raw) == ["findings", "repeats", "numbers"]
    lines = list(lines_of(report, view))
    assert lines[0] == "No clicks, no clipping, no long silence in 00:16."
    assert any(line.startswith("Drip line: ") and "a minute" in line for line in lines)
    table = table_of(report.numbers)
    assert [row[0] for row in table] == ["layer", "Turbine bed", "Fog air", "Drip line"]
    assert report.numbers.lufs == pytest.approx(view.integrated)
    assert [time_told(seconds) for seconds in (5.0, 425.9, 4025.0)] == ["00:05", "07:05", "1:07:05"]


def test_a_loudness_that_is_off_is_cured_at_the_master_of_whatever_name() -> None:
    patch = find_patch("demo:")[0]
    master = master_of(patch)
    assert master is not None
    view = view_of(patch, 12.0, Limits(target_lufs=-16.0))
    finding = next(one for one in judged(view) if one.kind == "loudness")
    assert finding.modules == (master.id,)
    assert finding.cure is not None
    document = Document(patch, None)
    assert apply_cure(document, finding.cure) == master.id
    after = view_of(document.patch, 12.0, Limits(target_lufs=-16.0))
    assert after.integrated == pytest.approx(-16.0, abs=0.3)


def test_steps_that_a_sequence_never_comes_to_are_told() -> None:
    """Eight steps, and something that sends them back after five; without it all eight sound."""
    notes = tuple(48.0 + 2.0 * k for k in range(8)) + (48.0,) * 56
    modules = (
        Module("beat", "clock", "Beat", {"sync": 1, "period_s": 0.25}),
        Module("bar", "clock", "Bar", {"sync": 1, "period_s": 1.25}),
        Module("row", "step-sequencer", "Row", {"length_a": 8.0}, series={"row_a": notes}),
        Module("tone", "oscillator", "Tone"), Module("a-output", "output", "A", {"level_db": -12.0}),
    )  # fmt: skip
    links = "beat.gate>row.clock row.a>tone.pitch_note tone.out>a-output.audio"
    whole = linked("Whole", Layer("a", "A", modules), links=links)
    sent_back = linked("Sent back", Layer("a", "A", modules), links=f"{links} bar.gate>row.reset")
    assert [one for one in found_in(whole, 75.0) if one.kind == "never reached"] == []
    (finding,) = [one for one in found_in(sent_back, 75.0) if one.kind == "never reached"]
    assert finding.text == "Steps 6, 7 and 8 of Row never sound"
    assert finding.why == "Bar sends it back before."
    assert finding.step == Step("row", "row_a", 5)
    assert not finding.error
    assert [one for one in found_in(sent_back, 40.0) if one.kind == "never reached"] == [], "that is too early to say"
