"""Phaser."""

from __future__ import annotations

import numpy as np
import pytest

from measuring import impulse_of_space
from rig import RATE, Rig


def test_the_phaser_has_a_notch_for_two_stages() -> None:
    """Two first-order all-passes turn the phase by half a cycle at their middle (Smith 1984)."""
    rig = Rig("phaser", stages=2, centre_hz=1000, depth_oct=0, feedback=0, dry=0.5, wet=0.5)
    response = np.abs(np.fft.rfft(rig.run(48000, audio=impulse_of_space(48000, level=1.0))["out"]))
    assert abs(int(np.argmin(response[100:5000])) + 100 - 1000) < 20
    assert 20 * np.log10(response[1000]) < -30
    assert 20 * np.log10(response[60]) == pytest.approx(0, abs=0.3)


@pytest.mark.parametrize("feedback", [0.95, -0.95])
def test_moved_at_audio_rate_it_rings_out(feedback: float) -> None:
    """Its all-passes gained power from the movement: it went on at 1.9 after the sound had ended."""
    seconds = 3.0
    sound = np.random.default_rng(1).uniform(-1, 1, round(seconds * RATE))
    sound[round(RATE) :] = 0.0
    fast = 600.0 * 2.0 ** (2.0 * np.sin(2 * np.pi * 731.0 * np.arange(len(sound)) / RATE))
    out = Rig("phaser", stages=12, feedback=feedback, dry=0.0, wet=1.0).run(len(sound), audio=sound, centre_hz=fast)
    assert np.abs(out["out"]).max() < 20
    assert np.abs(out["out"][-round(RATE) :]).max() < 1e-4
