"""Chance."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from rig import Rig, rises, ticks


def throws(count: int, **params: float) -> np.ndarray:
    """Which of many triggers passed."""
    out = Rig("chance", seed=5, **params).run(count * 8, trigger=ticks(count, 8))
    return out["passed"][::8]


@pytest.mark.parametrize("probability", [0.0, 0.1, 0.5, 1.0])
def test_chance_is_fair(probability: float) -> None:
    count = 4000
    trigger = np.tile(np.r_[np.ones(4), np.zeros(8)], count)
    out = Rig("chance", probability=probability, seed=11).run(len(trigger), trigger=trigger)
    passed, refused = len(rises(out["passed"])), len(rises(out["refused"]))
    assert passed + refused == count
    np.testing.assert_array_equal(out["passed"] + out["refused"], trigger)  # complements add up to the input
    interval = stats.binom.interval(0.999, count, probability)  # 99.9 % binomial interval
    assert interval[0] <= passed <= interval[1]


def test_no_more_than_n_in_a_row() -> None:
    passed = throws(4000, probability=0.7, mode=1, most=2)
    runs = np.diff(np.flatnonzero(np.diff(np.r_[-1, passed, -1])))
    assert runs.max() == 2


@pytest.mark.parametrize(("probability", "deck"), [(0.25, 8), (0.5, 5), (1.0, 3), (0.0, 4)])
def test_a_shuffled_deck_is_exact_in_every_deck(probability: float, deck: int) -> None:
    passed = throws(deck * 200, probability=probability, mode=2, deck=deck).reshape(200, deck)
    assert (passed.sum(axis=1) == np.floor(probability * deck + 0.5)).all()
    if 0 < probability < 1:  # every place of the deck is as likely: binomial, 99.9 %
        each = passed.mean(axis=0)
        away = stats.norm.ppf(0.9995) * np.sqrt(each.mean() * (1 - each.mean()) / 200)
        assert np.abs(each - each.mean()).max() < 1.5 * away
