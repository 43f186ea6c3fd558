"""What a sound is like, in numbers: how bright, dense, loud, high, long, noisy, wide and rough it is.

Frames are those that are common in music analysis: 2,048 samples under a Hann window, a quarter apart, the first
centred on the first sample; centroid and flatness of a frame are defined as there (Peeters 2004, "A large set of audio
features for sound description", from memory). Roughness is the share of the envelopes' fluctuation between 30 and
150 Hz, where it is heard as such (Zwicker and Fastl, "Psychoacoustics", from memory).
"""

from __future__ import annotations

from dataclasses import astuple, dataclass
from functools import cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.loudness import loudness_of
from dunefall.analysis.pitch import fundamental_hz

__all__ = [
    "Descriptors",
    "audible_difference_db",
    "density_in_octaves",
    "described",
    "frame_centroids_hz",
    "frame_flatness",
    "most_onsets_per_s",
    "onset_times_s",
    "spectra",
]

SIZE, HOP = 2048, 512
FLOOR = 1e-10
"""Least power of a frame's part, as is common."""
QUIET_DB = -60.0
"""Frames so far below the loudest do not count."""
BANDS, LOWEST_HZ, HIGHEST_HZ = 24, 60.0, 16_000.0
RISE_DB, RISE_FRAMES, WAIT_S = 3.0, 3, 0.06
"""An onset: so many dB in the mean of all bands above what was so many frames ago, and none so soon after another."""
FALL_DB, LEAST_FALL_DB = 20.0, 6.0
PITCH_EVERY_S, LEAST_VOICED = 0.1, 0.1
FINE_SIZE, FINE_HOP, FINE_BANDS = 256, 64, 8
ROUGH_HZ = (30.0, 150.0)
NARROWEST_DB = -60.0
LONG_SIZE, LONG_HOP = 8192, 4096
NEAR_BINS, PEAK = 32, 8.0
"""A peak is so many times as high as the median of so many bins; of noise one bin in 250 is."""

Power = NDArray[np.float64]


@dataclass(frozen=True)
class Descriptors:
    """Of one sound; what cannot be told is not a number.

    Attributes
    ----------
    brightness_hz : float
        Mean spectral centroid, louder frames counting more.
    onsets_per_s : float
        How many sounds begin in a second.
    lufs : float
        Integrated loudness; -120 of silence.
    pitch_note : float
        Median of the MIDI notes, where at least a tenth of the frames has one.
    decay_s : float
        Median time in which a sound falls by 60 dB after it began.
    flatness : float [0, 1]
        Mean spectral flatness of the frames that count: 0 for a tone, near 1 for white noise.
    noisiness : float [0, 1]
        Share of the power that stands in no spectral peak.
    width_db : float
        Power of the sides against that of the middle; -60 of what is mono.
    roughness : float [0, 1]
        Share of the envelopes' fluctuation from 30 to 150 Hz.
    """

    brightness_hz: float
    onsets_per_s: float
    lufs: float
    pitch_note: float
    decay_s: float
    flatness: float
    noisiness: float
    width_db: float
    roughness: float

    @property
    def scaled(self) -> NDArray[np.float64]:
        """All of them in steps that are heard alike: octaves, dB, semitones, shares in dB."""
        bright, onsets, lufs, note, decay, _, noisy, width, rough = astuple(self)
        return np.array([
            np.log2(max(bright, 1.0)), density_in_octaves(onsets), lufs, note, np.log2(max(decay, 1e-3)),
            10.0 * np.log10(max(noisy, 1e-6)), width, 20.0 * np.log10(max(rough, 1e-3)),
        ])  # fmt: skip


def density_in_octaves(onsets_per_s: float) -> float:
    """The density of onsets as an ear compares it, where none and hardly any are nearly the same.

    Parameters
    ----------
    onsets_per_s : float [0, inf)
        Onsets in a second.

    Returns
    -------
    float
    """
    return float(np.log2(onsets_per_s + 0.1))


def spectra(sound: NDArray[np.float64], size: int = SIZE, hop: int = HOP) -> Power:
    """Magnitudes of a mono sound's frames.

    Parameters
    ----------
    sound : ndarray [shape=(n,)]
        Samples.
    size, hop : int
        Length of a frame, and how far they are apart.

    Returns
    -------
    ndarray [shape=(frames, size // 2 + 1)]
    """
    padded = np.pad(sound, size // 2)
    frames = np.lib.stride_tricks.sliding_window_view(padded, size)[::hop]
    window = 0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(size) / size)
    return np.asarray(np.abs(np.fft.rfft(frames * window, axis=1)))


