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


@pytest.mark.parametrize("detector", [0, 1, 2])
@pytest.mark.parametrize("cutoff_hz", [1.0, 12.0, 100.0, 8000.0])
@pytest.mark.parametrize("away", [-1.1, -0.95, 0.5, 0.95, 1.1])
def test_it_holds_what_its_range_says_and_says_when(detector: int, cutoff_hz: float, away: float) -> None:
    """A sound that glides from the centre away is held up to the range (hold range: Gardner; Best, from memory)."""
    rig = Rig("phase-locked-loop", centre_hz=400, range_hz=60, cutoff_hz=cutoff_hz, detector=detector)
    hz = 400 + 60 * away * np.clip(np.arange(7 * SECOND) / RATE - 1, 0, 4) / 4
    found = rig.run(7 * SECOND, audio=np.sign(np.sin(2 * np.pi * np.cumsum(hz) / RATE + 0.1)))
    holds = abs(away) < 1
    assert (abs(last_hz(found["out"][-SECOND:]) - hz[-1]) < 0.5) == holds
    assert found["locked"][-SECOND:].mean() == holds


@pytest.mark.parametrize("away", [-0.95, 0.95])
def test_the_frequency_detector_catches_all_of_the_range(away: float) -> None:
    rig = Rig("phase-locked-loop", centre_hz=400, range_hz=60, cutoff_hz=1.0, detector=2)
    found = rig.run(5 * SECOND, audio=square(400 + 60 * away, 5))
    assert last_hz(found["out"]) == pytest.approx(400 + 60 * away, abs=0.1)


def test_nothing_is_locked_to_silence_or_noise() -> None:
    for sound in (np.zeros(2 * SECOND), np.random.default_rng(1).normal(0, 0.3, 2 * SECOND)):
        assert Rig("phase-locked-loop").run(2 * SECOND, audio=sound)["locked"].max() == 0.0
