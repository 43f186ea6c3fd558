"""Differences in words: pairs of patches of which the truth is known, and pairs that differ by nothing but chance."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from bench.pairs import TRUTHS, named_rightly, nearly_the_same, voice

from dunefall.analysis.descriptors import Descriptors
from dunefall.vary.variations import described_patch
from dunefall.vary.words import DIMENSIONS, NEARLY, chance_of, words_of

FEW, SECONDS = 5, 8.0


@pytest.mark.parametrize("word", TRUTHS)
def test_what_was_changed_is_told(word: str) -> None:
    """Of twenty pairs 19 are named rightly (`python -m bench.pairs`); here all of a few."""
    assert named_rightly(word, FEW, SECONDS) >= FEW - 1


def test_pairs_that_differ_by_their_seed_only_are_nearly_the_same() -> None:
    assert nearly_the_same(FEW, SECONDS) >= FEW - 1


def test_a_silent_child_is_called_silent() -> None:
    first = described_patch(voice(0), SECONDS)[1]
    quiet = described_patch(voice(0).with_param("a-output", "mute", 1.0), SECONDS)[1]
    assert words_of(first, quiet, chance_of([first])) == ("silent",)


def test_the_two_largest_are_told() -> None:
    first = Descriptors(1000.0, 2.0, -20.0, 60.0, 1.0, 0.1, 0.1, -6.0, 0.2)
    child = replace(first, brightness_hz=4000.0, lufs=-10.0, pitch_note=60.6)
    steady = chance_of([first])
    assert words_of(first, child, steady) == ("brighter", "louder")
    assert words_of(first, first, steady) == (NEARLY,)
    assert words_of(first, child, replace(steady, spread=np.full(len(DIMENSIONS), 10.0))) == (NEARLY,), "as by chance"


def test_a_parent_at_the_edge_of_its_chance_does_not_colour_all_its_children() -> None:
    usual = [Descriptors(1000.0, 2.0, -20.0, 60.0, decay, 0.1, 0.1, -6.0, 0.2) for decay in (1.0, 1.1, 0.9, 1.0)]
    parent = replace(usual[0], decay_s=0.7)
    chance = chance_of([parent, *usual])
    assert words_of(parent, usual[1], chance) == (NEARLY,)
    assert words_of(parent, replace(parent, decay_s=4.0), chance) == ("longer",)
    assert words_of(parent, replace(parent, decay_s=0.15), chance) == ("shorter",)
