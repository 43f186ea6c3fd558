"""Compounds as they are seen: their face, the patch with closed ones, renewal from the library, joining."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from dunefall.catalogue.compounds import Face, Seeing, control_of, face_of, outermost, proposed, spec_for
from dunefall.catalogue.joining import kept_joinings
from dunefall.catalogue.renewing import renewed
from dunefall.catalogue.search import found, kept_entries
from dunefall.catalogue.story import layer_story, module_story, patch_story
from dunefall.catalogue.validate import check_patch
from dunefall.patch.compounds import compound_of, modules_in, with_compound, with_new_compound
from dunefall.patch.model import Compound, Control, Link, Module, Patch, Place, Port
from dunefall.patch.userlibrary import UserLibrary
from dunefall.render.offline import render_to_array
from rig import patch_of

PATCH = patch_of(
    Module("lfo", "lfo", "Wave", {"rate_hz": 3.0}), Module("hand", "named-control", "Depth", {"value": 0.25}),
    Module("tone", "oscillator", "Tone", {"pitch_note": 50.0}), Module("low", "filter", "Low", {"cutoff_hz": 700.0}),
    Module("amp", "amplifier", "Amp"), Module("a-output", "output", "A"),
    links=(
        ("tone.out", "low.audio", 1.0), ("lfo.out", "low.cutoff_hz", 2.0), ("hand.out", "low.resonance", 0.5),
        ("low.low", "amp.audio", 1.0), ("amp.out", "a-output.audio", 1.0),
    ),
)  # fmt: skip
SWEEP = Compound(
    "sweep", "Sweep", "A filter that is moved by hand.", ("hand", "low"),
    (Control(Place("hand", "value"), "Depth", 0.0, 50.0), Control(Place("low", "cutoff_hz"), "Height", 100.0, 4000.0)),
    (Port(Place("low", "audio"), "In"), Port(Place("low", "low"), "Out")),
)  # fmt: skip
WITH = with_new_compound(PATCH, SWEEP)


def test_a_closed_compound_is_one_module_with_links_of_its_own() -> None:
    seen = Seeing().seen(WITH)
    face = seen.module("sweep")
    assert isinstance(face, Face)
    assert [m.id for m in seen.layer("a").modules] == ["lfo", "sweep", "tone", "amp", "a-output"]
    ends = {(str(x.source), str(x.target)) for x in seen.links}
    assert ("lfo.out", "sweep.low.cutoff_hz") in ends
    assert ("sweep.low.low", "amp.audio") in ends
    assert len(seen.links) == len(WITH.links) - 1  # the one inside is not seen
    spec = spec_for(face)
    assert spec is not None
    assert [p.name for p in spec.params] == ["Depth (%)", "Height"]
    assert [p.name for p in spec.inputs] == ["In"]
    assert spec.outputs[0].role == "audio"
    assert (spec.param("low.cutoff_hz").low, spec.param("low.cutoff_hz").high) == (100.0, 4000.0)
    for link in seen.links:
        assert (link.source.inner, link.target.inner) == (WITH.link(link.id).source, WITH.link(link.id).target)
    assert "Wave moves it up to 2.00 oct (× 4) either way" in module_story(seen, "sweep")


def test_a_named_control_inside_is_told_in_its_own_range() -> None:
    patch = WITH.with_param("hand", "high", 80.0)
    face = face_of(patch, SWEEP)
    assert face.params["hand.value"] == pytest.approx(20.0)  # a quarter of 0 to 80
    assert face.taken({"hand.value": 40.0, "low.cutoff_hz": 300.0}) == {
        "hand": {"value": 0.5}, "low": {"cutoff_hz": 300.0},
    }  # fmt: skip
    assert face.shown("hand.value", 0.5) == 40.0


def test_what_is_opened_shows_its_parts_and_what_has_not_changed_stays_the_same() -> None:
    patch = with_new_compound(WITH, Compound("inner", "Inner", parts=("hand",)))
    assert outermost(patch, ()) == {"hand": "sweep", "low": "sweep", "inner": "sweep"}
    assert outermost(patch, ("sweep",)) == {"hand": "inner"}
    seeing = Seeing()
    assert [m.id for m in seeing.seen(patch, ("sweep",)).layer("a").modules][:3] == ["lfo", "inner", "tone"]
    assert seeing.seen(patch, ("sweep", "inner")).layers == patch.layers
    assert seeing.seen(PATCH) is PATCH
    first = seeing.seen(patch)
    assert seeing.seen(patch) is first
    again = seeing.seen(patch.with_param("tone", "pitch_note", 51.0))
    assert again.links is first.links
    assert again.layer("shared") is first.layer("shared")


def test_what_it_shows_unless_it_is_told_otherwise() -> None:
    controls, ports = proposed(WITH, ("low", "hand"))
    assert [x.name for x in controls] == ["Depth", "Low: Cutoff"]
    assert [str(x.place) for x in ports] == ["low.audio", "low.low"]
    assert control_of(WITH, Place("low", "audio")) is None
    ends, _ = proposed(patch_of(Module("tone", "oscillator", "Tone"), Module("a-output", "output", "A")), ("tone",))
    assert [str(x.place) for x in ends] == ["tone.pitch_note"]


def test_links_that_reach_what_it_does_not_show_are_shown_beside() -> None:
    face = face_of(WITH.with_link(Link("more", Place("lfo", "out"), Place("low", "resonance"))), SWEEP)
    assert face.spec is not None
    assert face.spec.params[-1].name == "Low: Resonance"


def test_the_story_tells_of_it() -> None:
    told = "Sweep, a compound: A filter that is moved by hand. Made of Depth and Low. Set to Depth (%) 25.00, Height"
    assert told in layer_story(WITH, WITH.layer("a"))
    assert ", 1 compound, " in patch_story(WITH)


def test_a_new_form_from_the_library_keeps_values_and_links(tmp_path: Path) -> None:
    library = UserLibrary(tmp_path)
    mine = library.save(WITH, SWEEP, None)
    patch = with_compound(WITH, mine)
    patch = patch.with_param("low", "cutoff_hz", 900.0)
    # The library's gets a driven filter, another default for a value that is no control, and a lower ceiling.
    drive = Module("drive", "drive", "Drive", {})
    other = patch.with_new_module("a", drive).with_param("low", "resonance", 0.4)
    other = other.with_link(Link("d", Place("low", "low"), Place("drive", "audio")))
    form = replace(
        mine, parts=(*mine.parts, "drive"), about="Driven.",
        controls=(mine.controls[0], Control(Place("low", "cutoff_hz"), "Height", 100.0, 800.0)),
        ports=(mine.ports[0], Port(Place("drive", "out"), "Out")),
    )  # fmt: skip
    library.save(with_compound(other, form), form, None)
    assert library.changed(patch) == (mine,)
    made = renewed(patch, mine, library.load(mine.library))
    check_patch(made.patch)
    assert made.lost == 0
    new = compound_of(made.patch, "sweep")
    assert new is not None
    assert (new.name, new.about, new.digest) == ("Sweep", "Driven.", library.digest(mine.library))
    assert [made.patch.module(m).type for m in modules_in(made.patch, ("sweep",))] == [
        "named-control", "filter", "drive",
    ]  # fmt: skip
    low = new.controls[1].place.module
    assert made.patch.module(low).params["cutoff_hz"] == 900.0  # the control's own range is only its rail's
    assert made.patch.module(low).params["resonance"] == 0.4
    ends = {(x.source.module, x.target.module) for x in made.patch.links}
    assert ("lfo", low) in ends
    assert ("tone", low) in ends
    assert (new.ports[1].place.module, "amp") in ends
    order = [m.id for m in made.patch.layer("a").modules]
    assert order[0] == "lfo"
    assert order[-1] == "a-output"
    assert library.changed(made.patch) == ()
    assert np.abs(render_to_array(made.patch, seconds=0.2)).max() > 0.01


def test_a_link_that_finds_no_place_is_counted(tmp_path: Path) -> None:
    library = UserLibrary(tmp_path)
    mine = library.save(WITH, SWEEP, None)
    form = replace(mine, controls=mine.controls[:1])
    library.save(with_compound(WITH, form), form, None)
    assert renewed(with_compound(WITH, mine), mine, library.load(mine.library)).lost == 1


def test_one_of_the_library_is_found_and_connects_itself(tmp_path: Path) -> None:
    library = UserLibrary(tmp_path)
    library.save(WITH, SWEEP, None)
    (tmp_path / "broken.dunefall").write_text("[]")
    kept, troubles = kept_entries(library)
    assert [entry.name for entry in kept] == ["Sweep"]
    assert len(troubles) == 1
    assert "broken.dunefall" in troubles[0]
    assert found("moved by hand", kept)[0] is kept[0]
    assert found("", kept)[0] is kept[0]
    plain = patch_of(
        Module("tone", "oscillator", "Tone"), Module("a-output", "output", "A"),
        links=(("tone.out", "a-output.audio", 1.0),),
    )  # fmt: skip
    made = next(kept_joinings(plain, "a", library.load("sweep.dunefall"), "tone"))
    check_patch(made.patch)
    assert made.told == "Sweep: behind Tone."
    low = modules_in(made.patch, (made.module,))[-1]
    ends = {(str(x.source), str(x.target)) for x in made.patch.links}
    assert {("tone.out", f"{low}.audio"), (f"{low}.low", "a-output.audio")} <= ends
    assert compound_of(made.patch, made.module) is not None


def test_a_compound_sounds_as_its_parts_did() -> None:
    np.testing.assert_array_equal(render_to_array(WITH, seconds=0.2), render_to_array(PATCH, seconds=0.2))


def test_an_empty_patch_has_nothing_to_see() -> None:
    assert Seeing().seen(Patch()) == Patch()
