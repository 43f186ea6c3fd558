"""Multiplier."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from rig import Rig, rises


@pytest.mark.parametrize("factor", [2, 3, 7, 64])
def test_multiplier_never_drifts(factor: int) -> None:
    """Each tick within a sample of exact division of the gap before; over 300 triggers of 1000.5 samples on average."""
    places = np.floor(np.arange(300) * 1000.5).astype(int)
    trigger = np.zeros(places[-1] + 500)
    for place in places:
        trigger[place : place + 200] = 1.0
    out = rises(Rig("multiplier", factor=factor).run(len(trigger), trigger=trigger)["gate"])
    out = out[(out >= places[1]) & (out < places[-1])]
    exact = np.concatenate([a + np.arange(factor) * (a - b) / factor for b, a in pairwise(places[:-1])])
    assert len(out) == len(exact)
    assert np.abs(out - exact).max() <= 1.0


def test_a_slower_trigger_leaves_no_ticks_in_the_gap() -> None:
    trigger = np.zeros(30_000)
    for place in (0, 1000, 2000, 12_000):
        trigger[place : place + 100] = 1.0
    out = rises(Rig("multiplier", factor=4).run(30_000, trigger=trigger)["gate"])
    assert (out[(out > 2000) & (out < 12_000)] == [2250, 2500, 2750]).all()
