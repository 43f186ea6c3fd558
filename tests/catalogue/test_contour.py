"""Contour."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, pulses

POINTS = {"heights": (0.2, 1.0, 0.6), "times": (0.0, 0.5, 0.5), "bends": (0.0, 0.0, 0.0)}


def test_it_waits_at_its_first_point_and_ends_at_its_last() -> None:
    out = Rig("contour", length_s=0.2, drawn=POINTS).run(48000, trigger=pulses([0.5], 1.0))["out"]
    assert out[0] == out[round(0.49 * RATE)] == pytest.approx(0.2)
    assert out[round(0.6 * RATE)] == pytest.approx(1.0, abs=0.01)
    assert out[-1] == pytest.approx(0.6)


def test_started_anew_after_its_end_it_does_not_jump() -> None:
    """It went back to its first point within a sample."""
    out = Rig("contour", length_s=0.2, drawn=POINTS).run(48000, trigger=pulses([0.1, 0.5], 1.0))["out"]
    steepest = 0.8 / (0.1 * RATE)
    assert np.abs(np.diff(out)).max() <= steepest * 1.01
    assert out[round(0.6 * RATE)] == pytest.approx(1.0, abs=0.01)
