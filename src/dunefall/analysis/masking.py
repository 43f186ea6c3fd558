"""Which layer covers which: shares of the spectrum, and the worst case in words.

A layer counts as covered in a third of an octave while it would be heard there by itself and another layer is louder by
a margin (common practice in mixing; the thirds of an octave as in IEC 61260, from memory).
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

__all__ = ["BANDS_HZ", "Covering", "Masking", "band_powers"]

BANDS_HZ = 1000.0 * 2.0 ** (np.arange(-15, 13) / 3)
"""Middles of the thirds of an octave from 31 Hz to 16 kHz."""
MARGIN_DB, OWN_DB, AUDIBLE_DB = 6.0, 20.0, -72.0
LEAST_SHARE = 0.15
KEPT = 80
"""Looks that are remembered: 20 s of four a second."""


@dataclass(frozen=True)
class Covering:
    """One layer covers another: names by id, from and to which frequency, how often, and by how much in dB."""

    above: str
    below: str
    low_hz: float
    high_hz: float
    share: float
    by_db: float


@cache
def _of_looks(count: int, rate: float) -> tuple[NDArray[np.float64], NDArray[np.intp]]:
    """The window of so many samples, and where the bands begin and end in their spectrum."""
    hz = np.fft.rfftfreq(count, 1 / rate)
    edges = np.concatenate([BANDS_HZ / 2 ** (1 / 6), [BANDS_HZ[-1] * 2 ** (1 / 6)]])
    return np.hanning(count), np.minimum(np.searchsorted(hz, edges), len(hz) - 1)


def band_powers(samples: NDArray[np.float32], rate: float) -> NDArray[np.float64]:
    """Power in each band of ``BANDS_HZ`` of some samples.

    Parameters
    ----------
    samples : ndarray
        Samples, one column for each channel.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    ndarray
    """
    window, at = _of_looks(len(samples), rate)
    spectrum = np.abs(np.fft.rfft(samples * window)) ** 2 * (8 / 3) * 2 / len(samples) ** 2
    sums = np.concatenate([[0.0], np.cumsum(spectrum)])
    return np.asarray(np.maximum(sums[at[1:]] - sums[at[:-1]], 1e-14))


class Masking:
    """The last looks at all layers' bands."""

    def __init__(self) -> None:
        self._looks: deque[dict[str, NDArray[np.float64]]] = deque(maxlen=KEPT)

    def add(self, powers: dict[str, NDArray[np.float64]]) -> None:
        """Take another look: each layer's band powers by its id."""
        self._looks.append(powers)

    def forget(self) -> None:
        """Start again from nothing."""
        self._looks.clear()

    def worst(self, layer: str = "") -> Covering | None:
        """The worst case, of one layer or of all; None where nothing is masked often enough.

        Parameters
        ----------
        layer : str
            Id of the layer; empty for all.

        Returns
        -------
        Covering or None
        """
        if len(self._looks) < KEPT // 8:
            return None
        names = [name for name in self._looks[-1] if all(name in look for look in self._looks)]
        levels = {name: 10 * np.log10(np.stack([look[name] for look in self._looks])) for name in names}
        found = [
            covering
            for below in names
            if layer in ("", below)
            for above in names
            if above != below and (covering := _covering(above, below, levels[above], levels[below]))
        ]
        return max(found, key=lambda c: c.share * np.log2(c.high_hz / c.low_hz), default=None)


def _covering(above: str, below: str, loud: NDArray[np.float64], soft: NDArray[np.float64]) -> Covering | None:
    """The widest stretch of bands in which one layer covers another often enough."""
    heard = (soft > AUDIBLE_DB) & (soft > soft.max(axis=1, keepdims=True) - OWN_DB)
    covered = heard & (loud > soft + MARGIN_DB)
    share = covered.mean(axis=0)
    often = share >= LEAST_SHARE
    best, begin = (0, 0), None
    for k, is_often in enumerate([*often, False]):
        if is_often and begin is None:
            begin = k
        if not is_often and begin is not None:
            best = (begin, k) if k - begin > best[1] - best[0] else best
            begin = None
    first, last = best
    if first == last:
        return None
    there = covered[:, first:last]
    by_db = float((loud - soft)[:, first:last][there].mean())
    low, high = BANDS_HZ[first] / 2 ** (1 / 6), BANDS_HZ[last - 1] * 2 ** (1 / 6)
    return Covering(above, below, float(low), float(high), float(share[first:last].mean()), by_db)
