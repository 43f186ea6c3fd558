"""Flanger."""

from __future__ import annotations

import numpy as np
import pytest

from measuring import impulse_of_space
from rig import Rig, tone


def test_the_flanger_s_notches_are_those_of_its_delay() -> None:
    """A sound plus itself a time later: notches at odd multiples of half its inverse (textbook)."""
    rig = Rig("flanger", delay_s=0.001, depth=0, feedback=0, dry=0.5, wet=0.5)
    response = np.abs(np.fft.rfft(rig.run(48000, audio=impulse_of_space(48000, level=1.0))["out"]))
    for hz in (500, 1500, 2500):
        assert response[hz] < 1e-3
    for hz in (1000, 2000):
        assert response[hz] == pytest.approx(1.0, abs=1e-3)


def test_through_the_middle_the_flanger_cancels_itself() -> None:
    rig = Rig("flanger", depth=0, feedback=0, through=1, dry=0.7, wet=-0.7)
    assert np.abs(rig.run(9600, audio=tone(330, 0.2))["out"][2000:]).max() < 1e-9
