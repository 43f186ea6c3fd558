"""What is worked out from the samples of a finished sound: energies for loudness, ends, a small picture, whole numbers.

Source: ITU-R BS.1770-5, K-weighting (``dsp.meter.k_weighting``) and mean squares.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dunefall.base.arrays import Grid, Row
from dunefall.dsp.cache import cached_njit

__all__ = ["FILTER_STATE", "extents", "first_above", "last_above", "rounded", "weigh"]

FILTER_STATE = 4
"""Numbers that each channel's filters carry on."""


@cached_njit()
def weigh(block: Grid, filters: Grid, state: Grid, weights: Row, step: int, energies: Row, folded: Row) -> None:
    """K-weight a block and give the mean square of each ``step`` frames.

    Parameters
    ----------
    block : ndarray [shape=(n, channels)]
        Frames, a whole number of steps.
    filters : ndarray [shape=(2, 5)]
        Of ``k_weighting``.
    state : ndarray [shape=(channels, FILTER_STATE)]
        Carried from block to block; initially 0.
    weights : ndarray [shape=(channels,)]
        What each channel counts.
    step : int
        Frames of 10 ms.
    energies, folded : ndarray [shape=(n / step,)]
        Receive the sum of all channels, and that of their mean.
    """
    channels = block.shape[1]
    a0, a1, a2, a3, a4 = filters[0, 0], filters[0, 1], filters[0, 2], filters[0, 3], filters[0, 4]
    b0, b1, b2, b3, b4 = filters[1, 0], filters[1, 1], filters[1, 2], filters[1, 3], filters[1, 4]
    for k in range(energies.size):
        total = mono = 0.0
        for i in range(k * step, (k + 1) * step):
            both = 0.0
            for c in range(channels):
                x = block[i, c]
                y = a0 * x + state[c, 0]
                state[c, 0] = a1 * x - a3 * y + state[c, 1]
                state[c, 1] = a2 * x - a4 * y
                z = b0 * y + state[c, 2]
                state[c, 2] = b1 * y - b3 * z + state[c, 3]
                state[c, 3] = b2 * y - b4 * z
                total += weights[c] * z * z
                both += z
            mono += both * both
        energies[k], folded[k] = total / step, mono / (step * channels * channels)
        for c in range(channels):
            for s in range(FILTER_STATE):
                if abs(state[c, s]) < 1e-200:
                    state[c, s] = 0.0


@cached_njit()
def first_above(block: Grid, level: float) -> int:
    """The first frame with a sample above a level, -1 where none is.

    Parameters
    ----------
    block : ndarray [shape=(n, channels)]
        The frames.
    level : float
        Linear.

    Returns
    -------
    int
    """
    for i in range(block.shape[0]):
        for c in range(block.shape[1]):
            if abs(block[i, c]) > level:
                return i
    return -1


@cached_njit()
def last_above(block: Grid, level: float) -> int:
    """The last frame with a sample above a level, -1 where none is.

    Parameters
    ----------
    block : ndarray [shape=(n, channels)]
        The frames.
    level : float
        Linear.

    Returns
    -------
    int
    """
    for i in range(block.shape[0] - 1, -1, -1):
        for c in range(block.shape[1]):
            if abs(block[i, c]) > level:
                return i
    return -1


@cached_njit()
def extents(block: Grid, places: NDArray[np.int64], lows: Row, highs: Row) -> None:
    """Lowest and highest sample of any channel from each place to the next, and 0.

    Parameters
    ----------
    block : ndarray [shape=(n, channels)]
        The frames.
    places : ndarray [shape=(m,)]
        First frame of each column, rising.
    lows, highs : ndarray [shape=(m,)]
        Receive what was found.
    """
    for k in range(places.size):
        end = places[k + 1] if k + 1 < places.size else block.shape[0]
        low = high = 0.0
        for i in range(places[k], end):
            for c in range(block.shape[1]):
                low, high = min(low, block[i, c]), max(high, block[i, c])
        lows[k], highs[k] = low, high


@cached_njit()
def rounded(samples: Row, raw: NDArray[np.uint64], bits: int, whole: NDArray[np.int16] | NDArray[np.int32]) -> None:
    """Round samples to whole numbers with triangular dither, two steps wide.

    Parameters
    ----------
    samples : ndarray [shape=(n,)]
        Full scale is 1; what is beyond is cut.
    raw : ndarray of uint64 [shape=(n,)]
        Random bits: the difference of their halves is the dither.
    bits : int
        16, or 24 for numbers at the top of 32.
    whole : ndarray of int16 or int32 [shape=(n,)]
        Receives them.
    """
    full = float(1 << (bits - 1))
    place = 1.0 if bits == 16 else 256.0
    for i in range(whole.size):
        high, low = np.int64(raw[i] >> np.uint64(32)), np.int64(raw[i] & np.uint64(0xFFFFFFFF))
        step = np.rint(samples[i] * full + (high - low) * (1.0 / 4294967296.0))
        whole[i] = int(min(max(step, -full), full - 1.0) * place)
