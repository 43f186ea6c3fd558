"""Impulse."""

from __future__ import annotations

import numpy as np

from rig import RATE, Rig, pulses

SECOND = round(RATE)


def test_impulses_are_single_samples() -> None:
    clicks = Rig("impulse", rate_hz=480, level=1).run(SECOND)["out"]
    assert np.flatnonzero(clicks).tolist() == list(range(0, SECOND, 100))
    turned = Rig("impulse", rate_hz=480, level=1, alternate=1).run(SECOND)["out"]
    assert turned.sum() == 0.0
    by_hand = Rig("impulse", level=0.5).run(4800, trigger=pulses([0.01, 0.05], 0.1))["out"]
    assert np.flatnonzero(by_hand).tolist() == [480, 2400]
