"""Filter, amplifier, mix, delay and output against textbooks and scipy."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from rig import RATE, Rig, tone


def impulse(samples: int) -> np.ndarray:
    out = np.zeros(samples)
    out[0] = 1.0
    return out


@pytest.mark.parametrize("cutoff", [100.0, 1000.0, 8000.0])
@pytest.mark.parametrize("resonance", [0.0, 0.5, 0.9])
def test_filter_equals_the_bilinear_transform(cutoff: float, resonance: float) -> None:
    """Zavalishin 2018: the state-variable filter is the prewarped bilinear transform of its analogue prototype."""
    found = Rig("filter", cutoff_hz=cutoff, resonance=resonance).run(1 << 14, audio=impulse(1 << 14))
    damping = np.sqrt(2) - 1.3942135623730951 * resonance
    w = 2 * RATE * np.tan(np.pi * cutoff / RATE)
    for port, numerator in (("low", [w * w]), ("band", [damping * w, 0]), ("high", [1, 0, 0])):
        b, a = signal.bilinear(numerator, [1, damping * w, w * w], RATE)
        expected = signal.lfilter(b, a, impulse(1 << 14))
        np.testing.assert_allclose(found[port], expected, atol=1e-8)


def test_filter_at_rest_is_flat_and_falls_by_12_db() -> None:
    # Q = 1/sqrt 2: -3.01 dB at the cutoff, -12 dB per octave (Simper; Zavalishin; scipy.signal)
    out = Rig("filter", cutoff_hz=500, resonance=0).run(48000, audio=impulse(48000))["low"]
    response = np.abs(np.fft.rfft(out))[:-1]  # at half the rate the bilinear transform has a zero
    decibels = 20 * np.log10(response)
    assert decibels[500] == pytest.approx(-3.01, abs=0.01)
    assert decibels[2000] - decibels[4000] == pytest.approx(12.0, abs=0.5)
    assert decibels[1:400].max() < 0.01


def test_moving_cutoff_stays_stable_and_follows() -> None:
    sweep = 2000 * 2 ** (3 * np.sin(2 * np.pi * 50 * np.arange(48000) / RATE))
    out = Rig("filter", resonance=0.9).run(48000, audio=tone(400, 1.0), cutoff_hz=sweep)["low"]
    assert np.abs(out).max() < 20


def test_amplifier_and_mix_are_what_they_say() -> None:
    a, b = tone(100, 0.1), tone(333, 0.1)
    np.testing.assert_array_equal(Rig("amplifier").run(len(a), audio=a, gain=b)["out"], a * b)
    out = Rig("mix", level_a=0.5, level_b=-1).run(len(a), a=a, b=b)["out"]
    np.testing.assert_allclose(out, 0.5 * a - b, atol=1e-15)


@pytest.mark.parametrize("feedback", [0.5, -0.7, 0.9])
def test_echoes_fall_by_the_feedback(feedback: float) -> None:
    # Schroeder 1962: echo k has amplitude g^k at k tau
    out = Rig("delay", span=0, short_s=0.01, feedback=feedback, high_cut_hz=20000, dry=0, wet=1).run(
        48000, audio=0.5 * impulse(48000)
    )["out"]
    for k in range(1, 30):
        assert out[480 * k] == pytest.approx(0.5 * feedback ** (k - 1), abs=1e-9)
    others = np.delete(out, np.arange(480, 48000, 480))
    assert np.abs(others).max() < 1e-9


def test_decay_time_of_the_echoes() -> None:
    # Schroeder 1962: 60 dB in 3 tau / log10(1 / |g|)
    gain, tau = 0.9, 0.01
    out = Rig("delay", span=0, short_s=tau, feedback=gain, high_cut_hz=20000, dry=0, wet=1).run(
        96000, audio=0.5 * impulse(96000)
    )["out"]
    at = 3 * tau / np.log10(1 / gain)
    k = round(at / tau)
    assert 20 * np.log10(out[480 * (k + 1)] / out[480]) == pytest.approx(-60, abs=0.5)


@pytest.mark.parametrize("feedback", [1.0, 1.1, -1.1])
def test_delay_is_safe_at_and_above_unity(feedback: float) -> None:
    sound = np.concatenate([tone(200, 1.0), np.zeros(9 * 48000)])
    out = Rig("delay", time_s=0.05, feedback=feedback, high_cut_hz=20000, dry=0, wet=1).run(len(sound), audio=sound)[
        "out"
    ]
    assert np.abs(out).max() < 3.5
    assert np.abs(out[-48000:]).max() > 0.5  # it holds on: 1.0 keeps the sound for ever (common practice)


def test_moving_the_time_bends_the_pitch_like_tape() -> None:
    """Common practice: the pitch changes by the rate at which the delay changes, here 0.5 s per s at most."""
    seconds = 0.5
    times = np.full(round((1 + seconds) * RATE), 0.5)
    times[48000:] = 0.1
    out = Rig("delay", time_s=0.5, feedback=0, dry=0, wet=1).run(
        len(times), audio=tone(400, 1 + seconds), time_s=times
    )["out"]
    piece = out[50000 : 50000 + 16384]
    spectrum = np.abs(np.fft.rfft(piece * np.hanning(len(piece))))
    assert spectrum.argmax() * RATE / len(piece) == pytest.approx(600, abs=4)


def test_fractional_delay_is_clean() -> None:
    out = Rig("delay", span=0, short_s=0.0100104, feedback=0, dry=0, wet=1).run(48000, audio=tone(1000, 1.0))["out"]
    expected = np.sin(2 * np.pi * 1000 * (np.arange(48000) / RATE - 0.0100104))
    assert np.abs(out[2000:] - expected[2000:]).max() < 2e-3


def test_constant_power_panning() -> None:
    # Textbook: -3.01 dB in the middle, sum of squares constant
    sound = np.ones(640)
    for angle in (-90.0, -24.0, 0.0, 44.0, 90.0):
        out = Rig("output", level_db=0, angle_deg=angle).run(640, audio=sound)
        assert out["left"][-1] ** 2 + out["right"][-1] ** 2 == pytest.approx(1.0, abs=1e-8)
    middle = Rig("output", level_db=0, angle_deg=0).run(64, audio=sound)["left"][-1]
    assert 20 * np.log10(middle) == pytest.approx(-3.01, abs=0.001)
    left = Rig("output", level_db=-6, angle_deg=-90).run(64, audio=sound)
    assert left["left"][-1] == pytest.approx(10 ** (-6 / 20))
    assert abs(left["right"][-1]) < 1e-9
    assert Rig("output", level_db=-96).run(64, audio=sound)["left"][-1] == 0
