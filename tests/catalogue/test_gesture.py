"""Gesture: a movement that is repeated, on a line or round a circle."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig

QUARTERS = (0.0, 0.5, 1.0, -0.5)
"""Ahead, right, behind, left, in half turns."""


def test_an_angle_keeps_turning_the_shorter_way_round() -> None:
    """Four quarters in four seconds: unwrapped, a quarter turn a second without a step back (definition)."""
    rig = Rig("gesture", length_s=4.0, smooth_s=0.0005, turning=1.0, drawn={"path_x": QUARTERS, "path_y": (0.0,) * 4})
    out = rig.run(round(12 * RATE))["x"]
    assert (np.abs(out) <= 1.0).all()
    angle = np.unwrap(out * np.pi) / (2 * np.pi)
    steps = np.diff(angle[round(RATE) :])
    assert steps.min() > 0
    assert angle[-1] - angle[round(RATE)] == pytest.approx(11 / 4, abs=0.01)


def test_a_line_goes_back_through_its_middle() -> None:
    rig = Rig("gesture", length_s=4.0, smooth_s=0.0005, drawn={"path_x": QUARTERS, "path_y": (0.0,) * 4})
    out = rig.run(round(4 * RATE))["x"]
    assert np.abs(np.diff(out)).max() < 0.01, "no jump"
    at = np.arange(8) * 0.5
    wanted = np.interp(at, np.arange(5), [*QUARTERS, QUARTERS[0]])
    assert out[(at * RATE).astype(int) + 50] == pytest.approx(wanted, abs=0.01)


@pytest.mark.parametrize("mode", [1.0, 2.0])
def test_an_angle_stays_at_the_ends_of_an_open_path(mode: float) -> None:
    drawn = {"path_x": (0.75, -0.75), "path_y": (0.0, 0.0)}
    rig = Rig("gesture", length_s=1.0, smooth_s=0.0005, turning=1.0, mode=mode, drawn=drawn)
    out = rig.run(round(0.999 * RATE))["x"]
    assert out[100] == pytest.approx(0.75, abs=0.01)
    assert out[-1] == pytest.approx(-0.75, abs=0.01)
    assert np.abs(out).min() > 0.7, "behind, not through the front"
