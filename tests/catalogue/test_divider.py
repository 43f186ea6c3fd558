"""Divider."""

from __future__ import annotations

import numpy as np

from rig import Rig, rises, ticks


def test_divider_counts_and_begins_where_it_is_told() -> None:
    """Definition: every n-th trigger from the first one on; an offset of k begins k triggers earlier."""
    out = Rig("divider", by_a=3, by_b=64, by_c=1).run(200 * 40, trigger=ticks(200, 40))
    assert (rises(out["a"]) == 40 * np.arange(0, 200, 3)).all()
    assert (rises(out["b"]) == 40 * np.arange(0, 200, 64)).all()
    assert (rises(out["c"]) == 40 * np.arange(200)).all()
    late = Rig("divider", by_a=3, offset=1).run(12 * 40, trigger=ticks(12, 40))
    assert (rises(late["a"]) == 40 * np.arange(2, 12, 3)).all()


def test_divider_reset_begins_anew() -> None:
    reset = np.zeros(12 * 40)
    reset[200:210] = 1.0  # together with the trigger number 5
    out = Rig("divider", by_a=4).run(12 * 40, trigger=ticks(12, 40), reset=reset)
    assert (rises(out["a"]) == 40 * np.array([0, 4, 5, 9])).all()
