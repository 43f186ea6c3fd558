"""Orbit."""

from __future__ import annotations

import numpy as np

from rig import Rig


def test_an_orbit_of_a_quarter_is_a_circle() -> None:
    out = Rig("orbit", rate_hz=1.0, drift=0.0, ratio=1.0, phase_deg=90.0).run(48_000)
    np.testing.assert_allclose(np.hypot(out["x"], out["y"]), 1.0, atol=1e-9)
    np.testing.assert_allclose(out["radius"], 1 / np.sqrt(2), atol=1e-9)
    np.testing.assert_allclose(out["angle"] * np.pi, np.arctan2(out["y"], out["x"]), atol=1e-9)
