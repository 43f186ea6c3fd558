"""Filter: low, band and high at once from one state-variable filter."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import flush, fma, tangent_parts

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
    keep, cross, hold = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    middle = scratch[192 : 192 + n]
    if moving & MOVES:
        for i in range(n):
            keep[i], cross[i], hold[i] = _factors(cutoff_hz[i], resonance[i], scale)
        for i in range(n):
            t1, t2 = _next(s1, s2, keep[i], cross[i], hold[i], cross[i] * audio[i], (1.0 - hold[i]) * audio[i])
            middle[i], low[i] = 0.5 * (s1 + t1), 0.5 * (s2 + t2)
            s1, s2 = t1, t2
    else:
        k, c, h = _factors(cutoff_hz[0], resonance[0], scale)
        for i in range(n):
            t1, t2 = _next(s1, s2, k, c, h, c * audio[i], (1.0 - h) * audio[i])
            middle[i], low[i] = 0.5 * (s1 + t1), 0.5 * (s2 + t2)
            s1, s2 = t1, t2
    if wanted != LOW_ONLY:
        for i in range(n):
            band[i] = _damping(resonance[i]) * middle[i]
            high[i] = audio[i] - band[i] - low[i]
    state[S1], state[S2] = flush(s1), flush(s2)


@njit(error_model="numpy", forceinline=True)
def _damping(resonance):  # type: ignore[no-untyped-def]
    return fma(NARROWEST - WIDEST, resonance, WIDEST)


@njit(error_model="numpy", forceinline=True)
def _factors(cutoff, resonance, scale):  # type: ignore[no-untyped-def]
    """Factors of the recurrence: with g the tangent of half the cutoff's angle and k the damping they are
    2 / (1 + g (g + k)) - 1, 2 g / (1 + g (g + k)) and 1 - 2 g**2 / (1 + g (g + k)), from sine and cosine without g."""
    up, down = tangent_parts(min(cutoff * scale, 0.97))
    twice = 2.0 / fma(up * down, _damping(resonance), 1.0)
    return fma(down * down, twice, -1.0), up * down * twice, fma(-up * up, twice, 1.0)


@njit(error_model="numpy", forceinline=True)
def _next(s1, s2, keep, cross, hold, from_1, from_2):  # type: ignore[no-untyped-def]
    """The integrators a sample later."""
    return fma(-cross, s2, fma(keep, s1, from_1)), fma(cross, s1, fma(hold, s2, from_2))


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
