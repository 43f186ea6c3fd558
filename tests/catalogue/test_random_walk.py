"""Random walk."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from rig import Rig, ticks


@pytest.mark.parametrize("step", [0.05, 0.4])
def test_a_walk_keeps_its_step_and_its_bounds(step: float) -> None:
    out = Rig("random-walk", step=step, elasticity=0.0, smooth=0.0, seed=9).run(6000 * 4, trigger=ticks(6000, 4))
    found = out["out"][3::4]
    assert np.abs(found).max() <= 1.0
    steps = np.diff(found)
    assert np.abs(steps).max() <= step + 1e-12
    inner = np.abs(found[:-1]) < 1.0 - step
    assert stats.kstest(steps[inner], stats.uniform(-step, 2 * step).cdf).pvalue > 0.01


def test_elasticity_draws_a_walk_back() -> None:
    """A first-order autoregression: its deviation is that of its steps by 1 / sqrt(1 - (1 - e)^2) (textbook)."""
    trigger = ticks(20_000, 4)
    out = Rig("random-walk", step=0.1, elasticity=0.2, smooth=0.0, seed=9).run(len(trigger), trigger=trigger)
    found = out["out"][3::4]
    assert found.std() == pytest.approx(0.1 / np.sqrt(3) / np.sqrt(1 - 0.8**2), rel=0.05)