def frame_centroids_hz(magnitudes: Power, rate: float) -> NDArray[np.float64]:
    """Spectral centroid of each frame; 0 of silence.

    Parameters
    ----------
    magnitudes : ndarray [shape=(frames, bins)]
        See ``spectra``.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    ndarray [shape=(frames,)]
    """
    hz = np.linspace(0.0, rate / 2.0, magnitudes.shape[1])
    return np.asarray(magnitudes @ hz / np.maximum(magnitudes.sum(axis=1), 1e-30))


def frame_flatness(magnitudes: Power) -> NDArray[np.float64]:
    """Spectral flatness of each frame: geometric against arithmetic mean of the power.

    Parameters
    ----------
    magnitudes : ndarray [shape=(frames, bins)]
        See ``spectra``.

    Returns
    -------
    ndarray [shape=(frames,)]
    """
    power = np.maximum(magnitudes**2, FLOOR)
    return np.asarray(np.exp(np.log(power).mean(axis=1)) / power.mean(axis=1))


def _noisiness(mono: NDArray[np.float64]) -> float:
    """Share of the power that stands in no peak: bins of long frames that are not far above what is usual near them."""
    power = spectra(mono, LONG_SIZE, LONG_HOP)[:, 1:] ** 2
    near = power[:, : power.shape[1] // NEAR_BINS * NEAR_BINS].reshape(len(power), -1, NEAR_BINS)
    peaks = near > PEAK * np.median(near, axis=2, keepdims=True)
    return float(near[~peaks].sum() / max(float(near.sum()), 1e-30))


@cache
def _bands(bins: int, count: int, rate: float) -> tuple[int, ...]:
    """First bin of each band, evenly spaced in octaves, and the end; every band has at least one."""
    edges = np.geomspace(LOWEST_HZ, min(HIGHEST_HZ, rate / 2.0), count + 1) / (rate / 2.0) * (bins - 1)
    firsts = [max(1, round(float(edges[0])))]
    for edge in edges[1:]:
        firsts.append(max(firsts[-1] + 1, round(float(edge))))
    return tuple(min(first, bins) for first in firsts)


def _in_bands(power: Power, count: int, rate: float) -> Power:
    edges = _bands(power.shape[1], count, rate)
    sums = np.concatenate([np.zeros((len(power), 1)), np.cumsum(power, axis=1)], axis=1)
    return np.asarray(np.diff(sums[:, list(edges)], axis=1))


def _wait_frames(rate: float) -> int:
    """So many frames after an onset there is none."""
    return max(1, round(WAIT_S * rate / HOP))


def most_onsets_per_s(rate: float) -> float:
    """So many onsets in a second are told apart at most.

    Parameters
    ----------
    rate : float
        Sample rate in Hz.

    Returns
    -------
    float
    """
    return rate / (HOP * (_wait_frames(rate) + 1))


def onset_times_s(magnitudes: Power, rate: float) -> NDArray[np.float64]:
    """When sounds begin: where the levels of the bands rise together.

    Parameters
    ----------
    magnitudes : ndarray [shape=(frames, bins)]
        See ``spectra``.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    ndarray [shape=(onsets,)]
        In seconds.
    """
    bands = _in_bands(magnitudes**2, BANDS, rate)
    if not bands.any():
        return np.zeros(0)
    level = 10.0 * np.log10(bands + bands.max() * 1e-6)
    padded = np.concatenate([np.full((RISE_FRAMES + 2, BANDS), level.min()), level])
    before = np.max([padded[k : k + len(level)] for k in range(3)], axis=0)
    rise = np.maximum(level - before, 0.0).mean(axis=1)
    wait = _wait_frames(rate)
    found: list[int] = []
    whole = len(rise) - SIZE // (2 * HOP) - 1  # in the last frames the sound ends, which is none of its own doing
    for k in np.flatnonzero(rise[:whole] >= RISE_DB):
        around = rise[max(0, k - wait) : k + wait + 1]
        if rise[k] == around.max() and (not found or k - found[-1] > wait):
            found.append(int(k))
    return np.asarray(found, float) * HOP / rate


def _decay_s(magnitudes: Power, onsets: NDArray[np.float64], rate: float) -> float:
    """Median time to -60 dB of what follows the onsets; not a number where nothing falls."""
    power = (magnitudes**2).sum(axis=1)
    level = 10.0 * np.log10(power + power.max(initial=0.0) * 1e-7 + 1e-30)
    begins = [*np.round(onsets * rate / HOP).astype(int), len(level)]
    times = []
    for first, last in pairwise(begins):
        course = level[first:last]
        if len(course) < 4:
            continue
        course = course[int(np.argmax(course)) :]
        low = np.flatnonzero(course <= course[0] - FALL_DB)
        end = int(low[0]) if len(low) else len(course) - 1
        fall = float(course[0] - course[end])
        if fall >= LEAST_FALL_DB and end > 0:
            times.append(60.0 / fall * end * HOP / rate)
    return float(np.median(times)) if times else float("nan")


def _pitch_note(mono: NDArray[np.float64], rate: float) -> float:
    """Median of the notes that are there every tenth of a second."""
    step, long = round(PITCH_EVERY_S * rate), round(0.12 * rate)
    found = [fundamental_hz(mono[max(0, end - long) : end], rate) for end in range(long, len(mono) + 1, step)]
    notes = [69.0 + 12.0 * float(np.log2(hz / 440.0)) for hz in found if hz is not None]
    return float(np.median(notes)) if found and len(notes) >= LEAST_VOICED * len(found) else float("nan")


def _roughness(mono: NDArray[np.float64], rate: float) -> float:
    envelopes = np.sqrt(_in_bands(spectra(mono, FINE_SIZE, FINE_HOP) ** 2, FINE_BANDS, rate))
    count = len(envelopes)
    if count < 64 or not envelopes.any():
        return 0.0
    window = np.hanning(count)[:, None]
    power = np.abs(np.fft.rfft((envelopes - envelopes.mean(axis=0)) * window, axis=0)) ** 2
    hz = np.fft.rfftfreq(count, FINE_HOP / rate)
    rough = power[(hz >= ROUGH_HZ[0]) & (hz <= ROUGH_HZ[1])].sum()
    whole = (np.abs((envelopes * window).sum(axis=0)) ** 2).sum() + power.sum()
    return float(np.sqrt(rough / max(whole, 1e-30)))


def _width_db(sound: NDArray[np.float64]) -> float:
    """Sides against the middle, of the first two channels."""
    if sound.shape[1] < 2:
        return NARROWEST_DB
    middle, side = sound[:, 0] + sound[:, 1], sound[:, 0] - sound[:, 1]
    both = float(middle @ middle), float(side @ side)
    if both[1] <= 0.0:
        return NARROWEST_DB
    return max(NARROWEST_DB, min(-NARROWEST_DB, 10.0 * float(np.log10(both[1] / max(both[0], 1e-30)))))


def described(sound: NDArray[np.float64], rate: float, magnitudes: Power | None = None) -> Descriptors:
    """All descriptors of a sound.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        Samples.
    rate : float
        Sample rate in Hz.
    magnitudes : ndarray [shape=(frames, bins)], optional
        ``spectra`` of the mean of its channels, where they are at hand.

    Returns
    -------
    Descriptors
    """
    mono = np.ascontiguousarray(sound.mean(axis=1))
    magnitudes = spectra(mono) if magnitudes is None else magnitudes
    power = (magnitudes**2).sum(axis=1)
    counts = power > power.max(initial=0.0) * 10.0 ** (QUIET_DB / 10.0)
    seconds = len(sound) / rate
    if not counts.any() or power.max() < FLOOR:
        nothing = float("nan")
        return Descriptors(nothing, 0.0, -120.0, nothing, nothing, nothing, nothing, NARROWEST_DB, 0.0)
    weights = np.sqrt(power[counts])
    onsets = onset_times_s(magnitudes, rate)
    return Descriptors(
        float(np.average(frame_centroids_hz(magnitudes[counts], rate), weights=weights)),
        len(onsets) / max(seconds, 1e-9), loudness_of(sound, round(rate)), _pitch_note(mono, rate),
        _decay_s(magnitudes, onsets, rate), float(np.average(frame_flatness(magnitudes[counts]), weights=weights)),
        _noisiness(mono), _width_db(sound), _roughness(mono, rate),
    )  # fmt: skip


def audible_difference_db(a: NDArray[np.float64], b: NDArray[np.float64], rate: float) -> float:
    """How far two sounds of one length are apart: the mean difference of their levels in each band and frame in which
    either is heard.

    Parameters
    ----------
    a, b : ndarray [shape=(n, channels)]
        Samples.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    float
        In dB; 0 where both are silent, and where they are the same.
    """
    channels = range(min(a.shape[1], b.shape[1]))
    bands = [
        np.concatenate([_in_bands(spectra(np.ascontiguousarray(x[:, c])) ** 2, BANDS, rate) for c in channels], axis=1)
        for x in (a, b)
    ]
    floor = max(band.max(initial=0.0) for band in bands) * 10.0 ** (QUIET_DB / 10.0)
    if floor <= FLOOR:
        return 0.0
    heard = (bands[0] > floor) | (bands[1] > floor)
    levels = [10.0 * np.log10(np.maximum(band, floor)) for band in bands]
    return float(np.abs(levels[0] - levels[1])[heard].mean())
