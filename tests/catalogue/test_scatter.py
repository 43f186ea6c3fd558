"""Scatter."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from rig import RATE, Rig, rises


@pytest.mark.parametrize("density", [20.0, 60.0])
def test_scatter_is_poisson(density: float) -> None:
    """Gaps are exponential: Kolmogorov-Smirnov, p > 0.01 at a fixed seed; mean within 3 % (scipy.stats)."""
    seconds = 4000 / density
    out = Rig("scatter", density_hz=density, length_s=0.0005, seed=4).run(round(seconds * RATE))["out"]
    gaps = np.diff(rises(out)) / RATE
    assert stats.kstest(gaps, stats.expon(scale=1 / density).cdf).pvalue > 0.01
    assert gaps.mean() == pytest.approx(1 / density, rel=0.03)
    assert abs(stats.spearmanr(gaps[:-1], gaps[1:]).statistic) < 0.05  # one gap says nothing of the next


def test_scatter_keeps_its_smallest_gap() -> None:
    out = Rig("scatter", density_hz=50, gap_s=0.02, length_s=0.001).run(20 * 48_000)["out"]
    gaps = np.diff(rises(out))
    assert gaps.min() >= 960
    assert gaps.mean() == pytest.approx(48_000 * (0.02 + 1 / 50), rel=0.05)
