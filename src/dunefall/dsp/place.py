"""Where a sound is: how its distance and its direction are heard."""

from __future__ import annotations

import math

from numba import njit

from dunefall.dsp.maths import exp2, sine
from dunefall.dsp.onepole import share_for

__all__ = ["SOUND_M_PER_S", "air_share", "falloff_gain", "pan_gains"]

SOUND_M_PER_S = 343.0
AIR_DB_PER_M = 0.105
"""At 8 kHz, 20 degrees Celsius and 50 % humidity (ISO 9613-1, from memory)."""
AIR_HZ = 8000.0


@njit(error_model="numpy", forceinline=True)
def falloff_gain(distance_m: float, falloff_db: float) -> float:
    """Gain of a sound at a distance: 1 up to a metre, then so many dB less at each doubling.

    Parameters
    ----------
    distance_m : float
        Metres.
    falloff_db : float
        dB for each doubling of the distance.

    Returns
    -------
    float

    Examples
    --------
    >>> round(falloff_gain(2.0, 6.0), 4)
    0.5012
    """
    if distance_m <= 1.0:
        return 1.0
    return exp2(-falloff_db * 0.16609640474436813 * math.log2(distance_m))


@njit(error_model="numpy", forceinline=True)
def air_share(distance_m: float, air: float, rate: float) -> float:
    """Share of a one-pole low-pass that takes as much from 8 kHz as the air does on the way; 1: nothing. ``air`` is how
    thick the air is: 1 as it is.

    Parameters
    ----------
    distance_m : float
        Metres.
    air : float [0, 1]
        How much the air takes from the highs.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    float
    """
    lost_db = AIR_DB_PER_M * distance_m * air
    if lost_db < 1e-3:
        return 1.0
    return share_for(exp2(-lost_db * 0.33219280948873623), AIR_HZ, rate)


@njit(error_model="numpy", forceinline=True)
def pan_gains(angle_deg: float) -> tuple[float, float]:
    """Gains of left and right at constant power: 0 degrees ahead, 90 right, what is behind as what is ahead.

    Parameters
    ----------
    angle_deg : float
        Degrees from straight ahead, to the right positive.

    Returns
    -------
    tuple[float, float]

    Examples
    --------
    >>> left, right = pan_gains(0.0)
    >>> round(left**2 + right**2, 6), round(left, 4)
    (1.0, 0.7071)
    """
    across = sine(angle_deg * (1.0 / 360.0))
    place = 0.125 + 0.125 * across
    return sine(place + 0.25), sine(place)
