"""What a finished sound measures: loudness, peaks, silence, DC, mono loss.

Sources: ITU-R BS.1770-5 and EBU Tech 3341/3342 (``analysis.loudness``); true peaks by eight-fold oversampling
(``dsp.truepeak``). Works piece by piece, so that a sound may be longer than the memory.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.loudness import FLOOR_DB, SHORT, energies_of, level_of_energy, programme_of
from dunefall.dsp.figures import extents, first_above, last_above
from dunefall.dsp.truepeak import AROUND, HIGHEST_BETWEEN, highest

__all__ = [
    "Measures",
    "edges",
    "heights",
    "measure",
    "picture",
    "surely_under",
    "true_peak",
]

PIECE = 1 << 18
COLUMNS_AT_ONCE = 12
"""A long sound is drawn from pieces of so many columns: it may be longer than the memory."""
Sound = NDArray[np.float64]


@dataclass(frozen=True)
class Measures:
    """Figures of one file.

    Attributes
    ----------
    seconds : float
    lufs, momentary_lufs, short_term_lufs, range_lu : float
        Integrated loudness, the highest of 400 ms and of three seconds, and the loudness range; -inf dB is given as
        -120.
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
    momentary_lufs: float
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


def _decibels(value: float) -> float:
    return max(20.0 * math.log10(value), FLOOR_DB) if value > 0.0 else FLOOR_DB


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
    starts = range(0, len(sound), PIECE)
    first = _found(first_above, sound, level, starts)
    return (first, _found(last_above, sound, level, reversed(starts)) + 1) if first >= 0 else (0, 0)


def _found(search: Callable[[Sound, float], int], sound: Sound, level: float, starts: Iterable[int]) -> int:
    """The first frame that a search finds in pieces that begin there, -1 for none."""
    for at in starts:
        here = search(np.ascontiguousarray(sound[at : at + PIECE]), level)
        if here >= 0:
            return at + here
    return -1


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
    energies, folded = energies_of(sound, rate)
    heard = programme_of(energies)
    loudest = heard.loudest_short if len(energies) >= SHORT else level_of_energy(float(energies.mean()))
    lufs, short, momentary = (max(level, FLOOR_DB) for level in (heard.integrated, loudest, heard.loudest_momentary))
    first, last = edges(sound, 1e-3)
    seconds = len(sound) / rate
    pieces = (sound[at : at + PIECE] for at in range(0, len(sound), PIECE))
    sums = sum((np.ones(len(piece)) @ piece for piece in pieces), np.zeros(sound.shape[1]))
    loss = 0.0
    if sound.shape[1] > 1 and lufs > FLOOR_DB:
        both, mono = float(energies.sum()), float(folded.sum())
        loss = max(0.0, 10.0 * math.log10(both / (sound.shape[1] * max(mono, 1e-12 * both)))) if both > 0.0 else 0.0
    return Measures(
        seconds, lufs, momentary, short, heard.range_lu, _decibels(true_peak(sound)),
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
    lows, highs = np.zeros(len(places)), np.zeros(len(places))
    for k in range(0, len(places), COLUMNS_AT_ONCE):
        ours = places[k : k + COLUMNS_AT_ONCE]
        end = places[k + len(ours)] if k + len(ours) < len(places) else len(sound)
        extents(np.ascontiguousarray(sound[ours[0] : end]), ours - ours[0], lows[k:], highs[k:])
    return [list(pair) for pair in np.round(np.stack([lows, highs], axis=1), 4).tolist()]
