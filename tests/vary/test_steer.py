"""Steering: the words are reached where they can be, the rest stays, and nothing is claimed that is not so."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dunefall.analysis.descriptors import Descriptors
from dunefall.base.errors import ParameterError
from dunefall.catalogue.varying import KINDS
from dunefall.patch.library import load_patch, starters
from dunefall.patch.mixing import mixed_layers
from dunefall.patch.model import Patch
from dunefall.vary.steer import MOST_RENDERS, WORDS, hears_alone, steered, steps_between
from dunefall.vary.variations import SEEDS, by_chance, by_itself
from rig import demo


def all_of(patch: Patch) -> list[str]:
    return [module.id for layer in mixed_layers(patch) for module in layer.modules]


def test_a_starter_becomes_darker_and_nothing_else() -> None:
    """Heard again with other code: the descriptor has moved by twice its spread, no other by more than its own."""
    patch = load_patch(starters()["pump-engine"])
    found = steered(patch, all_of(patch), KINDS[:5], {"darker": 1.0}, seed=1)
    assert found.reached, found.told
    assert found.renders <= MOST_RENDERS
    parent, chance = by_chance(by_itself(patch, all_of(patch)), 3.0)
    (child,) = hears_alone(all_of(patch), 3.0)([found.patch])
    steps = steps_between(parent, child, chance.spread)
    np.testing.assert_allclose(steps, found.steps, atol=1e-9)
    assert steps[0] <= -2.0
    assert np.abs(steps[1:]).max() <= 1.0


def _pretended(patches: list[Patch]) -> list[Descriptors]:
    """Hears nothing: bright by one value alone, and the seeds do not matter."""
    found = []
    for patch in patches:
        hz = patch.module("fog-air-band").params["cutoff_hz"]
        found.append(Descriptors(hz, 1.0, -20.0, 60.0, 1.0, 0.1, 0.1, -6.0, 0.1))
    return found


def test_the_same_seed_finds_the_same_and_only_what_may_change_is_changed() -> None:
    words = {"darker": 1.0}
    found = [steered(demo(), ["fog-air-band"], KINDS, words, seed=7, hears=_pretended) for _ in range(2)]
    assert found[0].patch == found[1].patch
    assert found[0].reached
    assert found[0].patch.module("fog-air-band").params["cutoff_hz"] < demo().module("fog-air-band").params["cutoff_hz"]
    assert [m for m in found[0].patch.modules() if m.id != "fog-air-band"] == [
        m for m in demo().modules() if m.id != "fog-air-band"
    ]


def _pretended_loudness(patches: list[Patch]) -> list[Descriptors]:
    """What is darker is softer, too; the level of the layer does what levels do."""
    found = []
    for patch, sound in zip(patches, _pretended(patches), strict=True):
        level_db = patch.module("fog-air-output").params.get("level_db", 0.0)
        octaves = np.log2(sound.brightness_hz / demo().module("fog-air-band").params["cutoff_hz"])
        found.append(replace(sound, lufs=-20.0 + 9.0 * octaves + level_db))
    return found


def test_the_level_of_the_layer_keeps_it_as_loud_as_it_was() -> None:
    before = demo().module("fog-air-output").params.get("level_db", 0.0)
    found = steered(demo(), ["fog-air-band"], KINDS, {"darker": 1.0}, seed=7, hears=_pretended_loudness)
    assert found.reached, found.told
    assert found.patch.module("fog-air-output").params["level_db"] > before + 1.0
    (child,) = _pretended_loudness([found.patch])
    (parent,) = _pretended_loudness([demo()])
    assert child.lufs == pytest.approx(parent.lufs, abs=1.0)
    end = replace(demo().module("fog-air-output"), locked=frozenset({"level_db"}))
    held = demo().with_module(end)
    found = steered(held, ["fog-air-band"], KINDS, {"darker": 1.0}, seed=7, renders=40, hears=_pretended_loudness)
    assert not found.reached
    assert found.patch.module("fog-air-output") == end


@pytest.mark.parametrize(("word", "sign"), [("louder", 1.0), ("softer", -1.0)])
def test_louder_is_a_matter_of_levels(word: str, sign: float) -> None:
    found = steered(demo(), ["fog-air-band"], KINDS, {word: 1.0}, seed=7, hears=_pretended_loudness)
    assert found.reached
    assert found.renders <= SEEDS + 2
    assert found.patch.module("fog-air-band") == demo().module("fog-air-band")
    (child,), (parent,) = _pretended_loudness([found.patch]), _pretended_loudness([demo()])
    assert sign * (child.lufs - parent.lufs) >= 2.0


def test_what_levels_promise_and_do_not_hold_is_not_said_to_be_found() -> None:
    """As where a limiter holds a sound down: what is told was heard."""

    def held_down(patches: list[Patch]) -> list[Descriptors]:
        return [replace(sound, lufs=-20.0) for sound in _pretended(patches)]

    found = steered(demo(), ["fog-air-band"], KINDS, {"louder": 1.0}, seed=7, renders=40, hears=held_down)
    assert not found.reached
    assert found.steps[2] == 0.0
    assert found.told.startswith("as near as it came: louder 0 %")


def test_what_cannot_be_reached_is_said_and_the_search_ends() -> None:
    found = steered(demo(), ["fog-air-band"], KINDS, {"denser": 1.0}, seed=1, renders=30, hears=_pretended)
    assert not found.reached
    assert found.renders <= 30
    assert found.told == "no value that may change makes it any denser"
    assert not found.possible


@pytest.mark.parametrize(("word", "onsets_per_s"), [("denser", 0.0), ("sparser", 1 / 3), ("denser", 16.0)])
def test_what_no_sound_of_three_seconds_can_be_is_not_searched_for(word: str, onsets_per_s: float) -> None:
    def heard(patches: list[Patch]) -> list[Descriptors]:
        return [Descriptors(900.0, onsets_per_s, -20.0, 60.0, 1.0, 0.1, 0.1, -6.0, 0.1) for _ in patches]

    found = steered(demo(), ["fog-air-band"], KINDS, {word: 1.0}, seed=1, hears=heard)
    assert not found.reached
    assert found.renders == SEEDS
    assert found.patch == demo()
    assert not found.possible
    assert found.told.startswith("it has too few onsets in 3 s")


@pytest.mark.parametrize(
    ("words", "wanted"),
    [
        ({"greener": 1.0}, 'there is no word "greener"'),
        ({"darker": 9.0}, "the amount of darker must be above 0 and at most 4"),
        ({"darker": 1.0, "brighter": 1.0}, "darker and brighter cannot both be wanted"),
        ({}, "choose at least one word"),
    ],
)
def test_words_that_cannot_be_are_refused(words: dict[str, float], wanted: str) -> None:
    with pytest.raises(ParameterError, match=wanted):
        steered(demo(), ["fog-air-band"], KINDS, words, seed=1, hears=_pretended)


def test_with_everything_locked_nothing_is_searched() -> None:
    band = demo().module("fog-air-band")
    locked = demo().with_module(replace(band, locked=frozenset(band.params) | {"resonance", "gain_db"}))
    with pytest.raises(ParameterError, match="nothing may change"):
        steered(locked, ["fog-air-band"], ("space",), {"darker": 1.0}, seed=1, hears=_pretended)


def test_every_dimension_has_two_words() -> None:
    assert sorted(k for k, _ in WORDS.values()) == sorted([*range(8), *range(8)])
