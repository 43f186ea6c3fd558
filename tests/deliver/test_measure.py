"""Measures against others: pyloudnorm, scipy's oversampling, and closed forms."""

from __future__ import annotations

import numpy as np
import pyloudnorm
import pytest
from scipy import signal

from dunefall.analysis.loudness import loudness_of
from dunefall.deliver.dither import dithered
from dunefall.deliver.levels import brought_to, fade, keep_under, limited
from dunefall.deliver.measure import PIECE, edges, measure, picture, surely_under, true_peak

RATE = 48000


def noise(seconds: float, level: float, seed: int = 1, channels: int = 2) -> np.ndarray:
    return level * np.random.default_rng(seed).standard_normal((round(seconds * RATE), channels))


def eight_fold(sound: np.ndarray) -> float:
    return float(20 * np.log10(np.abs(signal.resample_poly(sound, 8, 1, axis=0)).max()))


@pytest.mark.parametrize("seconds", [1.0, 7.3, 31.0])
def test_loudness_is_that_of_pyloudnorm(seconds: float) -> None:
    sound = noise(seconds, 0.1) * np.linspace(0.3, 1.0, round(seconds * RATE))[:, None]
    assert loudness_of(sound, RATE) == pytest.approx(pyloudnorm.Meter(RATE).integrated_loudness(sound), abs=0.1)


def test_true_peak_is_found_wherever_it_is() -> None:
    """A sine at a quarter of the rate, 45 degrees off the samples: its peaks lie 3.01 dB above them (closed form)."""
    n = np.arange(40_000)
    sound = 0.1 * np.ones((40_000, 1))
    sound[30_000:31_000, 0] = 0.7 * np.sin(np.pi / 2 * n[:1000] + np.pi / 4)
    assert 20 * np.log10(true_peak(sound)) == pytest.approx(20 * np.log10(0.7), abs=0.3)
    loud = noise(2, 0.2)
    assert 20 * np.log10(true_peak(loud)) == pytest.approx(eight_fold(loud), abs=1e-6)


def test_silence_dc_and_mono_loss() -> None:
    sound = noise(2, 0.1)
    sound[:4800] = 0
    sound[-9600:] = 0
    sound[:, 1] = -sound[:, 0]
    found = measure(sound, RATE)
    assert (found.head_s, found.tail_s) == pytest.approx((0.1, 0.2), abs=0.001)
    assert found.mono_loss_lu > 60
    assert measure(np.repeat(noise(2, 0.1, channels=1), 2, axis=1), RATE).mono_loss_lu == pytest.approx(0, abs=1e-6)
    assert measure(np.full((RATE, 1), 0.1), RATE).dc_db == pytest.approx(-20, abs=0.01)
    silent = measure(np.zeros((RATE, 2)), RATE)
    assert (silent.lufs, silent.true_peak_db, silent.head_s) == (-120.0, -120.0, 1.0)
    assert edges(sound, 1e-3)[0] >= 4800


def test_a_picture_holds_the_peaks() -> None:
    sound = np.zeros((1000, 1))
    sound[500] = 0.5
    shown = picture(sound, 10)
    assert len(shown) == 10
    assert shown[5] == [0.0, 0.5]


def test_a_target_is_reached_and_peaks_stay_under_theirs() -> None:
    """EBU R 128 (2014): -23 LUFS; here within 0.1 LU, and true peaks by eight-fold oversampling."""
    for level, lufs in ((0.01, -23.0), (0.3, -23.0), (0.05, -16.0)):
        sound = noise(6, level) * (1 + 4 * (np.arange(6 * RATE) % 9600 < 200))[:, None]
        reached = brought_to(sound, RATE, lufs, -1.0, True)
        assert not reached.missed
        assert pyloudnorm.Meter(RATE).integrated_loudness(sound) == pytest.approx(lufs, abs=0.1)
        assert eight_fold(sound) <= -1.0 + 0.01


