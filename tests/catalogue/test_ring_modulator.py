"""Ring modulator."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, tone

SECOND = round(RATE)


def test_ring_modulator_leaves_sum_and_difference_only() -> None:
    """cos a cos b = (cos(a - b) + cos(a + b)) / 2 (trigonometry)."""
    out = Rig("ring-modulator").run(SECOND, audio=tone(1000, 1), carrier=tone(300, 1))["out"]
    amplitudes = 2 * np.abs(np.fft.rfft(out)) / SECOND
    assert amplitudes[700] == pytest.approx(0.5, abs=1e-9)
    assert amplitudes[1300] == pytest.approx(0.5, abs=1e-9)
    amplitudes[[700, 1300]] = 0.0
    assert amplitudes.max() < 1e-9
    leaking = Rig("ring-modulator", leak=0.25).run(SECOND, audio=tone(1000, 1), carrier=tone(300, 1))["out"]
    assert 2 * np.abs(np.fft.rfft(leaking))[1000] / SECOND == pytest.approx(0.25, abs=1e-9)
