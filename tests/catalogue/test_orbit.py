"""Orbit."""

from __future__ import annotations

import numpy as np
import pytest

from rig import Rig


def test_an_orbit_of_a_quarter_is_a_circle() -> None:
    out = Rig("orbit", rate_hz=1.0, drift=0.0, ratio=1.0, phase_deg=90.0).run(48_000)
    np.testing.assert_allclose(np.hypot(out["x"], out["y"]), 1.0, atol=1e-9)
    np.testing.assert_allclose(out["radius"], 1 / np.sqrt(2), atol=1e-9)
    np.testing.assert_allclose(out["angle"] * np.pi, np.arctan2(out["y"], out["x"]), atol=1e-9)


def test_its_axes_can_be_two_other_movements() -> None:
    """Distance and angle of what is linked (Pythagoras; atan2)."""
    along, aside = np.full(64, 0.6), np.full(64, -0.3)
    found = Rig("orbit").run(64, along=along, aside=aside)
    assert found["x"][-1] == 0.6
    assert found["radius"][-1] == pytest.approx(np.hypot(0.6, 0.3) / np.sqrt(2))
    assert found["angle"][-1] == pytest.approx(np.arctan2(-0.3, 0.6) / np.pi)
