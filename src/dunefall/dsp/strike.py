"""A strike: rises from where it is to 1, then falls for ever: the exponential curves of a capacitor."""

from __future__ import annotations

import math

from numba import njit

from dunefall.dsp.curves import bent
from dunefall.dsp.maths import exp2

__all__ = ["TO_60_DB", "fall_factor", "rise_share", "struck", "struck_bent"]

OVERSHOOT = 1.3  # the rise aims above its end, as a charging capacitor that is stopped at the top does
RISE_OCTAVES = math.log2(OVERSHOOT / (OVERSHOOT - 1.0))
TO_60_DB = math.log2(1000.0)
"""Halvings until a level has fallen by 60 dB."""


@njit(error_model="numpy", forceinline=True)
def rise_share(attack_s: float, rate: float) -> float:
    """The share of the way to just above the top that one sample covers, for a time from rest to the top."""
    return 1.0 - exp2(-RISE_OCTAVES / (attack_s * rate))


@njit(error_model="numpy", forceinline=True)
def fall_factor(decay_s: float, rate: float) -> float:
    """What a sample leaves of the level, for a time from the top to -60 dB."""
    return exp2(-TO_60_DB / (decay_s * rate))


@njit(error_model="numpy", forceinline=True)
def struck(value: float, rising: float, rise: float, fall: float, top: float = 1.0) -> tuple[float, float]:
    """Level and whether it rises (1.0), a sample later.

    Parameters
    ----------
    value : float
        The envelope so far.
    rising : float
        1 while it rises.
    rise : float
        Share of the way per sample, upwards.
    fall : float
        Share of the way per sample, downwards.
    top : float
        How high it rises.

    Returns
    -------
    tuple[float, float]
    """
    if rising > 0.5:
        value += (OVERSHOOT * top - value) * rise
        if value >= top:
            return top, 0.0
        return value, rising
    return value * fall, rising


@njit(error_model="numpy")
def struck_bent(
    value: float, rising: float, attack: float, decay: float, top: float, curve: float
) -> tuple[float, float]:
    """As ``struck``, with the way through both stretches bent: at a curve of 0 it is the same.

    Parameters
    ----------
    value : float
        The envelope so far.
    rising : float
        1 while it rises.
    attack, decay : float
        Samples from rest to the top, and from there to -60 dB.
    top : float
        How high it rises.
    curve : float
        -1 to 1: slow or fast at first.

    Returns
    -------
    tuple[float, float]
    """
    if rising > 0.5:
        share = min(value / (OVERSHOOT * max(top, 1e-12)), 1.0 / OVERSHOOT)
        done = bent(-math.log2(1.0 - share) * (1.0 / RISE_OCTAVES), -curve) + 1.0 / attack
        if done >= 1.0:
            return top, 0.0
        return top * OVERSHOOT * (1.0 - exp2(-RISE_OCTAVES * bent(done, curve))), rising
    if value < 1e-12 * top or top <= 0.0:
        return 0.0, rising
    fallen = math.log2(top / value) * (1.0 / TO_60_DB)
    done = (bent(fallen, curve) if fallen < 1.0 else fallen) + 1.0 / decay
    return top * exp2(-TO_60_DB * (bent(done, -curve) if done < 1.0 else done)), rising
