"""Grid sequencer."""

from __future__ import annotations

import numpy as np

from rig import Rig, rises, ticks


def test_grid_is_walked_by_two_clocks() -> None:
    """3 by 4 fields, clocks of 2 and 3: at time t it stands on column t/2 mod 3 of row t/3 mod 4 (arithmetic)."""
    notes = {"notes": tuple(float(k) for k in range(64)), "hits": (1.0,) * 64}
    rig = Rig("grid-sequencer", columns=3, rows=4, drawn=notes)
    out = rig.run(14_400, clock_x=ticks(72, 200), clock_y=ticks(48, 300))["out"]
    assert out[50::100].tolist() == [8.0 * (t // 3 % 4) + t // 2 % 3 for t in range(144)]


def test_grid_refuses_rests() -> None:
    hits = {"hits": (1.0, 0.0) * 32}
    out = Rig("grid-sequencer", columns=4, drawn=hits).run(8 * 400, clock_x=ticks(8, 400))
    assert (rises(out["gate"]) == 400 * np.arange(0, 8, 2)).all()
    assert (rises(out["refused"]) == 400 * np.arange(1, 8, 2)).all()
