"""Envelope."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, pulses


def test_envelope_times() -> None:
    out = Rig("envelope", attack_s=0.1, decay_s=0.5).run(48000, trigger=pulses([0.0], 1.0))["out"]
    top = int(out.argmax())
    assert out[top] == 1.0
    assert top / RATE == pytest.approx(0.1, rel=0.01)
    assert 20 * np.log10(out[top + round(0.5 * RATE)]) == pytest.approx(-60, abs=0.1)


def test_retriggered_envelope_does_not_jump() -> None:
    out = Rig("envelope", attack_s=0.02, decay_s=0.5).run(48000, trigger=pulses([0.0, 0.05, 0.07, 0.2], 1.0))["out"]
    fastest = 1.3 * np.log(1.3 / 0.3) / (0.02 * RATE)  # slope of the charging curve at its foot
    assert np.abs(np.diff(out)).max() <= fastest * 1.01
