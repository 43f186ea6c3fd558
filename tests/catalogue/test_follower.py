"""Follower."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig


def test_the_follower_rises_and_falls_in_its_times() -> None:
    """First-order detector (textbook): 99 % after the set time, for a rectified step."""
    step = np.r_[np.ones(9600), np.zeros(9600)]
    out = Rig("follower", rise_s=0.05, fall_s=0.1).run(19200, audio=step)["out"]
    assert out[round(0.05 * RATE)] == pytest.approx(0.99, abs=1e-3)
    assert out[9600 + round(0.1 * RATE)] == pytest.approx(0.01 * out[9599], abs=1e-3)
