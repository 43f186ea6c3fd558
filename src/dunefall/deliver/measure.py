"""What a finished sound measures: loudness, peaks, silence, DC, mono loss.

Sources: ITU-R BS.1770-5 and EBU Tech 3341/3342 (``analysis.loudness``); true peaks by eight-fold oversampling
(``dsp.truepeak``). Works piece by piece, so that a sound may be longer than the memory.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from dunefall.analysis.loudness import ProgrammeLoudness
from dunefall.base.layouts import LAYOUTS
from dunefall.dsp.meter import k_weighting
from dunefall.dsp.truepeak import AROUND, HIGHEST_BETWEEN, highest

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


def _weighted(sound: Sound, rate: int) -> Iterator[Sound]:
    """The K-weighted sound in pieces [shape=(channels, n, samples of 100 ms)]."""
    step, channels, sections = round(rate / 10), sound.shape[1], k_sections(rate)
    state = np.zeros((len(sections), channels, 2))
    whole = len(sound) // step * step
    piece = PIECE // step * step
    for at in range(0, whole, piece):
        block = np.ascontiguousarray(sound[at : min(at + piece, whole)].T)
        weighted, state = signal.sosfilt(sections, block, zi=state)
        yield weighted.reshape(channels, -1, step)


def _energies(parts: Sound) -> NDArray[np.float64]:
    """Mean squares of each 100 ms, summed over the channels with their weights."""
    return np.asarray(np.einsum("kij,kij,k->i", parts, parts, _weights(len(parts))) / parts.shape[2])


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
    parts = _weighted(_lengthened(sound, rate), rate)
    return _programme(np.concatenate([_energies(part) for part in parts]))[0]


def true_peak(sound: Sound) -> float:
    """Highest true peak, linear.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.

    Returns
    -------
    float
    """
    peak = 0.0
    for begin in range(0, len(sound), PIECE):
        first, last = begin - AROUND, min(begin + PIECE, len(sound)) + AROUND
        piece = np.asarray(sound[max(0, first) : last])
        silence = (max(0, -first), max(0, last - len(sound)))
        peak = highest(np.pad(piece, (silence, (0, 0))), peak)
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
    found = [
        (_energies(part), _energies(part.mean(axis=0)[None])) for part in _weighted(_lengthened(sound, rate), rate)
    ]
    energies, folded = (np.concatenate(each) for each in zip(*found, strict=True))
    lufs, short, span = _programme(energies)
    first, last = edges(sound, 1e-3)
    seconds = len(sound) / rate
    pieces = (sound[at : at + PIECE] for at in range(0, len(sound), PIECE))
    sums = sum((np.ones(len(piece)) @ piece for piece in pieces), np.zeros(sound.shape[1]))
    loss = 0.0
    if sound.shape[1] > 1 and lufs > FLOOR_DB:
        both, mono = float(energies.sum()), float(folded.sum())
        loss = max(0.0, 10.0 * math.log10(both / (sound.shape[1] * max(mono, 1e-12 * both)))) if both > 0.0 else 0.0
    return Measures(
        seconds, lufs, short, span, _decibels(true_peak(sound)),
        _decibels(float(np.abs(sums).max(initial=0.0)) / max(len(sound), 1)),
        first / rate if last else seconds, (len(sound) - last) / rate if last else 0.0, loss,
    )  # fmt: skip


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
    places = np.unique(np.linspace(0, len(sound), columns, endpoint=False).astype(int))
    if not len(sound):
        return []
    lows = np.minimum(np.minimum.reduceat(sound, places).min(axis=1), 0.0)
    highs = np.maximum(np.maximum.reduceat(sound, places).max(axis=1), 0.0)
    return [[round(float(low), 4), round(float(high), 4)] for low, high in zip(lows, highs, strict=True)]
