"""What makes two patches differ: every change once, each in words, sorted by what is heard of it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from dunefall.cli import main
from dunefall.patch.changes import apply_changes
from dunefall.patch.files import save_patch
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from dunefall.vary.differences import Difference, differences, effects
from rig import demo


def told(found: list[Difference]) -> list[str]:
    return [f"{one.where}  {one.before} → {one.after}" for one in found]


def changed() -> Patch:
    patch = demo().with_param("drip-line-low-pass", "cutoff_hz", 1840.0).with_param("fog-air-output", "level_db", -18.0)
    link = patch.links_into("drip-line-low-pass", "cutoff_hz")[0]
    patch = patch.with_link(replace(link, amount=link.amount * 2.0))
    band = patch.module("fog-air-band")
    return replace(patch.with_module(replace(band, bypassed=True)), tempo_bpm=120.0)


def test_every_change_is_told_in_its_own_unit() -> None:
    found = told(differences(demo(), changed()))
    assert "Low-pass · Cutoff  950 Hz → 1.84 kHz" in found
    assert "Tempo  92.00 BPM → 120.0 BPM" in found
    assert any(line.startswith("Band · Bypass  off → on") for line in found)
    assert any("→ Low-pass · Cutoff" in line and "oct" in line for line in found)
    assert len(found) == 5
    assert differences(demo(), demo()) == []
    assert differences(demo(), replace(demo(), title="Other")) == [], "titles are not heard"


def test_taken_together_the_changes_make_the_other_patch() -> None:
    new = Layer("n", "New", (Module("tone", "oscillator", "Tone"), Module("n-output", "output", "New")))
    other = replace(
        changed(), layers=(*changed().layers, new),
        links=(*changed().links, Link("new-1", Place("tone", "out"), Place("n-output", "audio"))),
    )  # fmt: skip
    for before, after in ((demo(), changed()), (demo(), other), (other, demo())):
        found = differences(before, after)
        patch = before
        for one in found:
            patch = apply_changes(patch, one.changes)
        assert differences(patch, after) == [], told(differences(patch, after))
    assert "New · Tone and New  not there → there" in told(differences(demo(), other))
    assert "New · Tone and New  there → not there" in told(differences(other, demo()))


def test_what_is_heard_most_comes_first(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Twelve dB of fog are plainly heard; a filter a hair lower, and a module that leads nowhere, are not."""
    louder = demo().with_param("fog-air-output", "level_db", demo().module("fog-air-output").params["level_db"] + 12.0)
    hair = louder.with_param("fog-air-band", "cutoff_hz", demo().module("fog-air-band").params["cutoff_hz"] * 0.998)
    after = hair.with_new_module("shared", Module("idle", "lfo", "Idle wave"))
    groups = {one.difference.where: one.group for one in effects(demo(), differences(demo(), after), 3.0)}
    assert groups["Fog air · Level"] == "plainly heard"
    assert groups["Band · Cutoff"] == groups["Shared · Idle wave"] == "hardly heard"
    for name, patch in (("a", demo()), ("b", after)):
        save_patch(patch, tmp_path / f"{name}.dunefall")
    assert main(["compare", str(tmp_path / "a.dunefall"), str(tmp_path / "b.dunefall"), "--seconds", "3"]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert len(lines) == 3
    assert lines[0].startswith("Fog air · Level")
    assert lines[0].endswith("plainly heard")
    assert main(["compare", str(tmp_path / "a.dunefall"), str(tmp_path / "a.dunefall")]) == 0
    assert capsys.readouterr().out == "nothing that is heard differs\n"
