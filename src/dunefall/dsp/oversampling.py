"""Peaks between samples while sound runs (true peaks, ITU-R BS.1770-5, Annex 2): for the limiter and the meter.

Eight places between two samples, each of 64 samples: the four of the recommendation would read the peaks of bright
sounds up to half a decibel too low. What lies so near half the sample rate that no short filter can tell how it goes on
between samples (noise; music has nothing there) can be counted with all its height.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dunefall.base.arrays import Grid
from dunefall.dsp.cache import cached_njit

__all__ = ["CENTRE", "HEADROOM", "TAPS", "between", "oversampler"]

TAPS, CENTRE, PHASES = 64, 32, 8
BETA = 5.0
"""Of the Kaiser window."""
HEADROOM = 3.0
"""No peak between samples is higher than the samples around it by more than this."""


def oversampler() -> NDArray[np.float64]:
    """Filters of the places between two samples, the oldest sample first, and of what lies at half the sample rate;
    shape (``PHASES`` + 1, ``TAPS``)."""
    n = np.arange(PHASES * TAPS)
    sinc = np.sinc((n - (PHASES * TAPS - 1) / 2) / PHASES) * np.kaiser(PHASES * TAPS, BETA)
    rows = sinc.reshape(TAPS, PHASES).T
    rows /= rows.sum(axis=1, keepdims=True)
    window = np.hanning(TAPS + 2)[1:-1]
    edge = window * (-1.0) ** np.arange(TAPS) / window.sum()
    return np.ascontiguousarray(np.concatenate([rows, edge[None]])[:, ::-1])


@cached_njit(fastmath=True)
def between(recent: Grid, first: int, used: int, phases: Grid, edges: float) -> float:
    """Highest value from the sample before the middle of a stretch to the one behind it, of all channels.

    Parameters
    ----------
    recent : ndarray [shape=(channels, n)]
        Samples; the stretch of ``TAPS`` begins at ``first``.
    first : int
        Where.
    used : int
        Channels that are looked at.
    phases : ndarray [shape=(PHASES + 1, TAPS)]
        From ``oversampler``.
    edges : float
        How much what lies at half the sample rate counts beside; 0: not at all.

    Returns
    -------
    float
    """
    peak = 0.0
    for c in range(used):
        beside = 0.0
        if edges > 0.0:
            for k in range(TAPS):
                beside += phases[PHASES, k] * recent[c, first + k]
            beside = edges * abs(beside)
        for p in range(PHASES):
            y = 0.0
            for k in range(TAPS):
                y += phases[p, k] * recent[c, first + k]
            peak = max(peak, abs(y) + beside)
        peak = max(peak, abs(recent[c, first + CENTRE - 1]), abs(recent[c, first + CENTRE]))
    return peak
