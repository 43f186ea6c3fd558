"""Pitch shifter."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, tone


@pytest.mark.parametrize("semitones", [-12.0, 7.0, 12.0])
def test_the_pitch_shifter_shifts_by_semitones(semitones: float) -> None:
    out = Rig("pitch-shifter", shift_st=semitones, window_s=0.1).run(96000, audio=tone(440, 2.0, level=0.5))["out"]
    spectrum = np.abs(np.fft.rfft(out[40000:90000] * np.hanning(50000)))
    assert np.argmax(spectrum) * RATE / 50000 == pytest.approx(440 * 2 ** (semitones / 12), rel=0.02)
