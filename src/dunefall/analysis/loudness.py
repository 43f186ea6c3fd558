"""Loudness of a whole programme: momentary, integrated, range.

Source: ITU-R BS.1770-5 (blocks of 400 ms every 100 ms, gates at -70 LUFS and 10 LU below the mean); EBU Tech 3342
(range: pieces of 3 s, gates at -70 LUFS and 20 LU below, 10th to 95th percentile).
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from dunefall.base.layouts import LAYOUTS
from dunefall.dsp.figures import FILTER_STATE, weigh
from dunefall.dsp.meter import STATE_SIZE, energies, k_weighting, measure
from dunefall.dsp.oversampling import TAPS, oversampler

__all__ = [
    "FLOOR_DB",
    "OFFSET",
    "SHORT",
    "ProgrammeLoudness",
    "Verdict",
    "energies_of",
    "judge",
    "level_of_energy",
    "loudness_of",
    "programme_of",
]

FLOOR_DB = -120.0
"""What silence is given as."""
SHORTEST_S = 0.4
"""A sound shorter than one loudness block counts as if silence followed up to here (the project's own rule)."""
PIECE = 1 << 18
"""Samples at a time: a sound may be longer than the memory."""

OFFSET = -0.691
GATE, RELATIVE, RANGE_GATE = -70.0, -10.0, -20.0
STEP, LOWEST, HIGHEST = 0.05, -70.0, 10.0
PIECES, MOMENTARY, SHORT = 10, 40, 300
"""Pieces of 10 ms: of a step of 100 ms, of a block of 400 ms, of 3 s."""


def level_of_energy(energy: float) -> float:
    """Loudness in LUFS of a K-weighted mean square, -inf for silence."""
    return OFFSET + 10 * math.log10(energy) if energy > 0 else -math.inf


class _Counts:
    """How often each loudness occurred, in steps of ``STEP``, with the energies that were summed; and the highest."""

    def __init__(self) -> None:
        size = round((HIGHEST - LOWEST) / STEP)
        self.count, self.energy = np.zeros(size), np.zeros(size)
        self.levels, self.loudest = LOWEST + STEP * (np.arange(size) + 0.5), -math.inf

    def add(self, energies: NDArray[np.float64], counted: NDArray[np.bool_]) -> None:
        """Take energies into account, of which some are counted."""
        self.loudest = max(self.loudest, level_of_energy(float(energies.max(initial=0.0))))
        energies = energies[counted]
        levels = OFFSET + 10 * np.log10(np.maximum(energies, 1e-30))
        loud = levels >= GATE
        places = np.minimum(((levels[loud] - LOWEST) / STEP).astype(int), len(self.count) - 1)
        np.add.at(self.count, places, 1.0)
        np.add.at(self.energy, places, energies[loud])

    def above(self, below_mean: float) -> NDArray[np.bool_] | None:
        """Steps that pass the gate so far below the mean of all; None where nothing was loud enough."""
        total = self.count.sum()
        if not total:
            return None
        return np.asarray(self.levels + STEP / 2 > level_of_energy(self.energy.sum() / total) + below_mean)


class ProgrammeLoudness:
    """Takes the energies of pieces of 10 ms, in order.

    Examples
    --------
    >>> heard = ProgrammeLoudness()
    >>> heard.add(np.full(1000, 0.01))
    >>> round(heard.integrated, 1), round(heard.range_lu, 1), round(heard.loudest_momentary, 1)
    (-20.7, 0.0, -20.7)
    """

    def __init__(self) -> None:
        self._last, self._count = np.zeros(0), 0
        self._blocks, self._pieces = _Counts(), _Counts()

    def add(self, energies: Sequence[float] | NDArray[np.float64]) -> None:
        """Take the next pieces into account.

        Parameters
        ----------
        energies : array_like [shape=(n,)]
            K-weighted mean square of each 10 ms, summed over the channels.
        """
        known = np.concatenate([self._last, np.asarray(energies, float)])
        sums = np.concatenate([[0.0], np.cumsum(known)])
        before = self._count - len(self._last)
        ends = np.arange(len(self._last) + 1, len(known) + 1)
        self._count += len(energies)
        for length, counts in ((MOMENTARY, self._blocks), (SHORT, self._pieces)):
            here = ends[ends >= length]
            means = np.maximum(sums[here] - sums[here - length], 0.0) / length
            counts.add(means, (before + here) % PIECES == 0)
        self._last = known[-SHORT:]

    @property
    def momentary(self) -> float:
        """Loudness of the last 400 ms in LUFS."""
        return level_of_energy(float(self._last[-MOMENTARY:].sum()) / MOMENTARY)

    @property
    def loudest_momentary(self) -> float:
        """Highest loudness of 400 ms so far, wherever they begin, in LUFS."""
        return self._blocks.loudest

    @property
    def loudest_short(self) -> float:
        """Highest loudness of 3 s so far, wherever they begin, in LUFS."""
        return self._pieces.loudest

    @property
    def integrated(self) -> float:
        """Loudness of everything so far in LUFS, -inf for silence."""
        passes = self._blocks.above(RELATIVE)
        if passes is None:
            return -math.inf
        return level_of_energy(float(self._blocks.energy[passes].sum() / max(self._blocks.count[passes].sum(), 1)))

    @property
    def range_lu(self) -> float:
        """Loudness range in LU."""
        passes = self._pieces.above(RANGE_GATE)
        if passes is None:
            return 0.0
        counts = np.cumsum(np.where(passes, self._pieces.count, 0.0))
        low, high = (int(np.searchsorted(counts, share * counts[-1])) for share in (0.10, 0.95))
        return float(self._pieces.levels[high] - self._pieces.levels[low])


class Verdict:
    """Loudness and true peak of a finished sound.

    Attributes
    ----------
    integrated, range_lu, true_peak_db : float
        In LUFS, LU and dBTP.
    """

    def __init__(self, integrated: float, range_lu: float, true_peak_db: float) -> None:
        self.integrated, self.range_lu, self.true_peak_db = integrated, range_lu, true_peak_db


def judge(sound: NDArray[np.float64], rate: float) -> Verdict:
    """Measure a sound [shape=(n, channels)] at a rate in Hz; so many channels tell its layout.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        Samples.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    Verdict
    """
    state, heard, true = np.zeros(STATE_SIZE), ProgrammeLoudness(), 0.0
    weights, phases, piece = k_weighting(rate), oversampler(), round(rate / 100)
    layout = next(layout for layout in LAYOUTS if layout.channels == sound.shape[1])
    peaks = np.zeros(layout.channels)
    rest = -len(sound) % piece
    whole = np.concatenate([sound, np.zeros((rest + -(-TAPS // piece) * piece, layout.channels))])  # peaks come later
    for at in range(0, len(whole), piece):
        true = max(true, measure(whole[at : at + piece], state, weights, phases, piece, layout.weights, peaks))
        if at + piece <= len(sound):
            heard.add(energies(state))
    return Verdict(heard.integrated, heard.range_lu, 20 * math.log10(max(true, 1e-9)))


def _weights(channels: int) -> NDArray[np.float64]:
    layout = next((layout for layout in LAYOUTS if layout.channels == channels), None)
    return layout.weights if layout else np.ones(channels)


def energies_of(sound: NDArray[np.float64], rate: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """K-weighted mean squares of each 10 ms: of all channels with their weights, and of their mean.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        One that is too short to be measured counts with silence behind it.
    rate : int
        Sample rate in Hz.

    Returns
    -------
    (ndarray, ndarray) [shape=(pieces,)]
    """
    sound = _lengthened(sound, rate)
    step, channels, filters = round(rate / 100), sound.shape[1], k_weighting(rate)
    state, weights = np.zeros((channels, FILTER_STATE)), _weights(channels)
    energies, folded = np.zeros(len(sound) // step), np.zeros(len(sound) // step)
    many = PIECE // step
    for k in range(0, len(energies), many):
        ours = slice(k, min(k + many, len(energies)))
        piece = np.ascontiguousarray(sound[ours.start * step : ours.stop * step])
        weigh(piece, filters, state, weights, step, energies[ours], folded[ours])
    return energies, folded


def _lengthened(sound: NDArray[np.float64], rate: int) -> NDArray[np.float64]:
    """A sound that is too short to be measured, with silence behind it."""
    least = math.ceil(SHORTEST_S * rate)
    if len(sound) >= least:
        return sound
    return np.concatenate([sound, np.zeros((least - len(sound), sound.shape[1]))])


def programme_of(energies: NDArray[np.float64]) -> ProgrammeLoudness:
    """The loudness of a programme, by the energies of its pieces.

    Parameters
    ----------
    energies : ndarray [shape=(pieces,)]
        See ``energies_of``.

    Returns
    -------
    ProgrammeLoudness
    """
    heard = ProgrammeLoudness()
    for at in range(0, len(energies), PIECE):
        heard.add(energies[at : at + PIECE])
    return heard


def loudness_of(sound: NDArray[np.float64], rate: int) -> float:
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
    return max(programme_of(energies_of(sound, rate)[0]).integrated, FLOOR_DB)
