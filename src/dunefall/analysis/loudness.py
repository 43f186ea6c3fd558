"""Loudness of a whole programme: momentary, integrated, range.

Source: ITU-R BS.1770-5 (blocks of 400 ms every 100 ms, gates at -70 LUFS and 10 LU below the mean); EBU Tech 3342
(range: pieces of 3 s, gates at -70 LUFS and 20 LU below, 10th to 95th percentile).
"""

from __future__ import annotations

import math
from collections import deque

import numpy as np
from numpy.typing import NDArray

from dunefall.base.layouts import LAYOUTS
from dunefall.dsp.meter import STATE_SIZE, energies, k_weighting, measure, oversampler

__all__ = ["ProgrammeLoudness", "Verdict", "judge"]

OFFSET = -0.691
GATE, RELATIVE, RANGE_GATE = -70.0, -10.0, -20.0
STEP, LOWEST, HIGHEST = 0.05, -70.0, 10.0
MOMENTARY, SHORT = 4, 30
"""Pieces of 100 ms."""


def _lufs(energy: float) -> float:
    return OFFSET + 10 * math.log10(energy) if energy > 0 else -math.inf


class _Counts:
    """How often each loudness occurred, in steps of ``STEP``, with the energies that were summed."""

    def __init__(self) -> None:
        size = round((HIGHEST - LOWEST) / STEP)
        self.count, self.energy = np.zeros(size), np.zeros(size)
        self.levels = LOWEST + STEP * (np.arange(size) + 0.5)

    def add(self, energy: float) -> None:
        level = _lufs(energy)
        if level >= GATE:
            at = min(int((level - LOWEST) / STEP), len(self.count) - 1)
            self.count[at] += 1
            self.energy[at] += energy

    def above(self, below_mean: float) -> NDArray[np.bool_] | None:
        """Steps that pass the gate so far below the mean of all; None where nothing was loud enough."""
        total = self.count.sum()
        if not total:
            return None
        return np.asarray(self.levels + STEP / 2 > _lufs(self.energy.sum() / total) + below_mean)


class ProgrammeLoudness:
    """Takes the energy of each 100 ms, in order.

    Examples
    --------
    >>> heard = ProgrammeLoudness()
    >>> for _ in range(100): heard.add(0.01)
    >>> round(heard.integrated, 1), round(heard.range_lu, 1)
    (-20.7, 0.0)
    """

    def __init__(self) -> None:
        self._last: deque[float] = deque(maxlen=SHORT)
        self._blocks, self._pieces = _Counts(), _Counts()

    def add(self, energy: float) -> None:
        """Take the K-weighted mean square of the next 100 ms, summed over the channels, into account.

        Parameters
        ----------
        energy : float
            Mean square of a block, K-weighted.
        """
        self._last.append(energy)
        if len(self._last) >= MOMENTARY:
            self._blocks.add(sum(list(self._last)[-MOMENTARY:]) / MOMENTARY)
        if len(self._last) == SHORT:
            self._pieces.add(sum(self._last) / SHORT)

    @property
    def momentary(self) -> float:
        """Loudness of the last 400 ms in LUFS."""
        return _lufs(sum(list(self._last)[-MOMENTARY:]) / MOMENTARY)

    @property
    def integrated(self) -> float:
        """Loudness of everything so far in LUFS, -inf for silence."""
        passes = self._blocks.above(RELATIVE)
        if passes is None:
            return -math.inf
        return _lufs(float(self._blocks.energy[passes].sum() / max(self._blocks.count[passes].sum(), 1)))

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
    weights, phases, piece = k_weighting(rate), oversampler(), round(rate / 10)
    layout = next(layout for layout in LAYOUTS if layout.channels == sound.shape[1])
    peaks = np.zeros(layout.channels)
    for at in range(0, len(sound) - piece + 1, piece):
        block = np.ascontiguousarray(sound[at : at + piece])
        true = max(true, measure(block, state, weights, phases, piece, layout.weights, peaks))
        heard.add(energies(state)[0])
    return Verdict(heard.integrated, heard.range_lu, 20 * math.log10(max(true, 1e-9)))
