"""Master."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.dsp.equaliser import FLAT, HIGH, LOW, MIDDLE, band_levels_db
from measuring import cookbook
from rig import RATE

SECOND = round(RATE)


@pytest.mark.parametrize(("kind", "name"), [(LOW, "low"), (MIDDLE, "peak"), (HIGH, "high")])
@pytest.mark.parametrize("db", [-12.0, 9.0])
def test_the_master_s_curve_is_the_cookbook(kind: int, name: str, db: float) -> None:
    q = 1.3 if kind == MIDDLE else FLAT
    drawn = band_levels_db(kind, 900.0, db, q, np.arange(20.0, 20000.0), RATE)
    np.testing.assert_allclose(drawn, 20 * np.log10(cookbook(name, 900.0, db, q)[20:20000]), atol=0.01)
