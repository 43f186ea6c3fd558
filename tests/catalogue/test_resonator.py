"""Three-band resonator."""

from __future__ import annotations

import numpy as np
import pytest

from measuring import response
from rig import RATE

SECOND = round(RATE)


def test_resonator_bands_have_gain_1_and_their_width() -> None:
    """Band-pass of quality Q: -3.01 dB at a distance of f / 2Q to each side (textbook)."""
    levels = response("resonator", a_hz=1000, b_level=0, c_level=0, resonance=0.5)
    damping = 2.0 * (0.0025 / 2.0) ** 0.5
    assert levels[1000] == pytest.approx(1.0, abs=1e-3)
    inside = np.flatnonzero(levels > np.sqrt(0.5))
    assert inside[-1] - inside[0] == pytest.approx(1000 * damping, abs=3)
