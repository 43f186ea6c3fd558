"""What a finished sound measures: loudness, peaks, silence, DC, mono loss.

Sources: ITU-R BS.1770-5 and EBU Tech 3341/3342 (``analysis.loudness``); true peaks by eight-fold oversampling with
``scipy.signal.resample_poly``. Works piece by piece, so that a sound may be longer than the memory.
"""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from dunefall.analysis.loudness import ProgrammeLoudness
from dunefall.base.layouts import LAYOUTS
from dunefall.dsp.meter import k_weighting

__all__ = ["Measures", "edges", "loudness_of", "measure", "picture", "true_peak"]

PIECE = 1 << 18
OVERSAMPLING, AROUND = 8, 64
HIGHEST_BETWEEN = 2.5
"""No peak between samples is higher than the samples around it by more than this."""
SHORTEST_S = 0.4
"""A sound shorter than one loudness block counts as if silence followed up to here (the project's own rule)."""
FLOOR_DB = -120.0
Sound = NDArray[np.float64]


@dataclass(frozen=True)
class Measures:
    """Figures of one file.

    Attributes
    ----------
    seconds : float
    lufs, short_term_lufs, range_lu : float
        Integrated loudness, the highest of three seconds, and the loudness range; -inf dB is given as -120.
    true_peak_db : float
        In dBTP.
    dc_db : float
        The largest mean of a channel, in dBFS.
    head_s, tail_s : float
        What is quieter than -60 dBFS at the start and at the end.
    mono_loss_lu : float
        What the sound loses in loudness when all channels are added up to one; 0 for mono.
    """

    seconds: float
    lufs: float
    short_term_lufs: float
    range_lu: float
    true_peak_db: float
    dc_db: float
    head_s: float
    tail_s: float
    mono_loss_lu: float

    def raw(self) -> dict[str, float]:
        """As a file has them, to a thousandth."""
        return {name: round(float(value), 3) for name, value in asdict(self).items()}


def _weights(channels: int) -> NDArray[np.float64]:
    layout = next((layout for layout in LAYOUTS if layout.channels == channels), None)
    return layout.weights if layout else np.ones(channels)


def _decibels(value: float) -> float:
    return max(20.0 * math.log10(value), FLOOR_DB) if value > 0.0 else FLOOR_DB


def _energies(sound: Sound | _Folded, rate: int) -> NDArray[np.float64]:
    """K-weighted mean squares of each 100 ms, summed over the channels."""
    step, weights = round(rate / 10), _weights(sound.shape[1])
    sections = np.array([[b0, b1, b2, 1.0, a1, a2] for b0, b1, b2, a1, a2 in k_weighting(rate)])
    state, found = np.zeros((len(sections), 2, sound.shape[1])), []
    whole = len(sound) // step * step
    piece = PIECE // step * step
    for at in range(0, whole, piece):
        block = np.asarray(sound[at : min(at + piece, whole)])
        weighted, state = signal.sosfilt(sections, block, axis=0, zi=state)
        found.append(np.einsum("ijk,k->i", weighted.reshape(-1, step, sound.shape[1]) ** 2, weights) / step)
    return np.concatenate(found) if found else np.zeros(0)


def _programme(sound: Sound, rate: int) -> tuple[float, float, float]:
    """Integrated loudness, highest of three seconds (or of what there is), range."""
    least = math.ceil(SHORTEST_S * rate)
    if len(sound) < least:
        sound = np.concatenate([sound, np.zeros((least - len(sound), sound.shape[1]))])
    energies = _energies(sound, rate)
    heard = ProgrammeLoudness()
    for energy in energies:
        heard.add(float(energy))
    window = min(30, len(energies))
    sums = np.convolve(energies, np.ones(window) / window, "valid")
    short = -0.691 + 10.0 * math.log10(max(float(sums.max()), 1e-15))
    return max(heard.integrated, FLOOR_DB), max(short, FLOOR_DB), heard.range_lu


def loudness_of(sound: Sound, rate: int) -> float:
    """Integrated loudness in LUFS, -120 of silence.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.
    rate : int
        Sample rate in Hz.

    Returns
    -------
    float
    """
    return _programme(sound, rate)[0]


def true_peak(sound: Sound) -> float:
    """Highest true peak, linear; pieces that cannot hold it are not oversampled.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.

    Returns
    -------
    float
    """
    piece, tops = 1 << 13, []
    for at in range(0, len(sound), piece):
        tops.append((float(np.abs(sound[at : at + piece]).max(initial=0.0)), at))
    peak = 0.0
    for top, at in sorted(tops, reverse=True):
        if top * HIGHEST_BETWEEN <= peak:
            break
        begin = max(0, at - AROUND)
        block = np.asarray(sound[begin : at + piece + AROUND])
        peak = max(peak, float(np.abs(signal.resample_poly(block, OVERSAMPLING, 1, axis=0)).max()), top)
    return peak


def edges(sound: Sound, level: float) -> tuple[int, int]:
    """First sample that is louder than a level, and the one behind the last; (0, 0) where none is.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.
    level : float
        Linear.

    Returns
    -------
    (int, int)
    """
    first, last = -1, 0
    for at in range(0, len(sound), PIECE):
        loud = np.flatnonzero(np.abs(sound[at : at + PIECE]).max(axis=1) > level)
        if len(loud):
            first = at + int(loud[0]) if first < 0 else first
            last = at + int(loud[-1]) + 1
    return max(first, 0), last


def measure(sound: Sound, rate: int) -> Measures:
    """All figures of a sound.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound as it is in the file.
    rate : int
        Sample rate in Hz.

    Returns
    -------
    Measures
    """
    lufs, short, span = _programme(sound, rate)
    first, last = edges(sound, 1e-3)
    seconds = len(sound) / rate
    sums = sum((sound[at : at + PIECE].sum(axis=0) for at in range(0, len(sound), PIECE)), np.zeros(sound.shape[1]))
    loss = 0.0
    if sound.shape[1] > 1 and lufs > FLOOR_DB:
        both = _energies(sound, rate)
        mono = _energies(_Folded(sound), rate)
        if len(both) and both.sum() > 0.0:
            loss = max(
                0.0,
                10.0 * math.log10(both.sum() / (sound.shape[1] * max(float(mono.sum()), 1e-12 * float(both.sum())))),
            )
    return Measures(
        seconds, lufs, short, span, _decibels(true_peak(sound)),
        _decibels(float(np.abs(sums).max(initial=0.0)) / max(len(sound), 1)),
        first / rate if last else seconds, (len(sound) - last) / rate if last else 0.0, loss,
    )  # fmt: skip


class _Folded:
    """A sound as one channel, the mean of all, made as it is read."""

    def __init__(self, sound: Sound) -> None:
        self._sound = sound
        self.shape = (len(sound), 1)

    def __len__(self) -> int:
        return len(self._sound)

    def __getitem__(self, place: slice) -> Sound:
        return np.asarray(self._sound[place].mean(axis=1, keepdims=True))


def picture(sound: Sound, columns: int = 120) -> list[list[float]]:
    """Lowest and highest sample of each column of a small waveform.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.
    columns : int
        How many.

    Returns
    -------
    list of [float, float]
    """
    places = np.linspace(0, len(sound), columns + 1).astype(int)
    pieces = [np.asarray(sound[a : max(b, a + 1)]) for a, b in pairwise(places.tolist())]
    return [[round(float(p.min(initial=0.0)), 4), round(float(p.max(initial=0.0)), 4)] for p in pieces]
