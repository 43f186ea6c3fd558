"""State-variable filter by the trapezoidal rule: two integrators, of which low, band and high are made.

An integrator's output is the mean of what it holds before and after a sample (Zavalishin 2018, The Art of VA Filter
Design; Simper 2013, Linear trapezoidal integrated state variable filter).
"""

from __future__ import annotations

from numba import njit

from dunefall.dsp.maths import fma, tangent_parts

__all__ = ["add_band", "mean", "svf_factors", "svf_next"]


@njit(error_model="numpy", forceinline=True)
def svf_factors(cutoff, damping, scale):  # type: ignore[no-untyped-def]
    """Factors of the recurrence for a cutoff in Hz and ``scale`` 2 / rate: with g the tangent of half the cutoff's
    angle, k the damping and d = 1 + g (g + k) they are 2 / d, 2 g / d and 2 g**2 / d, worked out from sine and cosine
    without g."""
    up, down = tangent_parts(min(cutoff * scale, 0.97))
    twice = 2.0 / fma(up * down, damping, 1.0)
    return down * down * twice, up * down * twice, up * up * twice


@njit(error_model="numpy", forceinline=True)
def svf_next(s1, s2, x, take, cross, sink):  # type: ignore[no-untyped-def]
    """The integrators a sample later."""
    away = x - s2
    return fma(cross, away, fma(take, s1, -s1)), fma(sink, away, fma(cross, s1, s2))


@njit(error_model="numpy", forceinline=True)
def mean(before, after):  # type: ignore[no-untyped-def]
    """Half of both."""
    return fma(0.5, after, 0.5 * before)


@njit(error_model="numpy", forceinline=True)
def add_band(wet, audio, take, cross, sink, gain, state, at, middle):  # type: ignore[no-untyped-def]
    """Add a band-pass times a row of gains to ``wet``; its integrators stand at a place of the state, ``middle`` is
    scratch."""
    s1, s2 = state[at], state[at + 1]
    for i in range(wet.size):
        t1, t2 = svf_next(s1, s2, audio[i], take[i], cross[i], sink[i])
        middle[i] = mean(s1, t1)
        s1, s2 = t1, t2
    for i in range(wet.size):
        wet[i] = fma(middle[i], gain[i], wet[i])
    state[at], state[at + 1] = s1, s2
