"""Plate."""

from __future__ import annotations

import pytest

from measuring import decay_s, struck

ALONE = {"dry": 0.0, "wet": 1.0}


@pytest.mark.parametrize("seconds", [1.0, 4.0])
def test_a_plate_rings_as_long_as_set(seconds: float) -> None:
    response = struck("plate", seconds * 1.3 + 0.5, decay_s=seconds, damping_hz=20000, motion=0)[0]
    assert decay_s(response, 1000) == pytest.approx(seconds, rel=0.15)
