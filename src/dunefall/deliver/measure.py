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

__all__ = [
    "Measures",
    "edges",
    "heights",
    "k_sections",
    "loudness_of",
    "measure",
    "picture",
    "surely_under",
    "true_peak",
]

PIECE = 1 << 18
OVERSAMPLING, PEAK_PIECE, AROUND = 8, 1 << 10, 16
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


_BETWEEN = signal.firwin(20 * OVERSAMPLING + 1, 1.0 / OVERSAMPLING, window=("kaiser", 5.0))
"""The filter that ``scipy.signal.resample_poly`` would design anew each time."""
HIGHEST_BETWEEN = max(float(np.abs(OVERSAMPLING * _BETWEEN[k::OVERSAMPLING]).sum()) for k in range(OVERSAMPLING))
"""No peak between samples is higher than the samples around it by more than this: the sum of the filter's steps."""


def heights(sound: Sound) -> NDArray[np.float64]:
    """The loudest channel of each frame.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.

    Returns
    -------
    ndarray [shape=(n,)]
    """
    found = np.abs(sound[:, 0])
    for channel in range(1, sound.shape[1]):
        np.maximum(found, np.abs(sound[:, channel]), out=found)
    return np.asarray(found)


def _weights(channels: int) -> NDArray[np.float64]:
    layout = next((layout for layout in LAYOUTS if layout.channels == channels), None)
    return layout.weights if layout else np.ones(channels)


def _decibels(value: float) -> float:
    return max(20.0 * math.log10(value), FLOOR_DB) if value > 0.0 else FLOOR_DB


def k_sections(rate: int) -> NDArray[np.float64]:
    """K-weighting (ITU-R BS.1770-5) as ``scipy.signal.sosfilt`` takes it.

    Parameters
    ----------
    rate : int
        Sample rate in Hz.

    Returns
    -------
    ndarray [shape=(sections, 6)]
    """
    return np.array([[b0, b1, b2, 1.0, a1, a2] for b0, b1, b2, a1, a2 in k_weighting(rate)])


def _energies(sound: Sound | _Folded, rate: int) -> NDArray[np.float64]:
    """K-weighted mean squares of each 100 ms, summed over the channels."""
    step, weights = round(rate / 10), _weights(sound.shape[1])
    sections = k_sections(rate)
    state, found = np.zeros((len(sections), 2, sound.shape[1])), []
    whole = len(sound) // step * step
    piece = PIECE // step * step
    for at in range(0, whole, piece):
        block = np.asarray(sound[at : min(at + piece, whole)])
        weighted, state = signal.sosfilt(sections, block, axis=0, zi=state)
        found.append(np.einsum("ijk,k->i", weighted.reshape(-1, step, sound.shape[1]) ** 2, weights) / step)
    return np.concatenate(found) if found else np.zeros(0)


def _lengthened(sound: Sound, rate: int) -> Sound:
    """A sound that is too short to be measured, with silence behind it."""
    least = math.ceil(SHORTEST_S * rate)
    if len(sound) >= least:
        return sound
    return np.concatenate([sound, np.zeros((least - len(sound), sound.shape[1]))])


def _programme(energies: NDArray[np.float64]) -> tuple[float, float, float]:
    """Integrated loudness, highest of three seconds (or of what there is), range."""
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
    return _programme(_energies(_lengthened(sound, rate), rate))[0]


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
    piece, tops = PEAK_PIECE, []
    for begin in range(0, len(sound), PIECE):
        high = heights(sound[begin : begin + PIECE])
        found = np.maximum.reduceat(high, np.arange(0, len(high), piece))
        tops += [(float(top), begin + piece * k) for k, top in enumerate(found)]
    peak = 0.0
    for top, at in sorted(tops, reverse=True):
        if top * HIGHEST_BETWEEN <= peak:
            break
        begin = max(0, at - AROUND)
        block = np.asarray(sound[begin : at + piece + AROUND])
        between = signal.resample_poly(block, OVERSAMPLING, 1, axis=0, window=_BETWEEN)  # type: ignore[call-overload]
        first = OVERSAMPLING * (at - begin)  # what the cut edges of the block ring is left out
        between = between[first : first + OVERSAMPLING * piece]
        peak = max(peak, float(np.abs(between).max()), top)
    return peak


def surely_under(sound: Sound, level: float) -> bool:
    """Whether no true peak can be above a level, told by the samples alone.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.
    level : float
        Linear.

    Returns
    -------
    bool
    """
    pieces = (sound[at : at + PIECE] for at in range(0, len(sound), PIECE))
    return max((float(np.abs(piece).max()) for piece in pieces), default=0.0) * HIGHEST_BETWEEN <= level


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
        loud = np.flatnonzero(heights(sound[at : at + PIECE]) > level)
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
    whole = _lengthened(sound, rate)
    energies = _energies(whole, rate)
    lufs, short, span = _programme(energies)
    first, last = edges(sound, 1e-3)
    seconds = len(sound) / rate
    sums = sum((sound[at : at + PIECE].sum(axis=0) for at in range(0, len(sound), PIECE)), np.zeros(sound.shape[1]))
    loss = 0.0
    if sound.shape[1] > 1 and lufs > FLOOR_DB:
        both, mono = float(energies.sum()), float(_energies(_Folded(whole), rate).sum())
        loss = max(0.0, 10.0 * math.log10(both / (sound.shape[1] * max(mono, 1e-12 * both)))) if both > 0.0 else 0.0
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
    pieces = [np.asarray(sound[a : max(b, a + 1)]).ravel() for a, b in pairwise(places.tolist())]
    return [[round(min(0.0, float(p.min())), 4), round(max(0.0, float(p.max())), 4)] for p in pieces if len(p)]
