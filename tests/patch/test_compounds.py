"""Compounds in the document: what may be one, how they nest, how they are copied, saved and kept in the library."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from dunefall.base.errors import ParameterError, PatchError, StorageError
from dunefall.catalogue.joining import joinings
from dunefall.catalogue.validate import check_patch
from dunefall.patch.changes import apply_changes, difference
from dunefall.patch.compounds import (
    checked_compound,
    compound_of,
    compounds_in,
    modules_in,
    parent_of,
    with_new_compound,
    with_new_parts,
    without_compound,
)
from dunefall.patch.copying import clip_of, clip_text, parse_clip, with_copy
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.model import Compound, Control, Module, Patch, Place, Port
from dunefall.patch.userlibrary import TinyPicture, UserLibrary, compound_clip, main_compound, picture_of
from rig import demo, patch_of

PATCH = patch_of(
    Module("lfo", "lfo", "Wave", {"rate_hz": 3.0}), Module("tone", "oscillator", "Tone", {"pitch_note": 50.0}),
    Module("low", "filter", "Low", {"cutoff_hz": 700.0}), Module("amp", "amplifier", "Amp"),
    Module("a-output", "output", "A"),
    links=(
        ("tone.out", "low.audio", 1.0), ("lfo.out", "low.cutoff_hz", 2.0), ("low.low", "amp.audio", 1.0),
        ("amp.out", "a-output.audio", 1.0),
    ),
)  # fmt: skip
SWEEP = Compound(
    "sweep", "Sweep", "A filter that wanders.", ("lfo", "low"),
    (Control(Place("low", "cutoff_hz"), "Height", 100.0, 4000.0), Control(Place("lfo", "rate_hz"), "Pace", 0.1, 10.0)),
    (Port(Place("low", "audio"), "In"), Port(Place("low", "low"), "Out")),
)  # fmt: skip
WITH = with_new_compound(PATCH, SWEEP)


def nested(depth: int) -> Patch:
    """A patch in which a module stands in so many compounds, one in the other."""
    patch, part = PATCH, "low"
    for k in range(depth):
        patch = with_new_compound(patch, Compound(f"c{k}", f"C{k}", parts=(part,)))
        part = f"c{k}"
    return patch


def test_a_compound_changes_nothing_of_what_sounds() -> None:
    assert difference(PATCH, WITH) == ()
    assert difference(WITH, without_compound(WITH, "sweep")) == ()
    moved = WITH.with_param("low", "cutoff_hz", 900.0)
    assert apply_changes(WITH, difference(WITH, moved)) == moved


def test_what_stands_in_it_is_found_both_ways() -> None:
    assert modules_in(WITH, ("sweep", "tone")) == ("lfo", "tone", "low")
    assert parent_of(WITH, "lfo") == SWEEP
    assert parent_of(WITH, "tone") is None
    patch = nested(3)
    assert [x.id for x in compounds_in(patch, "c2")] == ["c1", "c0"]
    assert modules_in(patch, ("c2",)) == ("low",)


def test_four_deep_and_no_deeper() -> None:
    assert parse_patch(dump_patch(nested(4)).encode()) == nested(4)
    with pytest.raises(PatchError, match="at most 4 deep"):
        nested(5)


def test_a_nested_one_stands_where_its_parts_stood_and_leaves_them_there() -> None:
    inner = Compound("inner", "Inner", parts=("lfo",))
    patch = with_new_compound(WITH, inner)
    assert compound_of(patch, "sweep") == replace(SWEEP, parts=("low", "inner"))
    assert compound_of(without_compound(patch, "inner"), "sweep") == replace(SWEEP, parts=("low", "lfo"))
    assert without_compound(patch, "sweep").compounds == (inner,)
    with pytest.raises(PatchError, match="different compounds"):
        with_new_compound(WITH, Compound("x", "X", parts=("lfo", "tone")))


def test_removing_what_is_in_it_leaves_no_loose_ends() -> None:
    left = WITH.without_module("low")
    assert left.compounds == (replace(SWEEP, parts=("lfo",), controls=SWEEP.controls[1:], ports=()),)
    assert left.without_module("lfo").compounds == ()
    assert nested(4).without_module("low").compounds == ()
    assert WITH.without_layer("a").compounds == ()
    check_patch(left)


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda x: x.update(parts=["lfo", "nobody"]), r'compounds\[0\].parts: there is no module "nobody"'),
        (lambda x: x.update(parts=[]), "at least one module"),
        (lambda x: x.update(parts=["low", "a-output"]), "a layer's output"),
        (lambda x: x.update(parts=["lfo"]), 'of a module that is not in it: "low.cutoff_hz"'),
        (lambda x: x.update(parts=["low", "lfo", "lfo"]), "is in two compounds"),
        (lambda x: x.update(parts=["sweep"], controls=[], ports=[]), "at most 4 deep"),
        (lambda x: x.update(id="tone"), r"compounds\[0\].id: the id \"tone\" is used already"),
        (lambda x: x["controls"][0].update(high=50), r"controls\[0\].high: must be above low \(100\); got 50"),
        (lambda x: x["controls"][0].update(at="low"), r'controls\[0\].at: needs "module.port"; got "low"'),
        (lambda x: x["ports"].append(x["ports"][0]), "lists a control or port twice"),
        (lambda x: x.update(name=3), r"compounds\[0\].name: needs text; got 3"),
        (lambda x: x["controls"][0].update(at="low.nothing"), '"Height" is no parameter: "low.nothing"'),
        (lambda x: x["ports"][0].update(at="low.nothing"), '"In" is no input or output: "low.nothing"'),
    ],
)  # fmt: skip
def test_a_broken_compound_in_a_file_is_told_with_its_place(change: Callable[[Any], None], told: str) -> None:
    raw = json.loads(dump_patch(WITH))
    change(raw["compounds"][0])
    with pytest.raises(PatchError, match=told):
        check_patch(parse_patch(json.dumps(raw).encode()))


def test_modules_of_two_layers_are_no_compound() -> None:
    patch = demo()
    first, second = (next(m.id for m in layer.modules if m.id != layer.output_id) for layer in patch.layers[1:3])
    with pytest.raises(PatchError, match="one layer"):
        with_new_compound(patch, Compound("x", "X", parts=(first, second)))


def test_a_copy_is_a_compound_of_copies() -> None:
    patch = with_new_compound(WITH, Compound("inner", "Inner", parts=("lfo",)))
    copied = with_copy(patch, parse_clip(clip_text(clip_of(patch, ["lfo", "low"]))))
    check_patch(copied.patch)
    copy = compound_of(copied.patch, copied.names["sweep"])
    assert copy is not None
    assert copy.name == "Sweep 2"
    assert copy.parts == (copied.names["low"], copied.names["inner"])
    assert [x.place.module for x in copy.controls] == [copied.names["low"], copied.names["lfo"]]
    assert [x.name for x in copy.controls] == ["Height", "Pace"]
    part = with_copy(patch, clip_of(patch, ["low"]))
    assert part.patch.compounds == patch.compounds  # half of a compound is none


@pytest.mark.parametrize(
    ("compound", "told"),
    [
        (replace(SWEEP, name="  "), "needs a name"),
        (replace(SWEEP, ports=(Port(Place("low", "low"), "Pace"),)), "“Pace” stands there twice"),
        (replace(SWEEP, controls=(Control(Place("lfo", "rate_hz"), "Pace", 2.0, 2.0),)), "range of “Pace” is empty"),
    ],
)
def test_what_cannot_be_one_is_told(compound: Compound, told: str) -> None:
    with pytest.raises(ParameterError, match=told):
        checked_compound(compound)


def test_the_library_keeps_a_compound_without_what_leads_out(tmp_path: Path) -> None:
    library = UserLibrary(tmp_path / "not there yet")
    assert library.files() == ()
    patch = with_new_compound(WITH, Compound("inner", "Inner", parts=("lfo",)))
    kept = library.save(patch, compound_of(patch, "sweep") or SWEEP, TinyPicture("audio", [[10, 90]]))
    assert library.files() == ("sweep.dunefall",)
    loaded = library.load("sweep.dunefall")
    check_patch(loaded)
    assert main_compound(loaded) == kept
    assert {(str(x.source), str(x.target)) for x in loaded.links} == {("lfo.out", "low.cutoff_hz")}
    assert [x.name for x in loaded.compounds] == ["Sweep", "Inner"]
    assert picture_of(loaded) == TinyPicture("audio", [[10, 90]])
    assert {m.id for layer in compound_clip(loaded).layers for m in layer.modules} == {"lfo", "low"}
    # It changes when the file does, and only then.
    here = replace(patch, compounds=(kept, *patch.compounds[1:]))
    assert library.changed(here) == ()
    library.save(here.with_param("low", "cutoff_hz", 500.0), kept, None)
    assert library.changed(here) == (kept,)
    (tmp_path / "not there yet" / "sweep.dunefall").unlink()
    assert library.changed(here) == ()  # what is gone asks for nothing


def test_a_file_of_the_library_that_is_none_is_told(tmp_path: Path) -> None:
    library = UserLibrary(tmp_path)
    (tmp_path / "bad.dunefall").write_text("{")
    (tmp_path / "plain.dunefall").write_text(dump_patch(PATCH))
    with pytest.raises(PatchError, match=r"bad.dunefall cannot be opened"):
        library.load("bad.dunefall")
    with pytest.raises(PatchError, match="holds no compounds"):
        library.load("plain.dunefall")
    with pytest.raises(StorageError, match="cannot read"):
        library.load("none.dunefall")
    with pytest.raises(PatchError, match="no name of a file"):
        library.load("../away.dunefall")
    (tmp_path / "file").write_text("")
    with pytest.raises(StorageError, match="cannot make the folder"):
        UserLibrary(tmp_path / "file" / "x").save(WITH, SWEEP, None)


@pytest.mark.parametrize(
    "raw",
    [
        3, {}, {"role": "smell", "columns": [[1, 2]]}, {"role": "audio", "columns": []},
        {"role": "audio", "columns": [[1]]}, {"role": "audio", "columns": [[1, 100]]},
    ],
)  # fmt: skip
def test_a_picture_that_is_none_is_left_out(raw: object) -> None:
    assert picture_of(replace(PATCH, extra={"picture": raw})) is None


def test_what_is_added_to_an_open_compound_belongs_to_it_where_it_is_in_its_layer() -> None:
    """An envelope and its amplifier do; the clock that starts it goes to Shared, and a file that says otherwise would
    not open."""
    made = next(joinings(WITH, "a", "envelope", "low"))
    assert made.told.startswith("Envelope: started by Clock")
    whole = with_new_parts(WITH, made.patch, "sweep")
    found = compound_of(whole, "sweep")
    assert found is not None
    assert set(found.parts) - set(SWEEP.parts) == {"envelope-1"}
    assert whole.layer_of("clock-1").id == "shared"
    assert parse_patch(dump_patch(whole).encode()) == whole
