"""One-pole low-pass: the share of its way that it goes in a sample."""

from __future__ import annotations

import math

from numba import njit

from dunefall.dsp.maths import exp2, sine

__all__ = ["one_pole_share", "share_for"]

TURN = -2 * 3.141592653589793 * 1.4426950408889634


@njit(error_model="numpy", forceinline=True)
def one_pole_share(hz: float, rate: float) -> float:
    """1 - exp(-2 pi hz / rate): the impulse-invariant one-pole of a cutoff in Hz (textbook)."""
    return 1.0 - exp2(TURN * hz / rate)


@njit(error_model="numpy", forceinline=True)
def share_for(power: float, hz: float, rate: float) -> float:
    """Share of the one-pole that leaves so much of the power at a frequency; 1 where nothing is to be lost.

    Parameters
    ----------
    power : float (0, 1]
        Share of the power that is left.
    hz : float
        At which frequency, below half the sample rate.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    float

    Examples
    --------
    >>> import cmath
    >>> share = share_for(0.5, 1000.0, 48000.0)
    >>> around = 1 - (1 - share) * cmath.exp(-2j * cmath.pi * 1000 / 48000)
    >>> round(abs(share / around) ** 2, 6)
    0.5
    """
    if power > 0.99999:
        return 1.0
    turn = 1.0 - power * sine(hz / rate + 0.25)
    return 1.0 - (turn - math.sqrt(turn * turn - (1.0 - power) * (1.0 - power))) / (1.0 - power)
