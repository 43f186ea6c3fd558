"""Waveshaper."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.catalogue.shape import waveshaper
from rig import RATE, Rig, level_db, tone

SECOND = round(RATE)


def strangers(sound: np.ndarray, hz: float) -> float:
    """Power of all that is no harmonic up to 16 kHz, in dB of the whole."""
    power = np.abs(np.fft.rfft(sound * np.blackman(len(sound)))) ** 2
    frequencies = np.fft.rfftfreq(len(sound), 1 / RATE)
    away = np.abs(frequencies / hz - np.round(frequencies / hz)) * hz
    return 10 * np.log10(power[(away > 30) & (frequencies > 50) & (frequencies < 16000)].sum() / power.sum())


@pytest.mark.parametrize("curve", range(7))
def test_waveshaper_aliases_at_least_20_db_less_than_the_bare_curve(curve: int) -> None:
    """1.2 kHz sine at strong drive (CHECKS.md; Parker et al. 2016)."""
    sine = tone(1203.7, 0.6)
    drawn = {"point_2": 0.5, "point_3": -0.8, "point_5": 0.9, "point_6": -0.4} if curve == 6 else {}
    out = Rig("waveshaper", curve=curve, drive_db=20, **drawn).run(len(sine), audio=sine)["out"]
    points = np.array([-1.0, -0.67, -0.33, 0.0, 0.33, 0.67, 1.0])
    for name, value in drawn.items():
        points[int(name[-1]) - 1] = value
    bare = np.array([waveshaper._one_value(curve, x, points) for x in 10 * sine])
    assert strangers(out[9600:], 1203.7) < strangers(bare[9600:] - bare[9600:].mean(), 1203.7) - 20


@pytest.mark.parametrize("curve", range(7))
def test_the_area_is_the_integral_of_the_curve(curve: int) -> None:
    """Trapezoidal rule (numpy) over a fine grid."""
    points = np.array([-0.9, 0.4, -0.2, 0.1, 0.8, -0.6, 0.5])
    x = np.linspace(-3, 3, 60001)
    value, area = (np.array([f(curve, v, points) for v in x]) for f in (waveshaper._one_value, waveshaper._one_area))
    summed = np.concatenate(([0.0], np.cumsum(0.5 * (value[1:] + value[:-1]) * np.diff(x))))
    np.testing.assert_allclose(area - area[0], summed, atol=1e-4)


def test_a_soft_sound_passes_the_waveshaper() -> None:
    quiet = tone(300, 0.5, level=0.001)
    out = Rig("waveshaper", curve=2, drive_db=0).run(len(quiet), audio=quiet)["out"]
    assert level_db(out[9600:]) == pytest.approx(level_db(quiet), abs=0.05)
    biased = Rig("waveshaper", curve=0, bias=0.5, drive_db=12).run(SECOND, audio=tone(300, 1.0))["out"]
    assert abs(biased[SECOND // 2 :].mean()) < 1e-3
    assert (Rig("waveshaper", bias=0.5).run(6400)["out"] == 0).all()
