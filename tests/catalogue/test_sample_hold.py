"""Sample & hold."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from rig import RATE, Rig, pulses


def test_track_and_hold() -> None:
    signal, gate = np.arange(400.0), np.r_[np.ones(100), np.zeros(100), np.ones(100), np.zeros(100)]
    out = Rig("sample-hold", mode=1).run(400, signal=signal, trigger=gate)["out"]
    assert (out[:100] == signal[:100]).all()
    assert (out[100:200] == 99).all()
    assert (out[300:] == 299).all()


def test_sample_and_hold_is_constant_between_triggers() -> None:
    trigger = pulses([0.1, 0.25, 0.7], 1.0)
    ramp = np.linspace(0, 1, 48000)
    out = Rig("sample-hold", linked=3).run(48000, signal=ramp, trigger=trigger)["out"]
    for a, b in ((4800, 12000), (12000, 33600), (33600, 48000)):
        assert (out[a:b] == ramp[a]).all()


def test_sample_and_hold_of_noise() -> None:
    """Definition: uniform values, and an autocorrelation that is a triangle of one period."""
    out = Rig("sample-hold", rate_hz=100).run(round(120 * RATE))["out"]
    values = out[240::480]
    assert stats.kstest(values, "uniform", args=(-1, 2)).pvalue > 0.01
    for share in (0.25, 0.5, 0.75):
        lag = round(480 * share)
        assert np.corrcoef(out[:-lag], out[lag:])[0, 1] == pytest.approx(1 - share, abs=0.05)
