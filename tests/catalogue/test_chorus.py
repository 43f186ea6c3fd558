"""Chorus."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, tone


def test_chorus_copies_sway_in_pitch() -> None:
    out = Rig("chorus", copies=1, width=0, dry=0, wet=1, depth_s=0.002, rate_hz=2).run(96000, audio=tone(1000, 2.0))[
        "out"
    ]
    phase = np.unwrap(np.angle(np.fft.ifft(np.fft.fft(out) * (np.arange(96000) < 48000) * 2)))
    hz = np.diff(phase[4000:-4000]) / (2 * np.pi) * RATE
    most = 1000 * 2 * np.pi * 2 * 0.002  # the rate at which the delay changes
    assert hz.max() == pytest.approx(1000 + most, rel=0.004)
    assert hz.min() == pytest.approx(1000 - most, rel=0.004)
