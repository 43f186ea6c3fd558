"""Band split."""

from __future__ import annotations

import numpy as np
import pytest

from measuring import impulse_of_shaping, response_db
from rig import RATE, Rig

SECOND = round(RATE)


def test_band_split_is_6_db_down_at_the_split_and_adds_up_flat() -> None:
    """Linkwitz and Riley 1976: -6.02 dB in both parts, their sum flat within 0.1 dB."""
    parts = Rig("band-split", split_hz=800).run(SECOND, audio=impulse_of_shaping())
    low, high = response_db(parts["low"]), response_db(parts["high"])
    assert low[800] == pytest.approx(-6.02, abs=0.02)
    assert high[800] == pytest.approx(-6.02, abs=0.02)
    assert low[3200] < -46
    assert high[200] < -46
    assert np.abs(response_db(parts["low"] + parts["high"])[20:20000]).max() < 0.1
