"""One-pole low-pass: the share of its way that it goes in a sample."""

from __future__ import annotations

from numba import njit

from dunefall.dsp.maths import exp2

__all__ = ["one_pole_share"]

TURN = -2 * 3.141592653589793 * 1.4426950408889634


@njit(error_model="numpy", forceinline=True)
def one_pole_share(hz: float, rate: float) -> float:
    """1 - exp(-2 pi hz / rate): the impulse-invariant one-pole of a cutoff in Hz (textbook)."""
    return 1.0 - exp2(TURN * hz / rate)
