"""The highest peak between samples (true peak, ITU-R BS.1770-5 Annex 2), by eight-fold oversampling.

The filter is the one that ``scipy.signal.resample_poly`` uses for eight-fold oversampling: a windowed sinc (Kaiser,
beta 5) of twenty samples' length.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dunefall.base.arrays import Grid, Row
from dunefall.dsp.cache import cached_njit

__all__ = ["AROUND", "HIGHEST_BETWEEN", "highest"]

OVERSAMPLING, AROUND = 8, 10
"""A place between two samples is made of so many samples on either side."""
_BLOCK = 128


def _phases() -> NDArray[np.float64]:
    """The filters of the seven places between two samples, of 2 * ``AROUND`` taps each."""
    taps = 2 * AROUND
    from_middle = np.arange(-(taps * OVERSAMPLING // 2), taps * OVERSAMPLING // 2 + 1)
    whole = np.sinc(from_middle / OVERSAMPLING) * np.kaiser(from_middle.size, 5.0)
    whole *= OVERSAMPLING / whole.sum()
    return np.array([whole[phase::OVERSAMPLING][:taps][::-1] for phase in range(1, OVERSAMPLING)])


_PHASES = _phases()
HIGHEST_BETWEEN = float(np.abs(_PHASES).sum(axis=1).max())
"""No peak between samples is higher than the samples around it by more than this: the sum of the filter's taps."""


@cached_njit()
def _highest(sound: Row, phases: Grid, sums: Row, found: float) -> float:
    """The highest of ``found`` and what is between the samples; a block that cannot hold it is passed over."""
    count, taps, size = phases.shape[0], phases.shape[1], sums.size
    for at in range(0, sound.size - taps + 1, size):
        n = min(size, sound.size - taps + 1 - at)
        top = 0.0
        for i in range(n + taps - 1):
            top = max(top, abs(sound[at + i]))
        if top * HIGHEST_BETWEEN <= found:
            continue
        for p in range(count):
            sums[:] = 0.0
            for k in range(0, taps, 5):  # five at once: the sums are fetched and put back four times, not twenty
                a, b, c, d, e = phases[p, k], phases[p, k + 1], phases[p, k + 2], phases[p, k + 3], phases[p, k + 4]
                first = at + k  # slices, as their places need no check: so the loop runs in vectors
                v, w, x, y, z = (
                    sound[first:], sound[first + 1 :], sound[first + 2 :], sound[first + 3 :], sound[first + 4 :]
                )  # fmt: skip
                for i in range(n):
                    sums[i] += a * v[i] + b * w[i] + c * x[i] + d * y[i] + e * z[i]
            for i in range(n):
                found = max(found, abs(sums[i]))
    return found


def highest(sound: NDArray[np.float64], found: float = 0.0) -> float:
    """Highest peak, linear, of the samples from ``AROUND`` to ``AROUND`` before the end and of what is between them.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        Frames, with ``AROUND`` on either side that only count for what is between.
    found : float
        What is known already: the result is no lower.

    Returns
    -------
    float
    """
    sums = np.zeros(_BLOCK)
    for channel in range(sound.shape[1]):
        samples = np.ascontiguousarray(sound[:, channel])
        inside = samples[AROUND : len(samples) - AROUND]
        found = float(_highest(samples, _PHASES, sums, max(found, float(np.abs(inside).max(initial=0.0)))))
    return found
