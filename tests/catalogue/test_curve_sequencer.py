"""Curve sequencer."""

from __future__ import annotations

import numpy as np

from measuring import row
from rig import Rig, rises, ticks


def test_curve_sequencer_plays_its_curves() -> None:
    series = {"curves_a": row((1, 2)), "curves_b": row((0,)), "heights": row((1.0, 0.5)), "lengths": row((1.0, 2.0))}
    rig = Rig("curve-sequencer", sync=1, period_s=0.1, steps=2, drawn=series)
    out = rig.run(3 * 4800)
    np.testing.assert_allclose(out["a"][:4700], (np.arange(4700) + 1) / 4800, atol=2e-3)
    np.testing.assert_allclose(out["a"][4900:14_300], 0.5 * (1 - (np.arange(4900, 14_300) - 4800) / 9600), atol=2e-3)
    assert (rises(out["step"])[:2] - [0, 4799]).max() <= 1
    both = Rig("curve-sequencer", sync=1, period_s=0.1, steps=2, blend=0.5, drawn=series).run(4000)
    np.testing.assert_allclose(both["out"], 0.5 * (both["a"] + both["b"]), atol=1e-12)


def test_curve_sequencer_at_a_clock_both_ways() -> None:
    series = {"drawn_1": (0.0, 1.0), "curves_a": row((13,)), "heights": row((1.0,))}
    out = Rig("curve-sequencer", span=0, steps=4, drawn=series).run(10 * 200, clock=ticks(10, 200))["out"]
    np.testing.assert_allclose(out[1000:1190], -1 + 2 * np.arange(190) / 200, atol=0.02)


def test_unequal_durations_do_not_drift() -> None:
    """400 s of steps of 0.7 and 1.3 periods at a rate that divides neither: each pair lasts two periods (they were
    10 ms early at the end)."""
    lengths = (0.7, 1.3) * 32
    rig = Rig("curve-sequencer", rate=8000.0, sync=1, period_s=0.1234567, steps=2, drawn={"lengths": lengths})
    begins = np.flatnonzero(np.diff(rig.run(400 * 8000)["step"]) > 0) + 1
    pairs = begins[1::2] / 8000.0
    np.testing.assert_allclose(pairs, 0.2469134 * np.arange(1, len(pairs) + 1), atol=1.0 / 8000.0)
