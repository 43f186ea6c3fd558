"""Equaliser."""

from __future__ import annotations

import numpy as np
import pytest

from measuring import cookbook, response
from rig import RATE, Rig

SECOND = round(RATE)


@pytest.mark.parametrize("gain_db", [-18.0, 9.0])
def test_equaliser_is_the_cookbook(gain_db: float) -> None:
    for kind, params, q in (
        ("low", {"low_hz": 150.0, "low_db": gain_db}, np.sqrt(0.5)),
        ("peak", {"a_hz": 700.0, "a_db": gain_db, "a_q": 2.0}, 2.0),
        ("peak", {"b_hz": 5000.0, "b_db": gain_db, "b_q": 0.7}, 0.7),
        ("high", {"high_hz": 6000.0, "high_db": gain_db}, np.sqrt(0.5)),
    ):
        hz = next(value for name, value in params.items() if name.endswith("hz"))
        difference = 20 * np.log10(response("equaliser", **params)[20:20000] / cookbook(kind, hz, gain_db, q)[20:20000])
        assert np.abs(difference).max() < 0.01, kind


def test_a_flat_equaliser_changes_nothing() -> None:
    noise = np.random.default_rng(1).normal(size=4800)
    np.testing.assert_allclose(Rig("equaliser").run(4800, audio=noise)["out"], noise, atol=1e-12)
