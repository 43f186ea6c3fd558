"""Logic."""

from __future__ import annotations

import numpy as np
import pytest

from rig import Rig, ticks


@pytest.mark.parametrize(
    ("kind", "table"),
    [(0, "00010001"), (1, "01111111"), (2, "01101001"), (3, "10000000"), (4, "00010111")],
)
def test_logic(kind: int, table: str) -> None:
    """Truth tables of three gates, c slowest: and, or, exclusive or, not any, majority (definition)."""
    a, b, c = (np.tile(np.repeat([0.0, 1.0], 1 << k), 4 >> k) for k in range(3))
    out = Rig("logic", kind=kind).run(8, a=a, b=b, c=c)
    expected = np.array([float(x) for x in table])
    if kind == 0:
        expected = a * b * c
    np.testing.assert_array_equal(out["out"], expected)
    np.testing.assert_array_equal(out["inverse"], 1.0 - expected)


def test_logic_takes_only_what_is_linked_and_toggles() -> None:
    assert (Rig("logic", kind=0).run(8, a=np.ones(8))["out"] == 1.0).all()
    out = Rig("logic", kind=5).run(400, a=ticks(4, 100))["out"]
    assert [out[k] for k in (0, 99, 100, 200, 300)] == [1, 1, 0, 1, 0]
