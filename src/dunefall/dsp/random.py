"""Counter-based random numbers: the same key and counter always give the same number.

Method: Philox 4x32 with ten rounds; Salmon, Moraes, Dror and Shaw, "Parallel random numbers: as easy as 1, 2, 3",
SC 2011, doi:10.1145/2063384.2063405.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from dunefall.base.arrays import Key

__all__ = ["philox", "uniform"]

_LOW = np.uint64(0xFFFFFFFF)
_32 = np.uint64(32)
_M0 = np.uint64(0xD2511F53)
_M1 = np.uint64(0xCD9E8D57)
_W0 = np.uint64(0x9E3779B9)
_W1 = np.uint64(0xBB67AE85)


@njit(error_model="numpy")
def philox(key: Key, counter: np.uint64, stream: np.uint64) -> tuple[np.uint64, np.uint64, np.uint64, np.uint64]:
    """Four independent 32-bit numbers.

    Parameters
    ----------
    key, counter, stream : uint64
        The module's key; the number of the draw; which of the module's streams.

    Returns
    -------
    tuple of four uint64 [0, 2**32)
    """
    c0, c1 = counter & _LOW, counter >> _32
    c2, c3 = stream & _LOW, stream >> _32
    k0, k1 = key & _LOW, key >> _32
    for _ in range(10):
        p0 = _M0 * c0
        p1 = _M1 * c2
        c0, c1, c2, c3 = (p1 >> _32) ^ c1 ^ k0, p1 & _LOW, (p0 >> _32) ^ c3 ^ k1, p0 & _LOW
        k0 = (k0 + _W0) & _LOW
        k1 = (k1 + _W1) & _LOW
    return c0, c1, c2, c3


@njit(error_model="numpy")
def uniform(key: Key, counter: float, stream: float) -> float:
    """One number in [0, 1): draw ``counter`` (a float64 count) of a stream (a small integer).

    Parameters
    ----------
    key : uint64
        Key of the module's random numbers.
    counter : float
        Number of the draw.
    stream : float
        Which of the module's streams.

    Returns
    -------
    float

    Examples
    --------
    >>> a, b = uniform(np.uint64(1), 0.0, 0.0), uniform(np.uint64(1), 0.0, 0.0)
    >>> a == b, 0.0 <= a < 1.0
    (True, True)
    """
    a, _, _, _ = philox(key, np.uint64(counter), np.uint64(stream))
    return np.float64(a) * (1.0 / 4294967296.0)
