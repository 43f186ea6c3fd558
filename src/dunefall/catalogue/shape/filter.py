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

    The integrators run as a two-by-two recurrence; what does not depend on them is worked out before it or after it.
    """
    n = low.size
    s1, s2, scale = state[S1], state[S2], 2.0 / rate
    g_row, a1_row = scratch[:n], scratch[64 : 64 + n]
    s1_row, s2_row = scratch[128 : 128 + n], scratch[192 : 192 + n]
    if moving & MOVES:
        for i in range(n):
            g_row[i], a1_row[i] = _factors(cutoff_hz[i], resonance[i], scale)
        for i in range(n):
            s1_row[i], s2_row[i] = s1, s2
            a2 = g_row[i] * a1_row[i]
            s1, s2 = _next(s1, s2, audio[i], a1_row[i], a2, g_row[i] * a2)
        if wanted == LOW_ONLY:
            for i in range(n):
                low[i] = _low(audio[i], s1_row[i], s2_row[i], g_row[i], a1_row[i])
        else:
            for i in range(n):
                low[i], band[i], high[i] = _all(audio[i], s1_row[i], s2_row[i], resonance[i], g_row[i], a1_row[i])
    else:
        g, a1 = _factors(cutoff_hz[0], resonance[0], scale)
        a2 = g * a1
        for i in range(n):
            s1_row[i], s2_row[i] = s1, s2
            s1, s2 = _next(s1, s2, audio[i], a1, a2, g * a2)
        if wanted == LOW_ONLY:
            for i in range(n):
                low[i] = _low(audio[i], s1_row[i], s2_row[i], g, a1)
        else:
            for i in range(n):
                low[i], band[i], high[i] = _all(audio[i], s1_row[i], s2_row[i], resonance[0], g, a1)
    state[S1], state[S2] = flush(s1), flush(s2)


@njit(error_model="numpy", forceinline=True)
def _damping(resonance):  # type: ignore[no-untyped-def]
    return fma(NARROWEST - WIDEST, resonance, WIDEST)


@njit(error_model="numpy", forceinline=True)
def _factors(cutoff, resonance, scale):  # type: ignore[no-untyped-def]
    """g = tan and 1 / (1 + g (g + damping)), with one division for both."""
    up, down = tangent_parts(min(cutoff * scale, 0.97))
    whole = fma(up, fma(_damping(resonance), down, up), down * down)
    both = 1.0 / (down * whole)
    return up * whole * both, down * down * down * both


@njit(error_model="numpy", forceinline=True)
def _next(s1, s2, x, a1, a2, a3):  # type: ignore[no-untyped-def]
    """The integrators a sample later."""
    return (
        fma(fma(2.0, a1, -1.0), s1, fma(-2.0 * a2, s2, 2.0 * a2 * x)),
        fma(2.0 * a2, s1, fma(fma(-2.0, a3, 1.0), s2, 2.0 * a3 * x)),
    )


@njit(error_model="numpy", forceinline=True)
def _low(x, s1, s2, g, a1):  # type: ignore[no-untyped-def]
    return fma(g, fma(a1, s1, g * a1 * (x - s2)), s2)


@njit(error_model="numpy", forceinline=True)
def _all(x, s1, s2, resonance, g, a1):  # type: ignore[no-untyped-def]
    damping = _damping(resonance)
    b = fma(a1, s1, g * a1 * (x - s2))
    l = fma(g, b, s2)  # noqa: E741
    return l, damping * b, fma(-damping, b, x - l)


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
