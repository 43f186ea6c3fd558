"""Position."""

from __future__ import annotations

import math

import numpy as np
import pytest

from dunefall.dsp.place import pan_gains
from rig import RATE, Rig, level_db, tone


def test_pan_keeps_the_power() -> None:
    """Textbook: -3.01 dB in the middle, the sum of squares is constant."""
    for angle in range(-180, 181, 15):
        left, right = pan_gains(float(angle))
        assert left**2 + right**2 == pytest.approx(1.0, abs=1e-9)
    assert 20 * math.log10(pan_gains(0.0)[0]) == pytest.approx(-3.01, abs=0.01)
    assert pan_gains(90.0)[1] == pytest.approx(1.0, abs=1e-9)


def test_a_doubled_distance_takes_six_decibels() -> None:
    """Inverse distance law (textbook)."""
    sound = tone(200, 0.5)
    levels = [
        level_db(Rig("position", distance_m=far, air=0, early=0, doppler=0).run(24000, audio=sound)["out"][12000:])
        for far in (2.0, 4.0, 8.0)
    ]
    np.testing.assert_allclose(np.diff(levels), -6.02, atol=0.03)


def test_the_air_takes_the_heights() -> None:
    """0.105 dB per metre at 8 kHz (ISO 9613-1, 20 degrees, 50 %, from memory)."""

    def level(distance: float) -> float:
        rig = Rig("position", distance_m=distance, falloff_db=0, early=0, doppler=0)
        return level_db(rig.run(24000, audio=tone(8000, 0.5))["out"][9600:])

    near, far = level(0.3), level(60.0)
    assert far - near == pytest.approx(-0.105 * 60, abs=1.0)


def test_doppler_is_the_rate_of_change_of_the_way() -> None:
    """f (1 - v / c) for a source that goes away at v (textbook)."""
    seconds = np.arange(96000) / RATE
    distance = 5.0 + 17.15 * seconds  # a twentieth of the speed of sound
    out = Rig("position", air=0, falloff_db=0, early=0).run(96000, audio=tone(1000, 2.0), distance_m=distance)["out"]
    piece = out[48000 : 48000 + 32768] * np.hanning(32768)
    assert np.argmax(np.abs(np.fft.rfft(piece))) * RATE / 32768 == pytest.approx(950, abs=2)
