"""Filter."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal
from scipy.signal import bilinear, freqz

from measuring import impulse
from rig import RATE, Rig, tone

SECOND = round(RATE)
Q = 2.0
RESONANCE = (1.4142135623730951 - 1 / Q) / (1.4142135623730951 - 0.02)


def response(port: str, **params: float) -> np.ndarray:
    impulse = np.zeros(SECOND)
    impulse[0] = 1.0
    return np.abs(np.fft.rfft(Rig("filter", cutoff_hz=800, **params).run(SECOND, audio=impulse)[port]))


def analogue(kind: str) -> np.ndarray:
    """The second-order prototype through the bilinear transform with prewarping (scipy.signal.bilinear)."""
    w = 2 * RATE * np.tan(np.pi * 800 / RATE)
    bottom = [1, w / Q, w * w]
    top = {"low": [w * w], "band": [w / Q, 0], "high": [1, 0, 0], "notch": [1, 0, w * w], "peak": [-1, 0, w * w]}[kind]
    b, a = bilinear(top, bottom, RATE)
    return np.abs(freqz(b, a, worN=np.arange(SECOND // 2 + 1), fs=RATE)[1])


@pytest.mark.parametrize("kind", ["low", "band", "high", "notch", "peak"])
def test_every_form_is_the_bilinear_transform_of_its_prototype(kind: str) -> None:
    """Zavalishin 2018; at 24 dB it is the square of it."""
    wanted = analogue(kind)[10:23000]
    np.testing.assert_allclose(response(kind, resonance=RESONANCE)[10:23000], wanted, atol=2e-4)
    np.testing.assert_allclose(response(kind, resonance=RESONANCE, slope=1)[10:23000], wanted**2, atol=1e-3)


def test_morph_meets_every_form_and_lies_between_them() -> None:
    for form, kind in enumerate(("low", "band", "high", "notch", "peak")):
        np.testing.assert_allclose(response("morph", form=form), response(kind), atol=1e-9)
    noise = np.random.default_rng(1).normal(size=4800)
    rig = Rig("filter", cutoff_hz=800)
    out = rig.run(4800, audio=noise, form=np.full(4800, 0.25))
    np.testing.assert_allclose(out["morph"], 0.75 * out["low"] + 0.25 * out["band"], atol=1e-9)


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
