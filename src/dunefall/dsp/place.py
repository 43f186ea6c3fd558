"""Where a sound is: how its distance and its direction are heard."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Memory
from dunefall.dsp.maths import exp2, fma, log2, sine
from dunefall.dsp.onepole import share_for
from dunefall.dsp.reading import get

__all__ = ["AIR_POLES", "SOUND_M_PER_S", "air_share", "arrived", "falloff_gain", "pan_gains", "through_air"]

SOUND_M_PER_S = 343.0
AIR_DB_PER_M = 0.10529
"""At 8 kHz, 20 degrees Celsius and 50 % humidity (ISO 9613-1, from memory)."""
AIR_HZ, MOST_DB = 8000.0, 9.0
"""The low-passes are matched here, or lower, where so much is lost: the loss grows nearly with the square of the
frequency."""
AIR_POLES = 4


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
    return exp2(-falloff_db * 0.16609640474436813 * log2(max(distance_m, 1.0)))


@njit(error_model="numpy", forceinline=True)
def air_share(distance_m: float, air: float, rate: float) -> float:
    """Share of each of four one-pole low-passes that together take as much as the air does on the way, within 1 dB up
    to 10 kHz and 60 m; 1: nothing. ``air`` is how thick the air is: 1 as it is.

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
    lost_db = max(AIR_DB_PER_M * distance_m * air, 1e-3)
    hz = AIR_HZ * math.sqrt(MOST_DB / max(lost_db, MOST_DB))
    share = share_for(exp2(-min(lost_db, MOST_DB) * (0.33219280948873623 / AIR_POLES)), hz, rate)
    return 1.0 if lost_db <= 1e-3 else share


@njit(error_model="numpy", forceinline=True)
def through_air(x: float, share: float, held: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
    """A sample through the low-passes of ``air_share``.

    Parameters
    ----------
    x : float
        The sample.
    share : float
        Of each low-pass.
    held : tuple of ``AIR_POLES`` floats
        What each of them holds.

    Returns
    -------
    tuple of ``AIR_POLES`` floats
        What each holds now; the last one is what comes through.
    """
    a = fma(share, x - held[0], held[0])
    b = fma(share, a - held[1], held[1])
    c = fma(share, b - held[2], held[2])
    return a, b, c, fma(share, c - held[3], held[3])


@njit(error_model="numpy", forceinline=True)
def arrived(memory: Memory, first: int, size: int, write: int, late: float) -> float:
    """How many samples ago what arrives now was sent: so long that it has come the way that there was then, which
    bends the pitch of what moves by c / (c - v) (Doppler; one step of Newton's method for each sample).

    Parameters
    ----------
    memory : ndarray
        From ``first`` on a ring of ways in samples, as long as each sample had to go when it was sent.
    first, size : int
        Where the ring begins, and its size.
    write : int
        Where its next number is written.
    late : float
        What was found a sample before.

    Returns
    -------
    float
    """
    back = int(late)
    at = write - back if write >= back else write - back + size
    here = get(memory, first + (at if at < size else 0))
    before = get(memory, first + (at - 1 if at >= 1 else size - 1))
    then = fma(late - back, before - here, here)
    late -= (late - then) / max(1.0 + here - before, 0.25)
    return min(max(late, 1.0), size - 5.0)


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
