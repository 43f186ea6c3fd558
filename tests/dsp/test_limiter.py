"""The limiter: true peaks stay under the ceiling, quiet sound passes bit for bit."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal
from scipy.signal import resample_poly

from dunefall.dsp.limiter import CEILING_DB, Limiter
from dunefall.dsp.meter import STATE_SIZE, k_weighting, measure
from dunefall.dsp.oversampling import oversampler


def true_peak_db(sound: np.ndarray) -> float:
    """Peak after sixteen-fold oversampling by SciPy, an outside reference."""
    return float(20 * np.log10(np.abs(resample_poly(sound, 16, 1, axis=0)).max()))


def limited(sound: np.ndarray, rate: float = 48000.0, block: int = 512) -> np.ndarray:
    limiter, out = Limiter(rate), sound.copy()
    for at in range(0, len(out), block):
        limiter.process(out[at : at + block])
    return out


def test_what_is_not_too_loud_passes_bit_for_bit() -> None:
    sound = np.random.default_rng(1).uniform(-0.3, 0.3, (20000, 2))
    late = Limiter(48000.0).latency
    out = limited(sound)
    assert (out[late:] == sound[:-late]).all()
    assert (out[:late] == 0).all()


@pytest.mark.parametrize("rate", [44100.0, 48000.0, 96000.0])
@pytest.mark.parametrize("kind", ["sine between samples", "clicks", "loud noise", "bursts"])
def test_true_peaks_stay_under_the_ceiling(kind: str, rate: float) -> None:
    """At most 0.1 dB above: the four-fold estimate of BS.1770 itself reads up to 0.2 dB too low near half the rate."""
    generator = np.random.default_rng(3)
    n = np.arange(round(rate))
    if kind == "sine between samples":  # a quarter of the rate, 45 degrees off: samples at 0.71 of the peak
        sound = 3.0 * np.sin(np.pi / 2 * n + np.pi / 4)
    elif kind == "clicks":
        sound = np.where(generator.random(len(n)) < 0.001, 20.0, 0.01)
    elif kind == "loud noise":
        sound = 4.0 * generator.normal(size=len(n))
    else:
        sound = np.sin(2 * np.pi * 440 * n / rate) * np.where((n // (rate // 8)) % 2 == 0, 5.0, 0.1)
    out = limited(np.stack([sound, -0.5 * sound], axis=1), rate)
    assert true_peak_db(out) <= CEILING_DB + 0.1
    assert np.isfinite(out).all()


def test_both_sides_are_turned_down_alike_and_let_go_again() -> None:
    n = np.arange(144000)
    burst = np.where((n > 20000) & (n < 24000), 4.0, 0.25)
    sound = np.stack([burst * np.sin(n * 0.05), 0.5 * burst * np.sin(n * 0.05)], axis=1)
    out = limited(sound)
    np.testing.assert_allclose(out[:, 1], 0.5 * out[:, 0], atol=1e-12)
    late = Limiter(48000.0).latency
    assert (out[-20000:] == sound[-20000 - late : -late]).all()


def test_any_block_gives_the_same_and_the_reduction_is_told() -> None:
    sound = np.random.default_rng(2).normal(size=(9000, 2))
    assert (limited(sound, block=1) == limited(sound, block=4000)).all()
    limiter = Limiter(48000.0)
    lowest = min(limiter.process(sound[at : at + 100].copy()) for at in range(0, 9000, 100))
    assert 0.1 < lowest < 0.5
    limiter.reset()
    assert limiter.process(np.zeros((100, 2))) == 1.0


@pytest.mark.parametrize("rate", [44100.0, 48000.0, 96000.0])
@pytest.mark.parametrize("seed", range(4))
def test_noise_stays_under_the_ceiling_by_ideal_reconstruction(rate: float, seed: int) -> None:
    """Thirty-two-fold by Fourier transform (the sampling theorem itself), 12 dB too loud; and what the meter reads of
    it is at most half a decibel too low."""
    sound = np.random.default_rng(seed).normal(0, 1.4, (1 << 16, 2))
    limiter, state = Limiter(rate), np.zeros(STATE_SIZE)
    for at in range(0, len(sound), 512):
        limiter.process(sound[at : at + 512])
    sound *= signal.windows.tukey(len(sound), 0.05)[:, None]
    weights, phases = k_weighting(rate), oversampler()
    read = max(
        measure(sound[at : at + 512], state, weights, phases, round(rate / 100), np.ones(2), np.zeros(2))
        for at in range(0, len(sound), 512)
    )
    spectrum = np.fft.rfft(sound, axis=0)
    padded = np.zeros((len(sound) * 16 + 1, 2), complex)
    padded[: len(spectrum)] = spectrum
    ideal = 32 * np.abs(np.fft.irfft(padded, axis=0)).max()
    assert 20 * np.log10(ideal) <= -1.0
    assert 20 * np.log10(ideal / read) < 0.5
