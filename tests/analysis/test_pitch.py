"""The tuner's pitch against tones of known frequency (equal temperament, A4 = 440 Hz: common practice)."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.analysis.pitch import LOWEST_HZ, _refined, fundamental_hz
from rig import RATE, Rig, tone


def harmonic(hz: float, seconds: float = 0.2, rate: float = RATE) -> np.ndarray:
    return np.sum([tone(k * hz, seconds, rate=rate, level=0.4 / k) for k in range(1, 7) if k * hz < rate / 2.2], axis=0)


@pytest.mark.parametrize("rate", [44100.0, 48000.0, 96000.0])
@pytest.mark.parametrize("note", [24, 33, 45, 57, 69, 81, 93, 105])
def test_within_a_tenth_of_a_cent(note: float, rate: float) -> None:
    hz = 440.0 * 2 ** ((note - 69 + 0.13) / 12)
    found = fundamental_hz(harmonic(hz, rate=rate), rate)
    assert found is not None
    assert 1200 * np.log2(found / hz) == pytest.approx(0.0, abs=0.1)


def test_a_missing_fundamental_is_heard() -> None:
    """A tone of the third to seventh harmonic has the pitch of the first (Seebeck 1841, from memory)."""
    sound = np.sum([tone(k * 200.0, 0.2, level=0.2) for k in range(3, 8)], axis=0)
    assert fundamental_hz(sound, RATE) == pytest.approx(200.0, rel=1e-4)


def test_no_pitch_where_there_is_none() -> None:
    noise = np.random.default_rng(1).normal(size=9600)
    for sound in (noise, np.zeros(9600), np.full(9600, 0.3), tone(0.4 * LOWEST_HZ, 0.2), np.zeros(10)):
        assert fundamental_hz(sound, RATE) is None


def test_the_oscillator_is_in_tune() -> None:
    out = Rig("oscillator", pitch_note=57.0).run(12000)["out"]
    assert fundamental_hz(out, RATE) == pytest.approx(220.0, rel=5e-5)


def test_the_dip_between_two_samples_is_between_them() -> None:
    """A lag that is no dip, of which the parabola through its neighbours is nearly flat, stays where it is: else the
    pitch of what begins and ends in a stretch could be below zero."""
    assert _refined(np.array([1.0, 0.5, 0.5 - 1e-12, 0.6]), 1) <= 2.0
    assert _refined(np.array([0.0, 0.5, 1.0 + 1e-9, 1.5]), 1) >= 0.0
