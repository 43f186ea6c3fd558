"""Bounded approximations of the functions that dominate the cost of sound, and small helpers of kernels."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

__all__ = ["db_to_gain", "exp2", "flush", "note_to_hz", "saturate", "sine", "tan_half_pi"]

_POWERS = 2.0 ** np.arange(-128, 129)
_LN2 = math.log(2.0)


@njit(error_model="numpy", fastmath={"contract", "nsz", "arcp"})
def exp2(x: float) -> float:
    """2**x for x in [-127, 127] with a relative error below 2e-13.

    Method: whole part from a table, fraction in [-0.5, 0.5] by the Taylor polynomial of degree 11.
    """
    whole = math.floor(x + 0.5)
    f = (x - whole) * _LN2
    series = 1.0 + f * (1.0 + f * (1.0 / 2.0 + f * (1.0 / 6.0 + f * (1.0 / 24.0 + f * (1.0 / 120.0 + f * (
        1.0 / 720.0 + f * (1.0 / 5040.0 + f * (1.0 / 40320.0 + f * (1.0 / 362880.0 + f * (
            1.0 / 3628800.0 + f / 39916800.0))))))))))  # fmt: skip
    power: float = _POWERS[np.uint64(whole + 128.0)]
    return series * power


@njit(error_model="numpy", fastmath={"contract", "nsz", "arcp"})
def sine(phase: float) -> float:
    """sin(2 pi phase) for a phase in cycles, |phase| below 2**31, with an absolute error below 1e-9.

    Method: reduction to a quarter cycle by symmetry, then the odd Taylor polynomial of degree 15. No branches, so
    that loops over it vectorise.
    """
    f = phase - math.floor(phase + 0.5)
    x = (0.25 - abs(abs(f) - 0.25)) * (2.0 * math.pi)
    y = x * x
    wave = x * (1.0 + y * (-1.0 / 6.0 + y * (1.0 / 120.0 + y * (-1.0 / 5040.0 + y * (1.0 / 362880.0 + y * (
        -1.0 / 39916800.0 + y * (1.0 / 6227020800.0 - y / 1307674368000.0)))))))  # fmt: skip
    return math.copysign(wave, f)


@njit(error_model="numpy", fastmath={"contract", "nsz", "arcp"})
def tan_half_pi(x: float) -> float:
    """tan(pi/2 * x) for x in [0, 0.98] with a relative error below 1e-9: the prewarping of filters.

    Method: sine over cosine, both from ``sine``.
    """
    return sine(0.25 * x) / sine(0.25 * x + 0.25)


@njit(error_model="numpy", fastmath={"contract", "nsz", "arcp"})
def db_to_gain(level_db: float) -> float:
    """Linear gain of a level in dB, [-700, 700]."""
    return exp2(level_db * 0.16609640474436813)


@njit(error_model="numpy", fastmath={"contract", "nsz", "arcp"})
def note_to_hz(note: float) -> float:
    """Frequency in Hz of a MIDI note number (ISO 16:1975: 69 is 440 Hz)."""
    return 440.0 * exp2((note - 69.0) * (1.0 / 12.0))


@njit(error_model="numpy", fastmath={"contract", "nsz", "arcp"})
def saturate(x: float, knee: float) -> float:
    """x unchanged up to +-knee, then bent smoothly so that it never passes +-2 knee."""
    size = abs(x)
    if size <= knee:
        return x
    over = (size - knee) / knee
    return math.copysign(knee + knee * over / (1.0 + over), x)


@njit(error_model="numpy", fastmath={"contract", "nsz", "arcp"})
def flush(x: float) -> float:
    """x, or 0 where it has decayed so far that the processor would slow down on it (denormal numbers)."""
    return x if abs(x) > 1e-200 else 0.0
