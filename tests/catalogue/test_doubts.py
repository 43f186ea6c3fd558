"""What is allowed and hardly meant is told."""

from __future__ import annotations

from dataclasses import replace

import pytest

from dunefall.base.errors import PatchError
from dunefall.catalogue.doubts import doubts, doubts_of_take
from dunefall.catalogue.joining import joined
from dunefall.patch.files import load_patch, parse_patch, patch_of
from dunefall.patch.library import starters
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from dunefall.patch.take import Entry, Note, Take
from dunefall.session import open_patch
from rig import patch_of as patch_with


def tone(*more: Module, links: tuple[tuple[str, str, float], ...] = ()) -> Patch:
    modules = (Module("osc", "oscillator", "Osc"), *more, Module("a-output", "output", "A"))
    return patch_with(*modules, links=(("osc.out", "a-output.audio", 1.0), *links))


def test_what_ships_leaves_no_doubt() -> None:
    assert doubts(open_patch("demo:")[0]) == []
    for name, path in starters().items():
        assert doubts(load_patch(path)) == [], name


@pytest.mark.parametrize(
    ("patch", "words"),
    [
        (tone(Module("n", "noise", "Hiss")), '"Hiss" in A leads to no output: it is not heard'),
        (
            tone(Module("e", "envelope", "Env"), links=(("e.out", "osc.level", 0.5),)),
            '"Env" in A waits for Trigger, and nothing is linked to it',
        ),
        (
            tone(Module("l", "lfo", "Tide"), links=(("l.out", "osc.level", 1e30),)),
            'the amount of Tide on "Osc" level is 1e+30, beyond any range',
        ),
        (tone(Module("x", "theremin", "X")), '"X" in A is of an unknown kind, "theremin"'),
        (
            tone(
                Module("c", "contour", "Path", series={"heights": (0.0, 1.0, 0.0), "times": (0.0, 1.0)}),
                links=(("c.out", "osc.level", 0.5),),
            ),
            '"Path" in A has lists of unequal length: Levels 3, Times 2, Bends 5',
        ),
    ],
)
def test_a_doubt_names_what_and_where(patch: Patch, words: str) -> None:
    assert any(found.startswith(words) for found in doubts(patch)), doubts(patch)


def test_layers_that_cannot_be_as_they_are() -> None:
    patch = tone()
    lanes = tuple(
        Layer(f"fx{k}", f"Room {k}", (Module(f"fx{k}-output", "output", "R"),), effects=True) for k in range(5)
    )
    layer = replace(patch.layer("a"), meet="nobody", voices=2)
    found = doubts(replace(patch, layers=(patch.layers[0], layer, *lanes)))
    assert 'the effect lane "Room 0" has no Sends: nothing can be sent to it' in found
    assert "4 effect lanes are shown in Mix; Room 4 would be one more" in found
    assert 'the voices of "A" are to meet at "nobody", which is no module of this layer' in found


def test_misspelt_fields_are_told_with_what_was_meant() -> None:
    raw = {
        "format": 1,
        "layers": [{"id": "a", "name": "A", "modules": [
            {"id": "n", "type": "noise", "name": "N", "parameters": {"colour": 0}},
            {"id": "o", "type": "output", "name": "A"},
        ]}],
        "links": [{"id": "l", "from": "n.out", "to": "o.audio", "amout": 0.5}],
    }  # fmt: skip
    found = doubts(patch_of(raw))
    assert '"N" has a field "parameters", which means nothing; is "params" meant?' in found
    assert 'link "l" has a field "amout", which means nothing; is "amount" meant?' in found


def test_an_entry_of_a_take_for_a_module_that_is_not_there() -> None:
    take = Take(tone(), 48000.0, (Entry(24000, Note("keys", 60.0, 1.0)),))
    assert doubts_of_take(take) == ['at 0.50 s a note is played on "keys", and there is no such module']


@pytest.mark.parametrize("text", [b'{"format": 1}', b'{"format": 1, "kind": "take", "entries": []}'])
def test_what_is_no_patch_is_refused(text: bytes) -> None:
    with pytest.raises(PatchError, match="no patch"):
        parse_patch(text)


def test_a_link_that_is_off_leads_nowhere() -> None:
    patch = tone()
    off = patch.with_link(replace(patch.links[0], on=False))
    assert '"Osc" in A leads to no output: it is not heard' in doubts(off)


def test_a_sound_that_takes_the_place_of_the_mix() -> None:
    patch = joined(tone(), "master", "chorus").patch
    assert doubts(patch) == []
    wrong = patch.with_link(Link("z", Place("osc", "out"), Place("chorus-1", "audio")))
    wrong = wrong.without_link(next(iter(wrong.links_into("chorus-1", "audio"))).id)
    assert [x for x in doubts(wrong) if "the layers are not heard" in x] == [
        'something else than the whole mix goes into "Master": the layers are not heard'
    ]
