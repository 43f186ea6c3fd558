"""When grains come: what a cloud of a file and a cloud of what just sounded share."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from dunefall.base.arrays import Key
from dunefall.dsp.maths import fma
from dunefall.dsp.random import philox

__all__ = ["SHARE", "grain_pause"]

SHARE = 1.0 / 4294967296.0
"""Of a random number of 32 bits: it becomes one in [0, 1)."""


@njit(error_model="numpy", forceinline=True)
def grain_pause(mean: float, unevenness: float, draws: float, key: Key) -> float:
    """Samples until the next grain, after so many draws: from even distances to those of a Poisson process.

    Parameters
    ----------
    mean : float
        Mean distance in samples.
    unevenness : float [0, 1]
        0 is regular, 1 a Poisson process.
    draws : float
        How many numbers have been drawn.
    key : uint64
        Key of the module's random numbers.

    Returns
    -------
    float
    """
    a, _, _, _ = philox(key, np.uint64(draws), np.uint64(1))
    drawn = -math.log(1.0 - a * SHARE)
    return max(mean * fma(drawn - 1.0, unevenness, 1.0), 1.0)
