"""The output meter against BS.1770, EBU Tech 3341 and pyloudnorm."""

from __future__ import annotations

import numpy as np
import pyloudnorm
import pytest
from numpy.typing import NDArray

from dunefall.dsp.meter import STATE_SIZE, k_weighting, measure, short_term_lufs
from dunefall.dsp.oversampling import oversampler


def metered(signal: NDArray[np.float64], rate: float = 48000.0) -> tuple[float, float]:
    """Short-term loudness at the end, and the highest true peak."""
    state = np.zeros(STATE_SIZE)
    weights, phases, true = k_weighting(rate), oversampler(), 0.0
    for start in range(0, len(signal), 512):
        block = np.ascontiguousarray(signal[start : start + 512])
        peak = measure(block, state, weights, phases, round(rate / 100), np.ones(2), np.zeros(2))
        true = max(true, peak)
    return short_term_lufs(state), true


def sine(hz: float, seconds: float, level: float, rate: float, channels: tuple[float, float] = (1, 1)) -> np.ndarray:
    wave = level * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate)
    return np.stack([wave * channels[0], wave * channels[1]], axis=1)


def test_coefficients_at_48_khz() -> None:
    # ITU-R BS.1770-5, tables 1 and 2 (from memory)
    weights = k_weighting(48000)
    expected = [
        [1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585],
        [1.0, -2.0, 1.0, -1.99004745483398, 0.99007225036621],
    ]
    np.testing.assert_allclose(weights, expected, atol=2e-6)


@pytest.mark.parametrize("rate", [44100.0, 48000.0, 96000.0])
def test_full_scale_sine_in_one_channel(rate: float) -> None:
    # ITU-R BS.1770: 997 Hz at 0 dBFS in one channel reads -3.01 LKFS
    lufs, _ = metered(sine(997, 4, 1.0, rate, (1, 0)), rate)
    assert lufs == pytest.approx(-3.01, abs=0.05)


def test_stereo_sine_at_minus_23() -> None:
    # EBU Tech 3341 case 1 (from memory): -23.0 +- 0.1 LUFS
    lufs, _ = metered(sine(1000, 5, 10 ** (-23 / 20), 48000))
    assert lufs == pytest.approx(-23.0, abs=0.1)


def test_against_pyloudnorm() -> None:
    noise = np.random.default_rng(3).normal(size=(48000 * 3, 2)) * 0.05
    lufs, _ = metered(noise)
    assert lufs == pytest.approx(pyloudnorm.Meter(48000).integrated_loudness(noise), abs=0.15)


@pytest.mark.parametrize(("level", "expected"), [(0.5, -6.0), (1.41, 3.0)])
def test_true_peak_between_samples(level: float, expected: float) -> None:
    # EBU Tech 3341 cases 16 and 19 (from memory): f_s/4 at 45 degrees; +0.2/-0.4 dB
    n = np.arange(48000)
    wave = level * np.sin(2 * np.pi * n / 4 + np.pi / 4)
    fade = np.clip(np.minimum(n, n[::-1]) / 2000, 0, 1)
    _, true = metered(np.stack([wave * fade, wave * fade], axis=1))
    assert -0.4 <= 20 * np.log10(true) - expected <= 0.2
