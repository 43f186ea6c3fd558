"""Filter pair."""

from __future__ import annotations

import numpy as np
from scipy.signal import bilinear, freqz

from rig import RATE, Rig, tone

SECOND = round(RATE)


def response(hz: float, kind: str, resonance: float) -> np.ndarray:
    """The second-order prototype through the bilinear transform with prewarping (scipy.signal.bilinear)."""
    q = 1.0 / (2**0.5 + (0.02 - 2**0.5) * resonance)
    w = 2 * RATE * np.tan(np.pi * hz / RATE)
    top = {"low": [w * w], "band": [w / q, 0], "high": [1, 0, 0]}[kind]
    b, a = bilinear(top, [1, w / q, w * w], RATE)
    return np.asarray(freqz(b, a, worN=np.arange(SECOND // 2 + 1), fs=RATE)[1])


def pair(**params: float) -> np.ndarray:
    impulse = np.zeros(SECOND)
    impulse[0] = 1.0
    return np.abs(np.fft.rfft(Rig("filter-pair", **params).run(SECOND, audio=impulse)["out"]))


def test_in_a_row_responses_multiply_and_side_by_side_they_add() -> None:
    """The second cutoff lies two octaves above the first (offset of 24 semitones)."""
    first, second = response(300.0, "high", 0.4), response(1200.0, "low", 0.2)
    values = {"cutoff_hz": 300.0, "offset_st": 24.0, "resonance": 0.4, "second_resonance": 0.2}
    np.testing.assert_allclose(pair(**values)[10:20000], np.abs(first * second)[10:20000], atol=1e-3)
    np.testing.assert_allclose(pair(balance=-1.0, **values)[10:20000], np.abs(first)[10:20000], atol=1e-3)
    both = pair(routing=1, balance=0.0, **values)
    np.testing.assert_allclose(both[10:20000], np.abs(first + second)[10:20000], atol=1e-3)


def test_split_puts_one_filter_on_each_side() -> None:
    values = {"routing": 1, "balance": 0.0, "cutoff_hz": 300.0, "offset_st": 24.0}
    impulse = np.zeros(4800)
    impulse[0] = 1.0
    out = Rig("filter-pair", split=1.0, **values).run(4800, audio=impulse)
    left = Rig("filter-pair", **{**values, "balance": -1.0}).run(4800, audio=impulse)["out"]
    right = Rig("filter-pair", **{**values, "balance": 1.0}).run(4800, audio=impulse)["out"]
    np.testing.assert_allclose(out["out"], left, atol=1e-12)
    np.testing.assert_allclose(out["out_right"], right, atol=1e-12)


def test_the_loop_growls_and_stays_bounded() -> None:
    """Full feedback with 36 dB of drive: bounded, without a mean, and other than without."""
    sound = tone(110.0, 2.0, level=0.5)
    values = {"routing": 2, "cutoff_hz": 200.0, "offset_st": 12.0, "resonance": 0.9, "first_kind": 1}
    plain = Rig("filter-pair", feedback=0.0, **values).run(2 * SECOND, audio=sound)["out"]
    for feedback in (-1.0, 1.0):
        out = Rig("filter-pair", feedback=feedback, drive_db=36.0, **values).run(2 * SECOND, audio=sound)["out"]
        assert np.abs(out).max() < 60
        assert abs(out[SECOND:].mean()) < 0.05 * np.abs(out).max()
        assert np.std(out - plain) > 0.1 * np.std(plain)


def test_in_its_loop_nothing_leaves_it_louder_than_6_db() -> None:
    """It reached +35 dBFS with full resonance."""
    sound = np.random.default_rng(1).uniform(-1, 1, SECOND)
    for feedback in (-1.0, 1.0):
        values = {"routing": 2, "resonance": 1.0, "second_resonance": 1.0, "drive_db": 36.0, "feedback": feedback}
        out = Rig("filter-pair", first_kind=0, second_kind=0, offset_st=0.0, **values).run(SECOND, audio=sound)["out"]
        assert np.abs(out).max() <= 2.0


def test_both_channels_pass_it_apart() -> None:
    left, right = tone(110.0, 0.5), tone(330.0, 0.5)
    both = Rig("filter-pair").run(len(left), audio=left, audio_right=right)
    for side, sound in (("out", left), ("out_right", right)):
        alone = Rig("filter-pair").run(len(left), audio=sound)["out"]
        np.testing.assert_allclose(both[side], alone, atol=1e-12)
