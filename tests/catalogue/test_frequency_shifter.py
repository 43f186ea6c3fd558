"""Frequency shifter."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, tone

SECOND = round(RATE)


@pytest.mark.parametrize("hz", [60, 1000, 9000])
def test_frequency_shifter_leaves_one_side(hz: int) -> None:
    """Single-sideband modulation (textbook): all of a sine at f + shift, the other side at least 60 dB down."""
    for port, goes in (("up", hz + 37), ("down", hz - 37)):
        out = Rig("frequency-shifter", shift_hz=37).run(2 * SECOND, audio=tone(hz, 2))[port][SECOND:]
        amplitudes = 2 * np.abs(np.fft.rfft(out)) / SECOND
        assert amplitudes[goes] == pytest.approx(1.0, abs=2e-3)
        amplitudes[goes] = 0.0
        assert 20 * np.log10(amplitudes.max()) < -60
