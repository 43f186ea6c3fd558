"""Burst."""

from __future__ import annotations

import numpy as np

from rig import Rig, pulses, rises


def test_a_bouncing_burst() -> None:
    """Gaps and levels are geometric series (definition): 4800, 3600, 2700, … samples and 1, 0.8, 0.64, …"""
    trigger = pulses([0.0], 1.0)
    out = Rig("burst", count=6, gap_s=0.1, acceleration=0.25, fall=0.2).run(48_000, trigger=trigger)
    hits = rises(out["out"])
    np.testing.assert_allclose(np.diff(hits), 4800 * 0.75 ** np.arange(5), atol=1.0)
    np.testing.assert_allclose(out["level"][hits], 0.8 ** np.arange(6), rtol=1e-12)
    assert rises(out["ended"])[0] == hits[-1]


def test_a_new_trigger_begins_a_burst_anew() -> None:
    out = Rig("burst", count=4, gap_s=0.1).run(48_000, trigger=pulses([0.0, 0.15], 1.0))["out"]
    assert len(rises(out)) == 2 + 4
