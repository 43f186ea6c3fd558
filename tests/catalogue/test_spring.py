"""Spring."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from measuring import decay_s, struck
from rig import RATE

ALONE = {"dry": 0.0, "wet": 1.0}


def test_in_a_spring_high_partials_come_later() -> None:
    """Abel et al. 2006: the first echo is a chirp that the all-passes smear."""
    response = struck("spring", 0.2, splash=0.9, width=0)[0]

    def arrival(low: float, high: float) -> float:
        band = signal.sosfiltfilt(signal.butter(2, [low, high], "bandpass", fs=RATE, output="sos"), response)[:3600]
        return float(np.argmax(np.abs(band))) / RATE

    assert arrival(3400, 4200) > arrival(300, 600) + 0.001


@pytest.mark.parametrize("seconds", [0.5, 2.8, 10.0])
@pytest.mark.parametrize("splash", [0.0, 0.8])
def test_a_spring_falls_in_its_decay(seconds: float, splash: float) -> None:
    """RT60 within 15 % in the octaves from 125 Hz to 4 kHz (ISO 3382-1)."""
    response = struck("spring", min(1.2 * seconds, 8.0) + 0.5, decay_s=seconds, splash=splash)[0]
    for hz in (125, 250, 500, 1000, 2000, 4000):
        assert decay_s(response, hz) == pytest.approx(seconds, rel=0.15), hz
