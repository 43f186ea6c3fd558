"""Copies of modules and layers with their links, within a patch and from one to another."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dunefall.base.errors import PatchError
from dunefall.catalogue.validate import check_patch
from dunefall.patch.compounds import check_compounds
from dunefall.patch.copying import clip_of, clip_of_layer, clip_text, parse_clip, with_copy, with_sources
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.mixing import with_master
from dunefall.patch.model import MASTER_ID, SHARED_ID, Compound, Layer, Link, Module, Patch, Place
from dunefall.render.offline import render_to_array
from rig import demo, patch_of

PATCH = patch_of(
    Module("lfo", "lfo", "Wave", {"rate_hz": 3.0}), Module("tone", "oscillator", "Tone", {"pitch_note": 50.0}),
    Module("low", "filter", "Low", {"cutoff_hz": 700.0}), Module("a-output", "output", "A"),
    links=(("tone.out", "low.audio", 1.0), ("lfo.out", "low.cutoff_hz", 2.0), ("low.low", "a-output.audio", 1.0)),
)  # fmt: skip


def test_a_module_s_copy_is_moved_by_the_same_sources_and_leads_to_the_same_place() -> None:
    copied = with_copy(PATCH, clip_of(PATCH, ["low"]))
    new = copied.names["low"]
    assert copied.patch.module(new).params == PATCH.module("low").params
    assert copied.patch.module(new).name == "Low 2"
    into = {(str(link.source), link.target.port, link.amount) for link in copied.patch.links_into(new)}
    assert into == {("tone.out", "audio", 1.0), ("lfo.out", "cutoff_hz", 2.0)}
    assert {(link.source.port, str(link.target)) for link in copied.patch.links_from(new)} == {
        ("low", "a-output.audio")
    }
    waves = with_copy(PATCH, clip_of(PATCH, ["lfo"]))
    assert [(str(x.target), x.amount) for x in waves.patch.links_from(waves.names["lfo"])] == [("low.cutoff_hz", 2.0)]


def test_a_copy_with_its_own_sources() -> None:
    whole = with_sources(PATCH, ["low"])
    assert whole == {"low", "tone", "lfo"}
    patch = PATCH.with_link(Link("more", Place("lfo", "out"), Place("a-output", "level_db"), 3.0))
    copied = with_copy(patch, clip_of(patch, whole, ["low"]))
    sources = {link.source.module for link in copied.patch.links_into(copied.names["low"])}
    assert sources == {copied.names["tone"], copied.names["lfo"]}
    assert copied.patch.links_into("a-output", "level_db") == patch.links_into("a-output", "level_db")


def test_a_layer_s_copy_sounds_as_the_layer() -> None:
    home = PATCH.layer_of("tone").id
    copied = with_copy(PATCH, clip_of_layer(PATCH, home))
    check_patch(copied.patch)
    alone = copied.patch.without_layer(home)
    np.testing.assert_allclose(
        render_to_array(alone, seconds=0.3), render_to_array(PATCH, seconds=0.3), atol=1e-12
    )  # fmt: skip
    names = [layer.name for layer in copied.patch.layers]
    assert len(names) == len(set(names))


def test_a_layer_of_the_demo_keeps_what_it_sends_and_what_it_makes_way_for() -> None:
    patch = demo()
    for layer in patch.layers[1:]:
        copied = with_copy(patch, clip_of_layer(patch, layer.id))
        check_patch(copied.patch)
        before = [x for x in patch.links if layer.id == patch.layer_of(x.target.module).id]
        home = next(x for x in copied.patch.layers if all(x.id != old.id for old in patch.layers))
        after = [x for x in copied.patch.links if home.id == copied.patch.layer_of(x.target.module).id]
        assert len(after) == len(before)
        assert parse_patch(dump_patch(copied.patch).encode()) == copied.patch


def test_through_the_clipboard_into_another_patch() -> None:
    clip = parse_clip(clip_text(clip_of(PATCH, ["low", "tone"])))
    other = Patch(layers=(Layer(SHARED_ID, "Shared"), Layer("b", "B", (Module("b-output", "output", "B"),))))
    copied = with_copy(other, clip, "b")
    new = copied.names["low"]
    assert copied.patch.layer_of(new).id == "b"
    assert [str(x.source) for x in copied.patch.links_into(new)] == [f"{copied.names['tone']}.out"], "no loose end"
    for text in ("", "hello", "[]", '{"dunefall_clip": 2}', '{"dunefall_clip": 1, "layers": 3, "links": []}'):
        with pytest.raises(PatchError):
            parse_clip(text)


def test_ends_of_layers_and_the_master_are_not_copied_as_modules() -> None:
    assert with_copy(PATCH, clip_of(PATCH, ["a-output"])).names == {}


def test_links_between_copies_stay_among_them() -> None:
    looped = PATCH.with_link(Link("back", Place("low", "low"), Place("tone", "sync"), 0.1))
    copied = with_copy(looped, clip_of(looped, ["low", "tone"]))
    low, tone_ = copied.names["low"], copied.names["tone"]
    assert any(x.source.module == low and x.target.module == tone_ for x in copied.patch.links)
    assert not any(x.source.module == low and x.target.module == "tone" for x in copied.patch.links)


def test_sources_in_other_layers_are_not_taken_along() -> None:
    """Those of Shared are: they have no layer of their own."""
    shared = Layer(SHARED_ID, "Shared", (Module("tide", "smooth-random", "Tide"),))
    one = Layer("one", "One", (Module("wind", "noise", "Wind"), Module("one-output", "output", "One")))
    two = Layer("two", "Two", (Module("low", "filter", "Low"), Module("two-output", "output", "Two")))
    links = (
        Link("a", Place("wind", "out"), Place("low", "audio"), 1.0),
        Link("b", Place("tide", "out"), Place("low", "cutoff_hz"), 1.0),
        Link("c", Place("low", "low"), Place("low", "resonance"), 0.1),
    )
    assert with_sources(Patch(layers=(shared, one, two), links=links), ["low"]) == {"low", "tide"}


def test_a_compound_never_goes_into_the_master() -> None:
    """With the master selected, one of the library or of the clipboard made a file that could not be opened."""
    patch = with_master(demo())
    patch = replace(patch, compounds=(Compound("c", "Body", parts=("fog-air-band",)),))
    clip = clip_of(patch, ["fog-air-band"])
    away = replace(clip, layers=(replace(clip.layers[0], id="of-another-patch"),))
    copied = with_copy(patch, away, MASTER_ID)
    assert copied.patch.layer_of(copied.names["fog-air-band"]).id == SHARED_ID
    check_compounds(copied.patch)
