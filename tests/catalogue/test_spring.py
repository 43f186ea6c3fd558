"""Spring."""

from __future__ import annotations

import numpy as np
from scipy import signal

from measuring import struck
from rig import RATE

ALONE = {"dry": 0.0, "wet": 1.0}


def test_in_a_spring_high_partials_come_later() -> None:
    """Abel et al. 2006: the first echo is a chirp that the all-passes smear."""
    response = struck("spring", 0.2, splash=0.9, width=0)[0]

    def arrival(low: float, high: float) -> float:
        band = signal.sosfiltfilt(signal.butter(2, [low, high], "bandpass", fs=RATE, output="sos"), response)[:3600]
        return float(np.argmax(np.abs(band))) / RATE

    assert arrival(3400, 4200) > arrival(300, 600) + 0.001
