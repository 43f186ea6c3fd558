"""Phase-locked loop."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig

SECOND = round(RATE)


def square(hz: float, seconds: float) -> np.ndarray:
    return np.sign(np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE + 0.1))


def last_hz(wave: np.ndarray) -> float:
    """Mean frequency of a square wave's second half."""
    rises = np.flatnonzero((wave[:-1] < 0) & (wave[1:] > 0))
    rises = rises[rises > len(wave) // 2]
    return (len(rises) - 1) / (rises[-1] - rises[0]) * RATE


@pytest.mark.parametrize(("away", "locks"), [(-0.9, True), (0.5, True), (0.9, True), (1.2, False), (-1.2, False)])
def test_phase_locked_loop_locks_within_its_range(away: float, locks: bool) -> None:
    """Exclusive or, first order: the voltage goes from -1 to 1 over half a cycle, so the loop holds +- its range around
    the centre (Gardner; Best, from memory)."""
    rig = Rig("phase-locked-loop", centre_hz=400, range_hz=60, cutoff_hz=8000)
    hz = 400 + 60 * away
    out = rig.run(6 * SECOND, audio=square(hz, 6))["out"]
    assert (abs(last_hz(out) - hz) < 0.05) == locks


@pytest.mark.parametrize("detector", [0, 1, 2])
def test_every_detector_locks_and_says_so(detector: int) -> None:
    rig = Rig("phase-locked-loop", centre_hz=400, range_hz=100, cutoff_hz=15, detector=detector)
    outputs = rig.run(8 * SECOND, audio=square(430, 8))
    assert last_hz(outputs["out"]) == pytest.approx(430, abs=0.5)
    assert outputs["locked"][-SECOND:].mean() == 1.0
    assert outputs["voltage"][-SECOND:].mean() == pytest.approx(0.3, abs=0.02)
