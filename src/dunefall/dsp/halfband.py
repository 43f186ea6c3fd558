"""Twice the sample rate and back, by two short rows of all-passes and without waiting.

An elliptic half-band low-pass whose two branches are all-passes in steps of two samples: 3 dB down at half the lower
rate, flat up to 0.46 of it, below -68 dB from 0.54 of it on (design by theta functions, after Orfanidis, Lecture notes
on elliptic filter design, 2006, from memory).
"""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import State
from dunefall.dsp.maths import fma

__all__ = ["FOUR_SIZE", "SIZE", "halved", "quartered", "risen", "risen_twice"]

FIRST = (0.07910923376287687, 0.4945506093007682, 0.831631986474252)
SECOND = (0.27263975429934273, 0.6856384858686934, 0.9463566661816738)
THREE = len(FIRST)
SIZE = 4 * THREE
"""Numbers that one direction keeps: for each all-pass its last input and output."""
FOUR_SIZE = 2 * SIZE
"""Numbers that one direction keeps for four times the rate."""


@njit(error_model="numpy", forceinline=True)
def _row(factors: tuple[float, float, float], x: float, state: State, at: int) -> float:
    for k in range(THREE):
        before = at + 2 * k
        y = fma(factors[k], x, fma(-factors[k], state[before + 1], state[before]))
        state[before], state[before + 1] = x, y
        x = y
    return x


@njit(error_model="numpy", forceinline=True)
def risen(x: float, state: State, at: int) -> tuple[float, float]:
    """Two samples for one."""
    return _row(FIRST, x, state, at), _row(SECOND, x, state, at + 2 * THREE)


@njit(error_model="numpy", forceinline=True)
def halved(early: float, late: float, state: State, at: int) -> float:
    """One sample for two that follow each other."""
    return 0.5 * (_row(FIRST, late, state, at) + _row(SECOND, early, state, at + 2 * THREE))


@njit(error_model="numpy", forceinline=True)
def risen_twice(x: float, state: State, at: int) -> tuple[float, float, float, float]:
    """Four samples for one.

    Parameters
    ----------
    x : float
        The sample.
    state : ndarray
        ``FOUR_SIZE`` numbers of it are kept from ``at`` on.
    at : int
        Where.

    Returns
    -------
    tuple of four floats
    """
    early, late = risen(x, state, at)
    a, b = risen(early, state, at + SIZE)
    c, d = risen(late, state, at + SIZE)
    return a, b, c, d


@njit(error_model="numpy", forceinline=True)
def quartered(a: float, b: float, c: float, d: float, state: State, at: int) -> float:
    """One sample for four that follow each other.

    Parameters
    ----------
    a, b, c, d : float
        The samples.
    state : ndarray
        ``FOUR_SIZE`` numbers of it are kept from ``at`` on.
    at : int
        Where.

    Returns
    -------
    float
    """
    early = halved(a, b, state, at + SIZE)
    late = halved(c, d, state, at + SIZE)
    return halved(early, late, state, at)
