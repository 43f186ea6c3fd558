"""Saturation and following, against their formulas."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.dsp import saturation


def test_saturation_is_transparent_then_bounded() -> None:
    assert saturation.saturate(0.9, 1.0) == 0.9
    x = np.linspace(-1e6, 1e6, 10001)
    y = np.array([saturation.saturate(v, 1.0) for v in x])
    assert np.abs(y).max() < 2.0
    assert (np.diff(y) > 0).all()
    slopes = [(saturation.saturate(1.0 + h, 1.0) - saturation.saturate(1.0, 1.0)) / h for h in (-1e-6, 1e-6)]
    assert abs(slopes[0] - slopes[1]) < 1e-5  # no corner at the knee


@pytest.mark.parametrize("height", [0.4, 3.0])
def test_a_row_is_bent_as_its_samples_are(height: float) -> None:
    row = height * np.sin(np.arange(64.0))
    bent = row.copy()
    saturation.saturate_row(bent, 0.5)
    np.testing.assert_array_equal(bent, [saturation.saturate(x, 0.5) for x in row])
    np.testing.assert_array_equal(bent, [saturation.saturate_rarely(x, 0.5) for x in row])
    assert (bent == row).all() == (height <= 0.5)
