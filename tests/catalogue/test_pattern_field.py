"""Pattern field."""

from __future__ import annotations

import numpy as np

from dunefall.catalogue.time.pattern_field import WEIGHTS
from rig import Rig, ticks


def test_pattern_field_is_its_patterns_and_what_lies_between() -> None:
    """At a corner the hits are the steps of that pattern whose weight is above one less the density; moving over the
    field changes few of them at a time."""

    def hits(x: float, y: float, density: float = 0.5) -> np.ndarray:
        rig = Rig("pattern-field", x=x, y=y, surprise=0, density_a=density)
        return rig.run(32 * 20, trigger=ticks(32, 20))["out_a"][::20] > 0.5

    np.testing.assert_array_equal(hits(0, 0), WEIGHTS[0, 0, 0] > 0.5)
    np.testing.assert_array_equal(hits(1, 1), WEIGHTS[3, 3, 0] > 0.5)
    changed = [np.sum(hits(x, 0.3) != hits(x + 0.02, 0.3)) for x in np.arange(0, 0.96, 0.06)]
    assert max(changed) <= 4
    counts = [hits(0.4, 0.6, density).sum() for density in (0.0, 0.3, 0.6, 0.9)]
    assert counts == sorted(counts)
    assert counts[0] == 0
