"""Clock, chance, random sources, slew, envelope against arithmetic and statistics."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np
import pytest
from scipy import stats

from rig import RATE, Rig, pulses, rises


@pytest.mark.parametrize(("bpm", "beats"), [(92.0, 0.25), (120.0, 0.75), (61.7, 1 / 3)])
def test_clock_is_exact(bpm: float, beats: float) -> None:
    # 92 BPM, sixteenths: 163.04 ms (arithmetic); every tick within one sample of exact fractions, over 5 minutes
    seconds = 300
    rig = Rig("clock", period_beats=beats)
    ticks = rises(rig.run(round(seconds * RATE), tempo_bpm=np.full(round(seconds * RATE), bpm))["gate"])
    period = Fraction(beats) * 60 * 48000 / Fraction(bpm)
    assert len(ticks) == math.ceil(seconds * 48000 / period)
    error = [abs(tick - float(k * period)) for k, tick in enumerate(ticks)]
    assert max(error) <= 1.0 + 1e-6


def test_free_clock_and_gate_length() -> None:
    out = Rig("clock", sync=1, period_s=0.1, width=0.25).run(48000)
    ticks = rises(out["gate"])
    assert (np.diff(ticks) == 4800).all()
    assert out["gate"].mean() == pytest.approx(0.25, abs=0.01)
    assert out["phase"].min() >= 0
    assert out["phase"].max() < 1


def test_swing_moves_every_second_tick_only() -> None:
    ticks = rises(Rig("clock", sync=1, period_s=0.1, swing=0.5).run(96000)["gate"])
    gaps = np.diff(ticks)
    np.testing.assert_allclose(gaps[0::2], 7200, atol=1)
    np.testing.assert_allclose(gaps[1::2], 2400, atol=1)


def test_clock_reset() -> None:
    reset = pulses([0.33], 1.0)
    ticks = rises(Rig("clock", sync=1, period_s=0.1, width=0.1).run(48000, reset=reset)["gate"])
    assert round(0.33 * RATE) in ticks
    assert round(0.33 * RATE) + 4800 in ticks


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


def test_sample_and_hold_is_constant_between_triggers() -> None:
    trigger = pulses([0.1, 0.25, 0.7], 1.0)
    ramp = np.linspace(0, 1, 48000)
    out = Rig("sample-hold", linked=3).run(48000, signal=ramp, trigger=trigger)["out"]
    for a, b in ((4800, 12000), (12000, 33600), (33600, 48000)):
        assert (out[a:b] == ramp[a]).all()


def test_sample_and_hold_of_noise() -> None:
    """Definition: uniform values, and an autocorrelation that is a triangle of one period."""
    out = Rig("sample-hold", rate_hz=100).run(round(120 * RATE))["out"]
    values = out[240::480]
    assert stats.kstest(values, "uniform", args=(-1, 2)).pvalue > 0.01
    for share in (0.25, 0.5, 0.75):
        lag = round(480 * share)
        assert np.corrcoef(out[:-lag], out[lag:])[0, 1] == pytest.approx(1 - share, abs=0.05)


def test_smooth_random_spans_and_is_smooth() -> None:
    out = Rig("smooth-random", rate_hz=20).run(round(120 * RATE))["out"]
    assert out.min() < -0.9
    assert out.max() > 0.9
    assert abs(out.mean()) < 0.1
    # A quintic between -1 and 1 rises by at most 15/8 of its way per period (closed form).
    assert np.abs(np.diff(out)).max() <= 2 * 15 / 8 * 20 / RATE * 1.001
    nodes = out[:: round(RATE / 20)]
    assert abs(np.corrcoef(nodes[:-1], nodes[1:])[0, 1]) < 0.1


@pytest.mark.parametrize(("shape", "expected"), [
    (0, lambda p: np.sin(2 * np.pi * p)),
    (1, lambda p: 2 / np.pi * np.arcsin(np.sin(2 * np.pi * p))),
    (2, lambda p: 2 * p - 1),
    (3, lambda p: np.where(p < 0.5, 1.0, -1.0)),
])  # fmt: skip
def test_lfo_forms(shape: int, expected: object) -> None:
    out = Rig("lfo", rate_hz=0.5, shape=shape).run(96000)["out"]
    phase = np.arange(96000) / 96000
    good = np.abs(out - expected(phase)) < 1e-6  # type: ignore[operator]
    assert good.mean() > 0.9999  # a jump may fall one sample beside
    raised = Rig("lfo", rate_hz=0.5, shape=shape, polarity=1).run(96000)["out"]
    np.testing.assert_allclose(raised, 0.5 + 0.5 * out, atol=1e-12)


def test_lfo_reset_and_phase() -> None:
    reset = pulses([0.3], 1.0)
    out = Rig("lfo", rate_hz=1.7, phase=0.25).run(48000, reset=reset)["out"]
    assert out[0] == pytest.approx(1.0)
    assert out[round(0.3 * RATE)] == pytest.approx(1.0)


@pytest.mark.parametrize("rate", [44100.0, 48000.0])
def test_slew_times(rate: float) -> None:
    step = np.r_[np.zeros(64), np.ones(round(rate)), np.zeros(round(rate))]
    out = Rig("slew", rate=rate, rise_s=0.13, fall_s=0.4).run(len(step), signal=step)["out"]
    assert out[64 + round(0.13 * rate)] == pytest.approx(0.99, abs=1e-3)
    assert out[64 + round(1.4 * rate)] == pytest.approx(0.01, abs=1e-3)
    tau = 0.13 / np.log(100)
    n = np.arange(1, 2000)
    np.testing.assert_allclose(out[64 : 64 + 1999], 1 - np.exp(-n / (tau * rate)), atol=1e-9)  # first-order step


def test_envelope_times() -> None:
    out = Rig("envelope", attack_s=0.1, decay_s=0.5).run(48000, trigger=pulses([0.0], 1.0))["out"]
    top = int(out.argmax())
    assert out[top] == 1.0
    assert top / RATE == pytest.approx(0.1, rel=0.01)
    assert 20 * np.log10(out[top + round(0.5 * RATE)]) == pytest.approx(-60, abs=0.1)


def test_retriggered_envelope_does_not_jump() -> None:
    out = Rig("envelope", attack_s=0.02, decay_s=0.5).run(48000, trigger=pulses([0.0, 0.05, 0.07, 0.2], 1.0))["out"]
    fastest = 1.3 * np.log(1.3 / 0.3) / (0.02 * RATE)  # slope of the charging curve at its foot
    assert np.abs(np.diff(out)).max() <= fastest * 1.01


@pytest.mark.parametrize("zero", [0.0, -5.0])
def test_nothing_sticks_on_absurd_periods(zero: float) -> None:
    """Values are held in their range before a kernel sees them; even if not, the clock goes on."""
    rig = Rig("clock", sync=1)
    rig.program.set_base("m", "period_s", -1e9)  # far below the hard range, in octaves
    gate = rig.run(48000)["gate"]
    assert len(rises(gate)) > 100
