"""Slew."""

from __future__ import annotations

import numpy as np
import pytest

from rig import Rig


@pytest.mark.parametrize("rate", [44100.0, 48000.0])
def test_slew_times(rate: float) -> None:
    step = np.r_[np.zeros(64), np.ones(round(rate)), np.zeros(round(rate))]
    out = Rig("slew", rate=rate, rise_s=0.13, fall_s=0.4).run(len(step), signal=step)["out"]
    assert out[64 + round(0.13 * rate)] == pytest.approx(0.99, abs=1e-3)
    assert out[64 + round(1.4 * rate)] == pytest.approx(0.01, abs=1e-3)
    tau = 0.13 / np.log(100)
    n = np.arange(1, 2000)
    np.testing.assert_allclose(out[64 : 64 + 1999], 1 - np.exp(-n / (tau * rate)), atol=1e-9)  # first-order step
