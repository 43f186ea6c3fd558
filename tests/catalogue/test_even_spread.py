"""Even spread."""

from __future__ import annotations

import numpy as np

from dunefall.dsp.triggers import spread_evenly
from rig import Rig, rises, ticks


def test_even_rhythms_are_the_published_ones() -> None:
    """Toussaint 2005: E(3,8), E(5,8), E(5,12) as printed; the others as necklaces by their gaps."""

    def word(hits: int, steps: int) -> str:
        return "".join("x" if hit else "." for hit in spread_evenly(hits, steps))

    assert word(3, 8) == "x..x..x."
    assert word(5, 8) == "x.xx.xx."
    assert word(5, 12) == "x..x.x..x.x."
    assert word(5, 16) == "x..x..x..x..x..."
    assert word(7, 12) == "x.xx.x.xx.x."
    for hits in range(1, 33):
        for steps in range(hits, 65):
            places = np.flatnonzero(spread_evenly(hits, steps))
            gaps = np.diff(np.r_[places, places[0] + steps])
            assert len(places) == hits
            assert gaps.max() - gaps.min() <= 1  # as even as can be (definition)


def test_even_spread_plays_its_rhythm() -> None:
    out = Rig("even-spread", hits=5, steps=8, rotation=2, accents=1).run(16 * 40, trigger=ticks(16, 40))
    expected = np.roll([True, False, True, True, False, True, True, False], 2)
    for name, steps in (("out", expected), ("rest", ~expected)):
        assert (rises(out[name]) == 40 * np.flatnonzero(np.tile(steps, 2))).all(), name
    assert (rises(out["accent"]) == 40 * np.array([2, 10])).all()  # the first hit of the pattern


def test_more_hits_than_steps_are_all_steps() -> None:
    out = Rig("even-spread", hits=64, steps=3).run(9 * 40, trigger=ticks(9, 40))["out"]
    assert len(rises(out)) == 9
