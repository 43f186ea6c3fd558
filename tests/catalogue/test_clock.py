"""Clock."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np
import pytest

from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import Given
from dunefall.patch.model import Module
from dunefall.render.offline import render_to_array
from rig import RATE, Rig, patch_of, pulses, rises


@pytest.mark.parametrize("period_s", [0.0333, 1.7, 977.3])
def test_a_clock_is_exact_for_hours(period_s: float) -> None:
    """Against exact rational arithmetic: every tick comes less than a sample late (24 hours: `make soak`)."""
    rig = Rig("clock", sync=1, period_s=period_s)
    index = rig.program.input_at[("m", "period_s")]
    period = Fraction(float(rig.program.memory.now[index])) * 48000
    state = rig.program.plan.modules[0]["state_at"]
    rig.run(64)
    ticks = 10_000_000  # as if it had ticked so often: what it carries over is exact arithmetic's remainder
    at = -(-(ticks * period) // 1)
    rig.program.memory.states[state] = float(at - ticks * period)
    gate = rig.run(min(200_000, round(3 * period_s * RATE)))["gate"]
    found = np.flatnonzero(np.diff(gate) > 0.5) + 1
    for k, place in enumerate(found, 1):
        late = (int(place) + 1) + float(at - ticks * period) - float(k * period)
        assert -1e-3 <= late < 1.001


@pytest.mark.parametrize(("bpm", "beats"), [(92.0, 0.25), (120.0, 0.75), (61.7, 1 / 3)])
def test_clock_is_exact(bpm: float, beats: float) -> None:
    # 92 BPM, sixteenths: 163.04 ms (arithmetic); every tick within one sample of exact fractions, over 5 minutes
    seconds = 300
    modules = Module("clock", "clock", "Clock", {"period_beats": beats}), Module("a-output", "output", "A")
    patch = patch_of(*modules, links=(("clock.gate", "a-output.audio", 1.0),), tempo_bpm=bpm)
    high = render_to_array(patch, seconds=seconds)[:, 0] > 0.05
    ticks = np.flatnonzero(np.diff(high, prepend=False) & high)
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


@pytest.mark.parametrize("zero", [0.0, -5.0])
def test_nothing_sticks_on_absurd_periods(zero: float) -> None:
    """Values are held in their range before a kernel sees them; even if not, the clock goes on."""
    rig = Rig("clock", sync=1)
    rig.program.set_base("m", "period_s", -1e9)  # far below the hard range, in octaves
    gate = rig.run(48000)["gate"]
    assert len(rises(gate)) > 100


def test_a_clock_wanders_within_its_clamp_and_stops() -> None:
    seconds = 20.0
    wild = np.exp2(np.random.default_rng(2).uniform(-6, 6, 400)).repeat(2400)[: round(seconds * RATE)]
    rig = Rig("clock", sync=1, least_s=0.1, most_s=0.4)
    gaps = np.diff(rises(rig.run(len(wild), period_s=wild)["gate"])) / RATE
    assert gaps.min() >= 0.1 - 2 / RATE
    assert gaps.max() <= 0.4 + 2 / RATE
    run = np.r_[np.ones(9600), np.zeros(19_200), np.ones(9600)]
    out = Rig("clock", sync=1, period_s=0.05).run(len(run), run=run)["gate"]
    assert not out[9600:28_800].any()
    assert len(rises(out)) == 8


def test_a_humanised_clock_keeps_its_tempo() -> None:
    """Each tick moves by up to half a period, none drifts away: 400 ticks later they are still there."""
    found = rises(Rig("clock", sync=1, period_s=0.05, humanise=0.5, width=0.1).run(400 * 2400)["gate"])
    away = found - 2400 * np.arange(len(found))
    assert np.ptp(away) <= 0.25 * 2400 + 2
    assert np.std(away) > 100


@pytest.mark.parametrize(
    ("values", "seconds"),
    [
        ({"period_s": 0.5, "sync": 1}, 0.5), ({"period_beats": 1.0, "sync": 0}, 0.5),
        ({"period_s": 0.1, "sync": 1, "least_s": 0.4}, 0.4), ({"period_s": 9.0, "sync": 1, "most_s": 4.0}, 4.0),
        ({"period_s": 1.0, "sync": 1, "least_s": 2.0, "most_s": 1.5}, 2.0),
        ({"period_s": 0.5, "sync": 1, "swing": 0.2}, 1.0),
    ],
)  # fmt: skip
def test_what_is_told_of_its_period_is_what_it_does(values: dict[str, float], seconds: float) -> None:
    """The period of the story is that of the ticks: with swing, every other one."""
    patch = patch_of(Module("m", "clock", "M", values), tempo_bpm=120.0)
    given = Given.of(spec_of("clock"), patch, patch.module("m"))
    assert spec_of("clock").cycle.period_s(given) == seconds
    ticks = rises(Rig("clock", **values).run(480_000, tempo_bpm=np.full(480_000, 120.0))["gate"])
    each = 2 if "swing" in values else 1
    assert np.diff(ticks[::each]) == pytest.approx(seconds * RATE, abs=1.01)


@pytest.mark.parametrize("swing", [0.0, 0.3])
def test_a_shifted_clock_ticks_later_by_its_share(swing: float) -> None:
    plain = rises(Rig("clock", period_s=0.1, sync=1, swing=swing).run(48000)["gate"])
    later = rises(Rig("clock", period_s=0.1, sync=1, swing=swing, shift=0.25).run(48000)["gate"])
    assert later[0] > 0
    spans = np.diff(plain)
    np.testing.assert_allclose(later[: len(spans)] - plain[: len(spans)], 0.25 * spans, atol=2)
