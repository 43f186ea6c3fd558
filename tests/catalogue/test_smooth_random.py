"""Smooth random."""

from __future__ import annotations

import numpy as np

from rig import RATE, Rig


def test_smooth_random_spans_and_is_smooth() -> None:
    out = Rig("smooth-random", rate_hz=20).run(round(120 * RATE))["out"]
    assert out.min() < -0.9
    assert out.max() > 0.9
    assert abs(out.mean()) < 0.1
    # A quintic between -1 and 1 rises by at most 15/8 of its way per period (closed form).
    assert np.abs(np.diff(out)).max() <= 2 * 15 / 8 * 20 / RATE * 1.001
    nodes = out[:: round(RATE / 20)]
    assert abs(np.corrcoef(nodes[:-1], nodes[1:])[0, 1]) < 0.1