def test_a_target_that_cannot_be_reached_is_told_and_nothing_is_cut() -> None:
    sound = noise(3, 0.001)
    sound[::24000] = 0.9
    untouched = sound.copy()
    reached = brought_to(sound, RATE, -12.0, -1.0, False)
    assert "dB over -1 dBTP, and the limiter is off" in reached.missed
    assert eight_fold(sound) <= -1.0
    assert np.allclose(sound / untouched, (sound / untouched)[0, 0])  # one gain for all: nothing was bent
    reached = brought_to(sound, RATE, -12.0, -1.0, True)
    assert "more than 6 dB" in reached.missed
    assert eight_fold(sound) <= -1.0 + 0.01
    assert brought_to(np.zeros((RATE, 2)), RATE, -20.0, -1.0, True).missed == "it is silent"


def test_what_is_under_the_peak_passes_bit_for_bit() -> None:
    sound = noise(1, 0.05)
    before = sound.copy()
    assert keep_under(sound, RATE, -1.0, True) == 0.0
    assert (sound == before).all()
    limited(sound, RATE, -1.0)
    assert (sound == before).all()


def test_a_limited_loop_has_no_step_at_its_seam() -> None:
    k = np.arange(RATE)
    sound = 2.0 * np.sin(2 * np.pi * 100 * k / RATE)[:, None]
    limited(sound, RATE, -1.0, around=True)
    around = np.concatenate([sound[-200:], sound[:200]])
    assert np.abs(np.diff(around, 2, axis=0)).max() < 1.5 * np.abs(np.diff(sound[2000:-2000], 2, axis=0)).max()
    assert eight_fold(np.concatenate([sound] * 2)) <= -0.95


def test_fades_begin_and_end_at_nothing_and_meet_where_there_is_no_room() -> None:
    sound = np.ones((RATE, 1))
    fade(sound, RATE, 0.1, 0.2)
    assert sound[0] == 0.0
    assert abs(sound[-1]) < 1e-12
    assert (sound[4800 : RATE - 9600] == 1.0).all()
    short = np.ones((100, 1))
    fade(short, RATE, 1.0, 1.0)
    assert np.isfinite(short).all()


def test_dither_has_no_dc_and_leaves_no_trace_of_the_sound() -> None:
    """TPDF (Lipshitz, Wannamaker, Vanderkooy 1992, from memory): error of mean 0 and variance 1/4 step squared,
    whatever lies between two steps."""
    for value in (0.0, 0.25, 0.5, 0.9):
        sound = np.full((200_000, 1), value / 32768)
        error = dithered(sound, 16, np.random.PCG64(3)).astype(float) - value
        assert error.mean() == pytest.approx(0.0, abs=0.01)
        assert error.var() == pytest.approx(0.25, abs=0.01)
    assert dithered(np.array([[2.0], [-2.0]]), 24, np.random.PCG64(1)).tolist() == [[2147483392], [-2147483648]]


def test_true_peak_is_that_of_the_whole_sound_oversampled_at_once() -> None:
    """``scipy.signal.resample_poly`` of all of it: what is left out, and where it is cut, changes nothing."""
    dice = np.random.default_rng(1)
    for _ in range(6):
        sound = dice.normal(0, 0.1, (50_000, 2)) * np.linspace(0.1, 1.0, 50_000)[:, None]
        whole = np.abs(signal.resample_poly(sound, 8, 1, axis=0)).max()
        assert true_peak(sound) == pytest.approx(whole, rel=1e-9)
        assert surely_under(sound, 2.3 * np.abs(sound).max())
        assert not surely_under(sound, 0.99 * whole)
    long = np.zeros((PIECE + 1000, 1))  # its peak lies between the last sample of a piece and the first of the next
    long[PIECE - 8 : PIECE + 8, 0] = np.sin(np.pi / 2 * np.arange(16) + np.pi / 4)
    assert true_peak(long) == pytest.approx(np.abs(signal.resample_poly(long, 8, 1, axis=0)).max(), rel=1e-9)
