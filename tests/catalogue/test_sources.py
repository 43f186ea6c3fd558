"""Noise and oscillator against definitions and an additive reference."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from scipy import signal, stats

from rig import RATE, Rig, level_db

SLOPES = [("white", 0, 0.0), ("pink", 1, -3.01), ("red", 2, -6.02)]


@pytest.mark.parametrize(("name", "colour", "slope"), SLOPES)
@pytest.mark.parametrize("rate", [44100.0, 48000.0, 96000.0])
def test_noise_slopes(name: str, colour: int, slope: float, rate: float) -> None:
    # Definition; Welch estimate, 50 Hz to 15 kHz, +-0.3 dB per octave (CHECKS.md)
    noise = Rig("noise", rate=rate, colour=colour).run(round(60 * rate))["out"]
    frequencies, power = signal.welch(noise, rate, nperseg=16384)
    edges = 50 * 2 ** np.arange(0, np.log2(15000 / 50), 1 / 3)
    bands = [power[(frequencies >= a) & (frequencies < b)].mean() for a, b in pairwise(edges)]
    measured = np.polyfit(np.log2(edges[:-1]), 10 * np.log10(bands), 1)[0]
    assert measured == pytest.approx(slope, abs=0.3)


@pytest.mark.parametrize("colour", [0, 1, 2])
def test_all_colours_are_equally_strong(colour: int) -> None:
    noise = Rig("noise", colour=colour).run(round(60 * RATE))["out"]
    assert level_db(noise) == pytest.approx(-12.04, abs=1.0)  # RMS 0.25, as declared


def test_white_noise_is_uniform_and_independent() -> None:
    noise = Rig("noise", colour=0).run(40000)["out"]
    assert stats.kstest(noise, "uniform", args=(-np.sqrt(3) / 4, np.sqrt(3) / 2)).pvalue > 0.01
    assert abs(np.corrcoef(noise[:-1], noise[1:])[0, 1]) < 0.02
    other = Rig("noise", colour=0, seed=2).run(40000)["out"]
    assert abs(np.corrcoef(noise, other)[0, 1]) < 0.02


@pytest.mark.parametrize(("note", "hz"), [(60, 261.626), (69, 440.0), (33, 55.0)])
def test_oscillator_frequency(note: float, hz: float) -> None:
    # ISO 16:1975; MIDI 1.0
    wave = Rig("oscillator", pitch_note=note, level=1).run(round(4 * RATE))["out"]
    spectrum = np.abs(np.fft.rfft(wave * signal.windows.blackmanharris(len(wave))))
    k = int(spectrum.argmax())
    a, b, c = np.log(spectrum[k - 1 : k + 2])
    peak = (k + 0.5 * (a - c) / (a - 2 * b + c)) * RATE / len(wave)
    assert 1200 * abs(np.log2(peak / hz)) < 0.1  # cents


def test_sine_is_pure() -> None:
    wave = Rig("oscillator", pitch_note=69, level=1).run(round(RATE))["out"]
    phase = 440.0 * np.arange(len(wave)) / RATE
    assert np.abs(wave - np.sin(2 * np.pi * phase)).max() < 1e-6


def test_triangle_harmonics() -> None:
    # Fourier series of the triangle: 8/pi^2 / n^2, odd n
    wave = Rig("oscillator", pitch_note=45, shape=1, level=1).run(48000)["out"]
    spectrum = 2 * np.abs(np.fft.rfft(wave)) / len(wave)
    for n in (1, 3, 5, 7):
        assert spectrum[110 * n] == pytest.approx(8 / np.pi**2 / n**2, rel=0.005)
    assert spectrum[220] < 1e-4


@pytest.mark.parametrize("hz", [1000.0, 2500.0, 5000.0])
def test_triangle_aliasing(hz: float) -> None:
    """Every component that is no harmonic at least 60 dB below the fundamental up to 16 kHz (CHECKS.md)."""
    note = 69 + 12 * np.log2(hz * 1.0037 / 440)
    wave = Rig("oscillator", pitch_note=note, shape=1, level=1).run(1 << 16)["out"]
    window = signal.windows.blackmanharris(len(wave))
    spectrum = 20 * np.log10(np.abs(np.fft.rfft(wave * window)) + 1e-12)
    frequencies = np.fft.rfftfreq(len(wave), 1 / RATE)
    fundamental = spectrum.max()
    nearest = np.abs(frequencies / (hz * 1.0037) - np.round(frequencies / (hz * 1.0037))) * hz
    strangers = spectrum[(nearest > 8) & (frequencies < 16000) & (frequencies > 20)]
    assert strangers.max() < fundamental - 60
