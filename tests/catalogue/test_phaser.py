"""Phaser."""

from __future__ import annotations

import numpy as np
import pytest

from measuring import impulse_of_space
from rig import Rig


def test_the_phaser_has_a_notch_for_two_stages() -> None:
    """Two first-order all-passes turn the phase by half a cycle at their middle (Smith 1984)."""
    rig = Rig("phaser", stages=2, centre_hz=1000, depth_oct=0, feedback=0, dry=0.5, wet=0.5)
    response = np.abs(np.fft.rfft(rig.run(48000, audio=impulse_of_space(48000, level=1.0))["out"]))
    assert abs(int(np.argmin(response[100:5000])) + 100 - 1000) < 20
    assert 20 * np.log10(response[1000]) < -30
    assert 20 * np.log10(response[60]) == pytest.approx(0, abs=0.3)
