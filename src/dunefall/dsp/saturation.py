"""Saturation: a soft ceiling that audio in loops never passes."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Row

__all__ = ["saturate", "saturate_rarely", "saturate_row"]


@njit(error_model="numpy", forceinline=True)
def saturate(x: float, knee: float) -> float:
    """x unchanged up to +-knee, then bent smoothly so that it never passes +-2 knee.

    Parameters
    ----------
    x : float
        The number.
    knee : float
        Level above which it bends; it never passes twice of it.

    Returns
    -------
    float

    Examples
    --------
    >>> saturate(0.3, 1.0) == 0.3, saturate(100.0, 1.0) <= 2.0
    (True, True)
    """
    size = abs(x)
    bent = math.copysign(knee * (2.0 - knee / size), x)
    return x if size <= knee else bent


@njit(error_model="numpy", forceinline=True)
def saturate_rarely(x: float, knee: float) -> float:
    """As ``saturate``, by a branch: for a sound that goes round, where each sample waits for the one before, and hardly
    ever gets so loud.

    Parameters
    ----------
    x : float
        The number.
    knee : float
        Level above which it bends; it never passes twice of it.

    Returns
    -------
    float
    """
    if abs(x) <= knee:
        return x
    return saturate(x, knee)


@njit(error_model="numpy", forceinline=True)
def saturate_row(row: Row, knee: float) -> None:
    """``saturate`` a row in place; where nothing is so loud, as usual, it is only looked at.

    Parameters
    ----------
    row : ndarray [shape=(n,)]
        One number for each sample.
    knee : float
        Level above which it bends; it never passes twice of it.
    """
    loud = 0
    for i in range(row.size):  # counted: a largest one would be found one by one
        loud += 1 if abs(row[i]) > knee else 0
    if loud > 0:
        for i in range(row.size):
            row[i] = saturate(row[i], knee)
