"""Filter: low, band and high at once from one state-variable filter."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma, tangent_parts

__all__ = ["MODULE"]

S1, S2 = range(2)
MOVES = 0b110
LOW_ONLY = 0b001
WIDEST, NARROWEST = 1.4142135623730951, 0.02


def kernel(audio, cutoff_hz, resonance, low, band, high, state, rate, moving, wanted, scratch):  # type: ignore[no-untyped-def]
    """State: the two integrators.

    The integrators run as a two-by-two recurrence, whose factors are worked out before it; an integrator's output is
    the mean of what it holds before and after the sample.
    """
    n = low.size
    s1, s2, scale = state[S1], state[S2], 2.0 / rate
    take, cross, sink = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    middle = scratch[192 : 192 + n]
    if moving & MOVES:
        for i in range(n):
            take[i], cross[i], sink[i] = _factors(cutoff_hz[i], resonance[i], scale)
        for i in range(n):
            t1, t2 = _next(s1, s2, audio[i], take[i], cross[i], sink[i])
            middle[i], low[i] = fma(0.5, t1, 0.5 * s1), fma(0.5, t2, 0.5 * s2)
            s1, s2 = t1, t2
    else:
        t, c, s = _factors(cutoff_hz[0], resonance[0], scale)
        for i in range(n):
            t1, t2 = _next(s1, s2, audio[i], t, c, s)
            middle[i], low[i] = fma(0.5, t1, 0.5 * s1), fma(0.5, t2, 0.5 * s2)
            s1, s2 = t1, t2
    if wanted != LOW_ONLY:
        for i in range(n):
            band[i] = _damping(resonance[i]) * middle[i]
            high[i] = audio[i] - band[i] - low[i]
    state[S1], state[S2] = s1, s2


@njit(error_model="numpy", forceinline=True)
def _damping(resonance):  # type: ignore[no-untyped-def]
    return fma(NARROWEST - WIDEST, resonance, WIDEST)


@njit(error_model="numpy", forceinline=True)
def _factors(cutoff, resonance, scale):  # type: ignore[no-untyped-def]
    """Factors of the recurrence: with g the tangent of half the cutoff's angle, k the damping and d = 1 + g (g + k)
    they are 2 / d, 2 g / d and 2 g**2 / d, worked out from sine and cosine without g."""
    up, down = tangent_parts(min(cutoff * scale, 0.97))
    twice = 2.0 / fma(up * down, _damping(resonance), 1.0)
    return down * down * twice, up * down * twice, up * up * twice


@njit(error_model="numpy", forceinline=True)
def _next(s1, s2, x, take, cross, sink):  # type: ignore[no-untyped-def]
    """The integrators a sample later."""
    away = x - s2
    return fma(cross, away, fma(take, s1, -s1)), fma(sink, away, fma(cross, s1, s2))


MODULE = ModuleSpec(
    id="filter",
    name="Filter",
    stage="shape",
    sentence="Keeps what lies below, around or above the cutoff, each on its own output.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("cutoff_hz", "Cutoff", "hz", 10, 20000, 950, "Frequency at which the sound divides.", taper="octaves",
              amount=1.5),
        Param("resonance", "Resonance", "ratio", 0, 1, 0.1, "From flat (Q 0.71) to ringing (Q 50).", amount=0.3),
    ),
    outputs=(Output("low", "Low", "audio"), Output("band", "Band", "audio"), Output("high", "High", "audio")),
    state=2,
    face="cutoff_hz",
    passes="audio",
    words=("low-pass", "high-pass", "band-pass", "muffle", "tone", "darken", "brighten"),
    sources=(
        "Zavalishin 2018, The Art of VA Filter Design (topology-preserving transform)",
        "Simper 2013, Linear trapezoidal integrated state variable filter",
    ),
)  # fmt: skip
