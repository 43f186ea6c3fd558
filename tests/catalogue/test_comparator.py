"""Comparator."""

from __future__ import annotations

import numpy as np
import pytest

from rig import Rig, rises


def test_comparator_does_not_flutter() -> None:
    """A noisy ramp crosses a level once each way with hysteresis, many times without."""
    ramp = np.r_[np.linspace(-1, 1, 20_000), np.linspace(1, -1, 20_000)]
    noisy = ramp + np.random.default_rng(3).uniform(-0.04, 0.04, 40_000)
    steady = Rig("comparator", hysteresis=0.1).run(40_000, signal=noisy)
    assert len(rises(steady["above"])) == 1
    assert len(rises(Rig("comparator", hysteresis=0.0).run(40_000, signal=noisy)["above"])) > 10
    inside = Rig("comparator", hysteresis=0.0, window=1.0).run(40_000, signal=ramp)["inside"]
    assert inside.mean() == pytest.approx(0.5, abs=0.001)
