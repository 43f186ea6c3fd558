"""State-variable filter by the trapezoidal rule: two integrators, of which low, band and high are made.

An integrator's output is the mean of what it holds before and after a sample (Zavalishin 2018, The Art of VA Filter
Design; Simper 2013, Linear trapezoidal integrated state variable filter).
"""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Row, Scratch, State
from dunefall.dsp.maths import fma, tangent_parts

__all__ = ["band_rows", "mean", "svf_factors", "svf_next", "three_bands"]


@njit(error_model="numpy", forceinline=True)
def svf_factors(cutoff: float, damping: float, scale: float) -> tuple[float, float, float]:
    """Factors of the recurrence for a cutoff in Hz and ``scale`` 2 / rate: with g the tangent of half the cutoff's
    angle, k the damping and d = 1 + g (g + k) they are 2 / d, 2 g / d and 2 g**2 / d, worked out from sine and cosine
    without g.

    Parameters
    ----------
    cutoff : float
        Cutoff in Hz.
    damping : float
        1/Q.
    scale : float
        Cycles per Hz and sample.

    Returns
    -------
    tuple[float, float, float]
    """
    up, down = tangent_parts(min(cutoff * scale, 0.97))
    twice = 2.0 / fma(up * down, damping, 1.0)
    return down * down * twice, up * down * twice, up * up * twice


@njit(error_model="numpy", forceinline=True)
def svf_next(s1: float, s2: float, x: float, take: float, cross: float, sink: float) -> tuple[float, float]:
    """The integrators a sample later.

    Parameters
    ----------
    s1 : float
        First integrator.
    s2 : float
        Second integrator.
    x : float
        The number.
    take : float
        Factor of the input.
    cross : float
        Factor of the band.
    sink : float
        Factor of the low-pass.

    Returns
    -------
    tuple[float, float]
    """
    away = x - s2
    return fma(cross, away, fma(take, s1, -s1)), fma(sink, away, fma(cross, s1, s2))


@njit(error_model="numpy", forceinline=True)
def mean(before: float, after: float) -> float:
    """Half of both."""
    return fma(0.5, after, 0.5 * before)


@njit(error_model="numpy", forceinline=True)
def band_rows(scratch: Scratch, k: int, n: int) -> tuple[Row, Row, Row, Row]:
    """Rows of scratch for the factors, and half the gain, of the k-th of the bands of ``three_bands``.

    Parameters
    ----------
    scratch : ndarray
        Room that holds nothing of use before or after.
    k : int
        Which band.
    n : int
        Samples.

    Returns
    -------
    tuple[Row, Row, Row, Row]
    """
    at = 256 * k
    return (
        scratch[at : at + n],
        scratch[at + 64 : at + 64 + n],
        scratch[at + 128 : at + 128 + n],
        scratch[at + 192 : at + 192 + n],
    )


@njit(error_model="numpy", forceinline=True)
def three_bands(audio: Row, mix: Row, out: Row, scratch: Scratch, state: State) -> None:
    """Three parallel band-passes, mixed with the dry sound; their factors are in ``band_rows``, their integrators at
    the start of the state. One loop, as each waits for its own last sample only.

    Parameters
    ----------
    audio : ndarray [shape=(n,)]
        Samples that come in.
    mix : ndarray
        Shares of low-pass, band and input.
    out : ndarray [shape=(n,)]
        Where the samples are written.
    scratch : ndarray
        Room that holds nothing of use before or after.
    state : ndarray
        What is carried from call to call; 0 at first.
    """
    n = out.size
    ta, ca, sa, ga = band_rows(scratch, 0, n)
    tb, cb, sb, gb = band_rows(scratch, 1, n)
    tc, cc, sc, gc = band_rows(scratch, 2, n)
    a1, a2, b1, b2, c1, c2 = state[0], state[1], state[2], state[3], state[4], state[5]
    for i in range(n):
        x = audio[i]
        u1, u2 = svf_next(a1, a2, x, ta[i], ca[i], sa[i])
        v1, v2 = svf_next(b1, b2, x, tb[i], cb[i], sb[i])
        w1, w2 = svf_next(c1, c2, x, tc[i], cc[i], sc[i])
        wet = fma(a1 + u1, ga[i], fma(b1 + v1, gb[i], (c1 + w1) * gc[i]))
        out[i] = fma(wet - x, mix[i], x)
        a1, a2, b1, b2, c1, c2 = u1, u2, v1, v2, w1, w2
    state[0], state[1], state[2], state[3], state[4], state[5] = a1, a2, b1, b2, c1, c2
