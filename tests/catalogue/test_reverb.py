"""Reverb."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import signal
from scipy.special import erfc

from dunefall.dsp import network
from measuring import decay_s, struck
from rig import RATE, Rig, level_db

FLAT = {"bands": (1.0,) * 8}


ALONE = {"dry": 0.0, "wet": 1.0}


def echo_density(response: np.ndarray, at_s: float, window_s: float = 0.02) -> float:
    """Share of samples outside of the standard deviation, against that of Gaussian noise (Abel and Huang 2006)."""
    half = round(window_s * RATE / 2)
    piece = response[round(at_s * RATE) - half : round(at_s * RATE) + half]
    weights = np.hanning(len(piece))
    weights /= weights.sum()
    deviation = math.sqrt(float(weights @ piece**2))
    return float(weights @ (np.abs(piece) > deviation)) / float(erfc(1 / math.sqrt(2)))


@pytest.mark.parametrize(("seconds", "size"), [(0.1, 4.0), (0.5, 10.0), (2.0, 20.0), (10.0, 20.0), (60.0, 40.0)])
def test_the_set_time_is_the_measured_time(seconds: float, size: float) -> None:
    """Within 10 % in the octaves from 250 Hz to 4 kHz."""
    response = struck("reverb", min(seconds * 1.2, 35) + 0.5, FLAT, decay_s=seconds, size_m=size, motion=0)[0]
    for hz in (250, 500, 1000, 2000, 4000):
        assert decay_s(response, hz) == pytest.approx(seconds, rel=0.1), hz


def test_each_octave_has_its_own_time() -> None:
    bands = (1.5, 1.4, 1.25, 1.1, 1.0, 0.8, 0.6, 0.4)
    response = struck("reverb", 4.0, {"bands": bands}, decay_s=2.0, size_m=20, motion=0)[0]
    for hz, share in zip((250, 500, 1000, 2000, 4000), bands[2:7], strict=True):
        assert decay_s(response, hz) == pytest.approx(2.0 * share, rel=0.1), hz


@pytest.mark.parametrize("size", [40, 50, 60])
def test_a_large_room_is_dense_within_150_ms(size: float) -> None:
    """Up to the largest room that there is, in both channels."""
    for response in struck("reverb", 0.6, FLAT, decay_s=10, size_m=size, motion=0, predelay_s=0.0001, early=0.5):
        assert max(echo_density(response, at) for at in np.arange(0.05, 0.151, 0.005)) >= 0.9


def test_no_mode_stands_out_at_the_end_of_a_long_decay() -> None:
    """Below 12 dB above the mean of its third of an octave, 60 Hz to 8 kHz, 8 to 10 s after the strike."""
    response = struck("reverb", 10.0, FLAT, decay_s=10, size_m=40)[0]
    tail = response[round(8 * RATE) :] * np.hanning(round(2 * RATE))
    power = np.abs(np.fft.rfft(tail)) ** 2
    hz = np.fft.rfftfreq(len(tail), 1 / RATE)
    # the fluctuation of noise itself is taken off by means over 4 Hz
    smooth = np.convolve(power, np.ones(8) / 8, "same")
    for middle in 1000 * 2.0 ** (np.arange(-12, 10) / 3):
        band = (hz > middle / 2 ** (1 / 6)) & (hz < middle * 2 ** (1 / 6))
        assert 10 * np.log10(smooth[band].max() / power[band].mean()) < 12, middle


def test_frozen_a_room_neither_falls_nor_grows() -> None:
    rig = Rig("reverb", **ALONE, decay_s=3, drawn=FLAT)
    rig.run(48000, audio=np.random.default_rng(3).normal(size=48000) * 0.1)
    rig.program.set_base("m", "freeze", 1.0)
    rig.run(9600)
    first = level_db(rig.run(48000)["out"])
    rig.run(48000 * 20)
    assert level_db(rig.run(48000)["out"]) == pytest.approx(first, abs=0.5)


def test_the_table_of_section_gains_is_the_least_squares_solution() -> None:
    """Välimäki and Liski 2017, with ``scipy.signal.freqz`` for the sections' responses."""
    middles = np.array(network.BANDS)
    hz = np.sort(np.concatenate([middles, np.sqrt(middles[1:] * middles[:-1])]))

    def reach(band: int) -> np.ndarray:
        b0, b1, b2, a1, a2 = network.section(band, 2.0, 1 / 48000)
        return 20 * np.log10(np.abs(signal.freqz([b0, b1, b2], [1, a1, a2], worN=hz, fs=48000)[1])) / 2.0

    wanted = np.stack([np.interp(np.log(hz), np.log(middles), row) for row in np.eye(8)], axis=1)
    solved = np.linalg.lstsq(np.stack([reach(k) for k in range(8)], axis=1), wanted, rcond=None)[0]
    np.testing.assert_allclose(network.SOLVED, solved, atol=1e-4)


@pytest.mark.parametrize(("motion", "hz"), [(0.3, 0.4), (1.0, 0.4), (1.0, 4.0)])
def test_motion_takes_nothing_from_the_highest_octave(motion: float, hz: float) -> None:
    """8 kHz within 10 % of the set time, however its lines move."""
    response = struck("reverb", 6.0, FLAT, decay_s=10, size_m=20, motion=motion, motion_hz=hz)[0]
    assert decay_s(response, 8000) == pytest.approx(10, rel=0.1)


@pytest.mark.parametrize("hz", [440.0, 1000.0, 3000.0])
@pytest.mark.parametrize("motion_hz", [0.4, 4.0])
def test_motion_keeps_the_pitch(hz: float, motion_hz: float) -> None:
    """A tone that lasts is heard within 2 cents of itself: its mean frequency, weighed by its energy."""
    sound = 0.3 * np.sin(2 * np.pi * hz * np.arange(4 * 48000) / RATE)
    heard = Rig("reverb", **ALONE, motion=1, motion_hz=motion_hz, watched=("out",)).run(len(sound), audio=sound)["out"]
    turning = signal.hilbert(heard[96000:])
    steps = np.diff(np.unwrap(np.angle(turning))) * RATE / (2 * np.pi)
    mean = np.average(steps, weights=np.abs(turning[1:]) ** 2)
    assert abs(1200 * np.log2(mean / hz)) < 2.0
