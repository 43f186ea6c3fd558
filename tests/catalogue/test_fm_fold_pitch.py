"""FM operator, folder, quantiser, follower, keyboard and the clock over days, against outside numbers."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from scipy import special

from dunefall.catalogue.pitch.quantiser import SCALES
from dunefall.engine.checkpoints import MOST, Checkpoints, Room
from dunefall.patch.take import Take
from dunefall.render.performance import Performance
from rig import RATE, Rig, demo, pulses, tone


def partial(sound: np.ndarray, hz: float) -> float:
    """Amplitude of a sine of this frequency in a whole number of its periods."""
    n = np.arange(len(sound))
    return float(2 * abs(np.mean(sound * np.exp(-2j * np.pi * hz * n / RATE))))


@pytest.mark.parametrize("index", [1.0, 2.4048, 5.0])
def test_fm_sidebands_are_bessel_functions(index: float) -> None:
    """Chowning 1973: sidebands at carrier +- n modulator with amplitude |J_n(index)|, tolerance 1e-3."""
    carrier, modulator = 6000.0, 500.0
    phase_in = tone(modulator, 1.0)
    out = Rig("operator", tuning=1, fixed_hz=carrier, index=index, level=1.0).run(round(RATE), phase_in=phase_in)["out"]
    for n in range(6):
        wanted = abs(special.jv(n, index))
        assert partial(out, carrier + n * modulator) == pytest.approx(wanted, abs=1e-3)
        assert partial(out, carrier - n * modulator) == pytest.approx(wanted, abs=1e-3)


def test_operator_tunes_by_ratio_or_by_frequency() -> None:
    by_ratio = Rig("operator", pitch_note=69, ratio=2.5, level=1.0).run(round(RATE))["out"]
    assert partial(by_ratio, 1100.0) == pytest.approx(1.0, abs=1e-3)
    fixed = Rig("operator", pitch_note=69, ratio=2.5, tuning=1, fixed_hz=300.0, level=1.0).run(round(RATE))["out"]
    assert partial(fixed, 300.0) == pytest.approx(1.0, abs=1e-3)


def test_operator_feedback_adds_overtones_that_fall_like_a_saw() -> None:
    """Feedback of one radian: Bessel sum of a wave that bends itself, partial n near 2 J_n(n b) / (n b), b = 1
    (Tomisawa 1979, from memory); the mean of two samples keeps to it within 10 % at low frequencies."""
    out = Rig("operator", tuning=1, fixed_hz=100.0, feedback=1.0, level=1.0).run(round(RATE) * 2)["out"][-round(RATE) :]
    for n in range(1, 5):
        assert partial(out, 100.0 * n) == pytest.approx(2 * special.jv(n, n) / n, rel=0.1)


def test_the_folder_aliases_far_less_than_the_bare_curve() -> None:
    """Parker et al. 2016: at least 20 dB less in what is no harmonic, for 1.2 kHz at strong drive."""
    sine = tone(1237.0, 1.0)
    folded = Rig("folder", drive=8.0).run(round(RATE), audio=sine)["out"]
    bare = 1 - np.abs(np.mod(8.0 * sine * 0.25 + 0.25, 1.0) * 4 - 2)

    def alias(sound: np.ndarray) -> float:
        spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) ** 2
        bins = np.arange(len(spectrum))
        near = np.abs(np.mod(bins + 618, 1237) - 618) < 6
        return float(10 * np.log10(spectrum[~near & (bins > 200) & (bins < 12000)].sum()))

    assert alias(folded) < alias(bare) - 20
    assert np.abs(folded).max() <= 1.0 + 1e-9


def test_a_quiet_sound_passes_the_folder() -> None:
    sine = tone(100.0, 0.2, level=0.4)
    out = Rig("folder", drive=2.0).run(len(sine), audio=sine)["out"]
    np.testing.assert_allclose(out[1:], (sine[1:] + sine[:-1]), atol=1e-6)  # 2x, the mean of neighbours


@pytest.mark.parametrize("name", list(SCALES))
@pytest.mark.parametrize("root", [0, 5, 11])
def test_the_quantiser_takes_the_nearest_note_of_the_scale(name: str, root: int) -> None:
    """By trying all notes of the scale (music theory)."""
    pitches = np.linspace(20, 110, 400) + 0.013
    rig = Rig("quantiser", scale=list(SCALES).index(name), root=root, hold_st=0.0)
    out = rig.run(400, pitch=pitches)["out"]
    allowed = np.array([n for n in range(140) if (n - root) % 12 in SCALES[name]])
    best = np.abs(pitches[:, None] - allowed[None, :]).min(axis=1)
    np.testing.assert_allclose(np.abs(out - pitches), best, atol=1e-9)
    assert set(np.mod(out - root, 12)) <= set(SCALES[name])


def test_the_quantiser_holds_between_two_notes_and_tells_changes() -> None:
    wobble = 60.5 + 0.04 * np.sin(np.arange(4800) * 0.01)
    out = Rig("quantiser", scale=0, hold_st=0.2).run(4800, pitch=wobble)
    assert len(set(out["out"])) == 1
    steps = np.repeat([60.0, 62.0, 62.0, 67.0], 1200)
    told = Rig("quantiser", scale=0).run(4800, pitch=steps)["changed"]
    rises = np.flatnonzero(np.diff(told) > 0.5) + 1
    assert rises.tolist() == [1200, 3600]


def test_the_follower_rises_and_falls_in_its_times() -> None:
    """First-order detector (textbook): 99 % after the set time, for a rectified step."""
    step = np.r_[np.ones(9600), np.zeros(9600)]
    out = Rig("follower", rise_s=0.05, fall_s=0.1).run(19200, audio=step)["out"]
    assert out[round(0.05 * RATE)] == pytest.approx(0.99, abs=1e-3)
    assert out[9600 + round(0.1 * RATE)] == pytest.approx(0.01 * out[9599], abs=1e-3)


def test_a_keyboard_plays_a_note_for_each_trigger() -> None:
    gate = pulses([0.01, 0.05], 0.1, width_s=0.02)
    out = Rig("keyboard", notes=64.0, force=0.5).run(len(gate), trigger=gate)
    assert (out["gate"] == gate).all()
    assert set(out["pitch"][gate > 0.5]) == {64.0}
    assert set(out["velocity"][gate > 0.5]) == {0.5}


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


def test_checkpoints_spread_over_the_take() -> None:
    """Evenly spaced, twice as far apart when there is no more room; the nearest one before a sample is given."""
    performance = Performance(Take(demo()))
    player, kept = performance.player, Checkpoints(4800.0)  # as if at a tenth of the rate: one every 0.2 s
    kept.begin(Room(player.program, ()))
    while player.position < 75 * 9600:
        kept.look_after()
        kept.offer(player)
        player.fill(np.zeros((640, 2)))
    places = sorted({c.position for at in range(0, 75 * 9600, 3200) if (c := kept.nearest(at))})
    assert 16 <= len(places) <= MOST
    assert places[0] == 0
    gaps = np.diff(places)
    assert gaps.max() <= 3 * gaps.min() <= 120_000
    assert kept.nearest(places[3] + 10).position == places[3]
    kept.forget_after(places[2])
    assert kept.nearest(1 << 40).position == places[2]
    kept.forget()
    assert kept.nearest(1 << 40) is None
