"""Distance, air, direction; loudness sample by sample."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import signal

from dunefall.dsp.loudness import LOUDNESS_SIZE, loudness_of
from dunefall.dsp.meter import STATE_SIZE, k_weighting, measure, short_term_lufs
from dunefall.dsp.oversampling import oversampler
from dunefall.dsp.place import AIR_DB_PER_M, AIR_POLES, air_share, falloff_gain, pan_gains
from rig import tone


@pytest.mark.parametrize("distance", [1.0, 2.0, 4.0, 16.0, 40.0])
def test_each_doubling_takes_as_much(distance: float) -> None:
    assert 20 * math.log10(falloff_gain(distance, 6.0)) == pytest.approx(-6.0 * math.log2(distance), abs=1e-9)
    assert falloff_gain(0.3, 6.0) == 1.0


def absorbed_db_per_m(hz: np.ndarray) -> np.ndarray:
    """ISO 9613-1, equations 3 to 5, at 20 degrees Celsius, 50 % humidity and one atmosphere (from memory)."""
    kelvin = 293.15
    vapour = 50.0 * 10 ** (-6.8346 * (273.16 / kelvin) ** 1.261 + 4.6151)
    oxygen = 24 + 4.04e4 * vapour * (0.02 + vapour) / (0.391 + vapour)
    nitrogen = 9 + 280 * vapour
    relaxing = 0.01275 * np.exp(-2239.1 / kelvin) / (oxygen + hz**2 / oxygen)
    relaxing += 0.1068 * np.exp(-3352.0 / kelvin) / (nitrogen + hz**2 / nitrogen)
    return np.asarray(8.686 * hz**2 * (1.84e-11 + relaxing))


@pytest.mark.parametrize("rate", [44100.0, 48000.0, 96000.0])
@pytest.mark.parametrize("distance", [5.0, 20.0, 40.0, 60.0])
def test_the_air_takes_what_it_should_up_to_10_khz(rate: float, distance: float) -> None:
    """Within 1 dB of ISO 9613-1, by ``scipy.signal.freqz``; at 8 kHz the standard's own figure, 105 dB/km."""
    hz = np.arange(100.0, 10_001.0, 50.0)
    share = air_share(distance, 1.0, rate)
    _, response = signal.freqz([share], [1.0, share - 1.0], worN=hz, fs=rate)
    lost = -20 * AIR_POLES * np.log10(np.abs(response))
    assert np.abs(lost - absorbed_db_per_m(hz) * distance).max() < 1.0
    assert absorbed_db_per_m(np.array([8000.0]))[0] == pytest.approx(AIR_DB_PER_M, abs=1e-4)


def test_near_by_the_air_takes_nothing() -> None:
    assert air_share(0.0, 1.0, 48000.0) == 1.0


def test_behind_sounds_as_ahead_from_two_loudspeakers() -> None:
    for angle in (10.0, 60.0, -35.0):
        assert pan_gains(180.0 - angle) == pytest.approx(pan_gains(angle), abs=1e-9)


@pytest.mark.parametrize("rate", [44100.0, 48000.0, 96000.0])
def test_a_layer_s_loudness_agrees_with_the_meter(rate: float) -> None:
    """BS.1770 twice: sample by sample in a kernel, and the output's meter."""
    generator = np.random.default_rng(7)
    left = tone(400, 4.0, rate=rate, level=0.2) + 0.02 * generator.normal(size=round(4 * rate))
    right = tone(1500, 4.0, rate=rate, level=0.1)
    memory, power = np.zeros(LOUDNESS_SIZE), 0.0
    for a, b in zip(left, right, strict=True):
        power = loudness_of(a, b, memory, 0, rate)
    state = np.zeros(STATE_SIZE)
    measure(np.stack([left, right], axis=1), state, k_weighting(rate), oversampler(), round(rate / 100),
            np.ones(2), np.zeros(2))  # fmt: skip
    assert 10 * math.log10(power) == pytest.approx(short_term_lufs(state), abs=0.02)
