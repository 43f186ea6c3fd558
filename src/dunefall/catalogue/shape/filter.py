"""Filter: low, band and high at once from one state-variable filter."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma
from dunefall.dsp.svf import mean, svf_factors, svf_next

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
            take[i], cross[i], sink[i] = svf_factors(cutoff_hz[i], _damping(resonance[i]), scale)
        for i in range(n):
            t1, t2 = svf_next(s1, s2, audio[i], take[i], cross[i], sink[i])
            middle[i], low[i] = mean(s1, t1), mean(s2, t2)
            s1, s2 = t1, t2
    else:
        t, c, s = svf_factors(cutoff_hz[0], _damping(resonance[0]), scale)
        for i in range(n):
            t1, t2 = svf_next(s1, s2, audio[i], t, c, s)
            middle[i], low[i] = mean(s1, t1), mean(s2, t2)
            s1, s2 = t1, t2
    if wanted != LOW_ONLY:
        for i in range(n):
            band[i] = _damping(resonance[i]) * middle[i]
            high[i] = audio[i] - band[i] - low[i]
    state[S1], state[S2] = s1, s2


@njit(error_model="numpy", forceinline=True)
def _damping(resonance):  # type: ignore[no-untyped-def]
    return fma(NARROWEST - WIDEST, resonance, WIDEST)


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
