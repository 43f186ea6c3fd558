"""Checkpoints."""

from __future__ import annotations

import numpy as np

from dunefall.engine.checkpoints import MOST, Checkpoints, Room
from dunefall.patch.take import Take
from dunefall.render.performance import Performance
from rig import demo


def test_checkpoints_spread_over_the_take() -> None:
    """Evenly spaced, twice as far apart when there is no more room; the nearest one before a sample is given."""
    performance = Performance(Take(demo()))
    player, kept = performance.player, Checkpoints(4800.0)  # as if at a tenth of the rate: one every 0.2 s
    kept.begin(Room(player.program, ()))
    while player.position < 75 * 9600:
        kept.maintain()
        kept.offer(player)
        player.fill(np.zeros((640, 2)))
    places = sorted({c.position for at in range(0, 75 * 9600, 3200) if (c := kept.nearest(at))})
    assert 16 <= len(places) <= MOST
    assert places[0] == 0
    gaps = np.diff(places)
    assert gaps.max() <= 3 * gaps.min() <= 120_000
    assert kept.nearest(places[3] + 10).position == places[3]
    kept.forget_after(places[2])
    assert kept.nearest(1 << 40).position == places[2]
    kept.forget()
    assert kept.nearest(1 << 40) is None
