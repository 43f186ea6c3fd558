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


def test_a_curve_that_is_moved_bends_what_follows_of_a_strike() -> None:
    """A curve that begins at 0 and is moved then is not the curve of 0."""
    trigger = np.zeros(9600)
    trigger[:480] = 1.0
    still, moved = Rig("envelope", kind=0, decay_s=0.2), Rig("envelope", kind=0, decay_s=0.2)
    flat = still.run(9600, trigger=trigger)["out"]
    bent = moved.run(9600, trigger=trigger, curve=np.where(np.arange(9600) < 64, 0.0, 1.0))["out"]
    assert np.abs(bent - flat).max() > 0.05
