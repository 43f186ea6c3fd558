"""Struck body."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import special
from scipy.optimize import brentq

from dunefall.catalogue.source.struck_body import BODIES
from measuring import spectrum_of
from rig import RATE, Rig, pulses

SECOND = round(RATE)


def test_bar_modes_are_the_roots_of_its_equation() -> None:
    """Free ends: cosh x cos x = 1, frequencies as x squared (Fletcher and Rossing; CHECKS.md)."""
    roots = [brentq(lambda x: math.cos(x) - 1 / math.cosh(x), (k + 0.5) * np.pi - 0.3, (k + 0.5) * np.pi + 0.3)
             for k in range(1, 11)]  # fmt: skip
    np.testing.assert_allclose(BODIES["bar"], (np.array(roots) / roots[0]) ** 2, rtol=1e-5)
    np.testing.assert_allclose(BODIES["bar"][:4], [1, 2.7565, 5.4039, 8.9330], rtol=1e-4)


def test_membrane_modes_are_bessel_zeros() -> None:
    """scipy.special.jn_zeros, in order (CHECKS.md)."""
    zeros = sorted(zero for order in range(16) for zero in special.jn_zeros(order, 8))
    np.testing.assert_allclose(BODIES["membrane"], np.array(zeros[:16]) / zeros[0], rtol=1e-8)


@pytest.mark.parametrize(("body", "name"), list(enumerate(BODIES)))
@pytest.mark.parametrize("rate", [44100.0, 96000.0])
def test_a_struck_body_rings_at_its_modes(body: int, name: str, rate: float) -> None:
    gate = pulses([0.01], 2.0, rate=rate)
    rig = Rig("struck-body", rate=rate, body=body, pitch_note=57, decay_s=30, material=0, hardness=1, place=0.13)
    spectrum = spectrum_of(rig.run(len(gate), trigger=gate)["out"][-round(rate) :])
    for ratio in BODIES[name][:5]:
        hz = round(220 * ratio)
        near = spectrum[hz - 12 : hz + 13]
        assert abs(int(near.argmax()) - 12 + hz - 220 * ratio) < 1.0, ratio
        assert near.max() > 0.003 * spectrum.max()


def test_a_struck_body_fades_as_told() -> None:
    """The first mode falls by 60 dB in the decay time (definition); twice the size rings twice as long, an octave
    lower."""
    for size in (1.0, 2.0):
        rig = Rig("struck-body", pitch_note=69, decay_s=1, material=1, size=size)
        out = rig.run(3 * SECOND, trigger=pulses([0.01], 3.0))["out"]
        level = [np.abs(np.sum(part * np.exp(-2j * np.pi * 440 / size * np.arange(4800) / RATE))) for part in
                 (out[9600:14400], out[33600:38400])]  # fmt: skip
        assert 20 * np.log10(level[1] / level[0]) == pytest.approx(-30 / size, abs=0.6)


def test_a_body_without_a_strike_is_silent_and_a_driven_one_rings() -> None:
    assert (Rig("struck-body").run(4800)["out"] == 0).all()
    noise = np.random.default_rng(1).normal(0, 0.2, SECOND)
    spectrum = spectrum_of(Rig("struck-body", pitch_note=69).run(SECOND, audio=noise)["out"])
    assert min(abs(int(spectrum.argmax()) - 440 * ratio) for ratio in BODIES["bar"]) < 4
    assert spectrum[430:450].max() > 10 * spectrum[600:1000].max()
