"""Repeats by sound: a round is told within one in a hundred, and what only moves is not (all: `bench.rounds`)."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from bench.rounds import MOVING, ROUND, ROUNDS, period_heard

from dunefall.survey.likeness import alike_stretches, period_of

FRAME_S = 0.08533


@pytest.mark.parametrize("k", [0, 3, 6])
def test_a_round_is_told_by_its_sound(k: int) -> None:
    patch, period = ROUND[k]
    found = period_heard(patch, ROUNDS * period)
    assert found is not None
    assert found.seconds == pytest.approx(period, rel=0.01)


def test_slow_waves_that_move_apart_are_no_round() -> None:
    assert period_heard(MOVING[3], 150.0) is None


def test_silence_and_what_stands_still_have_no_period() -> None:
    assert period_of(np.zeros((2000, 24), np.float32), FRAME_S) is None
    assert period_of(np.full((2000, 24), 90.0, np.float32), FRAME_S) is None
    assert period_of(np.zeros((5, 24), np.float32), FRAME_S) is None


def test_noise_has_no_period() -> None:
    noise = np.random.default_rng(1).normal(100.0, 10.0, (4000, 24)).astype(np.float32)
    assert period_of(noise, FRAME_S) is None


def test_a_period_between_frames_is_told_between_them() -> None:
    at = np.arange(3000) * FRAME_S
    phase = at / 7.777 * 2 * np.pi
    course = np.stack([60 + 40 * np.cos(phase * k + k * k) for k in range(1, 25)], axis=1).astype(np.float32)
    found = period_of(course, FRAME_S)
    assert found is not None
    assert found.seconds == pytest.approx(7.777, abs=0.01)


def test_stretches_that_are_the_same_are_found_first() -> None:
    course = np.random.default_rng(2).normal(100.0, 20.0, (3000, 24)).astype(np.float32)
    long = round(15.0 / FRAME_S)
    hop = round(2.0 / FRAME_S)
    first, second = 10 * hop, 81 * hop
    course[second : second + long] = course[first : first + long]
    pairs = alike_stretches(course, FRAME_S)
    assert (pairs[0].first_s, pairs[0].second_s) == pytest.approx((first * FRAME_S, second * FRAME_S))
    assert pairs[0].likeness > 2.0 * pairs[1].likeness
    assert len(pairs) <= 8
    assert all(b.likeness <= a.likeness for a, b in pairwise(pairs))
    assert alike_stretches(course[:100], FRAME_S) == []
