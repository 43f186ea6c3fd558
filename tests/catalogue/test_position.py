"""Position."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import signal

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


@pytest.mark.parametrize("v", [17.15, -17.15, -85.75])
@pytest.mark.parametrize("kind", ["position", "output"])
def test_doppler_is_that_of_a_source_that_moves(kind: str, v: float) -> None:
    """f c / (c + v) for a source that goes away at v, more where it comes nearer (textbook)."""
    seconds = np.arange(24000) / RATE
    distance = (5.0 if v > 0 else 48.0 if kind == "position" else 38.0) + v * np.minimum(seconds, 0.4)
    settings = {"air": 0, "falloff_db": 0, "early": 0} if kind == "position" else {"doppler": 1, "level_db": 0}
    port = "out" if kind == "position" else "left"
    out = Rig(kind, **settings, watched=(port,)).run(24000, audio=tone(1000, 0.5), distance_m=distance)[port]
    turning = signal.hilbert(out[9000:19000])[1000:-1000]
    found = np.diff(np.unwrap(np.angle(turning))).mean() * RATE / (2 * np.pi)
    assert found == pytest.approx(1000 * 343 / (343 + v), abs=1.0)
