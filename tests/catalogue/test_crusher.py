"""Crusher."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig

SECOND = round(RATE)


def test_crusher_makes_the_noise_that_its_steps_must_make() -> None:
    """Bennett 1948: the error of a busy signal has the power q**2 / 12; triangular dither adds q**2 / 6 (Lipshitz et
    al. 1992)."""
    noise = np.random.default_rng(2).uniform(-0.9, 0.9, 2 * SECOND)
    step = 2.0 ** (1 - 6)
    for dither, power in ((0, step**2 / 12), (1, step**2 / 4)):
        crushed = Rig("crusher", bits=6, rate_hz=96000, dither=dither).run(len(noise), audio=noise)["out"]
        assert np.mean((crushed - noise) ** 2) == pytest.approx(power, rel=0.03)


def test_crusher_holds_for_the_period_of_its_rate() -> None:
    """At a sixth of the sample rate every value stands for six samples (definition)."""
    noise = np.random.default_rng(3).uniform(-0.9, 0.9, 6000)
    held = Rig("crusher", bits=24, rate_hz=RATE / 6).run(6000, audio=noise)["out"]
    np.testing.assert_allclose(held, np.repeat(noise[::6], 6), rtol=1e-14)
