"""Curve sequencer."""

from __future__ import annotations

from fractions import Fraction

import numpy as np

from dunefall.catalogue.repeats import repeat_of_patch
from dunefall.patch.model import Module
from measuring import row
from rig import Rig, patch_of, rises, ticks


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


def test_row_b_has_a_number_and_durations_of_its_own() -> None:
    """Rows of 3 and 2 steps of 0.1 s, the second ones twice as long in row b: together again after 1.2 s."""
    series = {"curves_a": row((0,)), "curves_b": row((0,)), "heights": (1.0, 0.5, 0.25) * 21 + (1.0,),
              "lengths_b": (1.0, 3.0) * 32}  # fmt: skip
    rig = Rig("curve-sequencer", sync=1, period_s=0.1, steps=3, apart=1, steps_b=2, drawn=series)
    out = rig.run(4 * 4800 * 12)
    np.testing.assert_allclose(rises(out["step"])[:6], 4800 * np.arange(6), atol=1)
    np.testing.assert_allclose(rises(out["step_b"])[:5], [0, 4800, 19_200, 24_000, 38_400], atol=1)
    np.testing.assert_array_equal(out["b"][[2000, 9000, 18_000, 20_000]], [1.0, 0.5, 0.5, 1.0])
    np.testing.assert_allclose(out["a"][57_700:110_000], out["a"][100:52_400], atol=1e-9)
    np.testing.assert_allclose(out["b"][57_700:110_000], out["b"][100:52_400], atol=1e-9)
    told = repeat_of_patch(patch_of(
        Module("c", "curve-sequencer", "Curves", {
            "sync": 1.0, "period_s": 0.1, "steps": 3.0, "apart": 1.0, "steps_b": 2.0}, series=dict(series)),
        Module("a-output", "output", "A"), links=(("c.out", "a-output.angle_deg", 1.0),),
    ))  # fmt: skip
    assert told.seconds == Fraction(6, 5)


def test_row_b_by_itself_at_a_clock() -> None:
    series = {"curves_a": row((0,)), "curves_b": row((0,)), "heights": (1.0, 0.5, 0.25) * 21 + (1.0,)}
    out = Rig("curve-sequencer", steps=3, apart=1, steps_b=2, drawn=series).run(12 * 200, clock=ticks(12, 200))
    np.testing.assert_array_equal(out["a"][100::200][:6], [1.0, 0.5, 0.25, 1.0, 0.5, 0.25])
    np.testing.assert_array_equal(out["b"][100::200][:6], [1.0, 0.5, 1.0, 0.5, 1.0, 0.5])
