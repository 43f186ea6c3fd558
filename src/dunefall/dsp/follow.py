"""Going after a goal: the steps of envelopes, slews and followers."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Row, Scratch
from dunefall.dsp.maths import exp2, fma

__all__ = ["approach", "approach_step", "follow"]

_TO_ONE_PERCENT = math.log2(100.0)


@njit(error_model="numpy", forceinline=True)
def approach_step(time_s: float, rate: float) -> float:
    """Share of the way that a first-order follower goes in one sample, so that 99 % are done after ``time_s``.

    Examples
    --------
    >>> share = approach_step(0.01, 48000.0)
    >>> round((1.0 - share) ** 480, 3)  # what is left of the way after 10 ms
    0.01
    """
    return 1.0 - exp2(-_TO_ONE_PERCENT / (time_s * rate))


@njit(error_model="numpy", forceinline=True)
def approach(value: float, goal: float, rise: float, fall: float) -> float:
    """One sample closer to a target, by the factor ``rise`` upwards or ``fall`` downwards.

    Parameters
    ----------
    value : float
        Value of the sample before.
    goal : float
        Where it goes.
    rise : float
        Share of the way per sample, upwards.
    fall : float
        Share of the way per sample, downwards.

    Returns
    -------
    float
    """
    gap = goal - value
    return fma(gap, rise, value) if gap > 0.0 else fma(gap, fall, value)


@njit(error_model="numpy", forceinline=True)
def follow(
    out: Row, goals: Row, value: float, rise_s: Row, fall_s: Row, rate: float, moves: int, scratch: Scratch
) -> float:
    """Go after a row of goals with times of rising and falling that move or, where ``moves`` is 0, rest; returns the
    last value. ``goals`` may be ``out`` itself.

    Parameters
    ----------
    out : ndarray [shape=(n,)]
        Where the samples are written.
    goals : ndarray [shape=(n,)]
        Where it goes.
    value : float
        The value, in its unit.
    rise_s : ndarray [shape=(n,)]
        Time upwards in seconds.
    fall_s : ndarray [shape=(n,)]
        Time downwards in seconds.
    rate : float
        Sample rate in Hz.
    moves : int
        Non-zero where the values change within the call.
    scratch : ndarray
        Room that holds nothing of use before or after.

    Returns
    -------
    float
    """
    n = out.size
    if moves:
        for i in range(n):
            scratch[i], scratch[64 + i] = approach_step(rise_s[i], rate), approach_step(fall_s[i], rate)
        for i in range(n):
            value = approach(value, goals[i], scratch[i], scratch[64 + i])
            out[i] = value
    else:
        rise, fall = approach_step(rise_s[0], rate), approach_step(fall_s[0], rate)
        for i in range(n):
            value = approach(value, goals[i], rise, fall)
            out[i] = value
    return value
