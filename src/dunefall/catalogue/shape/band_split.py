"""Band split: what lies below a frequency on one output, what lies above on the other."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.svf import mean, svf_factors, svf_next

__all__ = ["MODULE"]

DAMPING = 1.4142135623730951
"""Q 0.71: two such filters in a row make the crossover."""


def kernel(audio, split_hz, low, high, state, rate, moving, scratch):  # type: ignore[no-untyped-def]
    """State: the integrators of three second-order filters: the first splits, the others repeat its low and high.

    Both ends of the first filter come from one pair of integrators.
    """
    n, scale = low.size, 2.0 / rate
    take, cross, sink = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    a1, a2, b1, b2, c1, c2 = state[0], state[1], state[2], state[3], state[4], state[5]
    if moving & 0b10:
        for i in range(n):
            take[i], cross[i], sink[i] = svf_factors(split_hz[i], DAMPING, scale)
        for i in range(n):
            t, c, s = take[i], cross[i], sink[i]
            a1, a2, below, above = _step(a1, a2, audio[i], t, c, s)
            b1, b2, low[i], _ = _step(b1, b2, below, t, c, s)
            c1, c2, _, high[i] = _step(c1, c2, above, t, c, s)
    else:
        t, c, s = svf_factors(split_hz[0], DAMPING, scale)
        for i in range(n):
            a1, a2, below, above = _step(a1, a2, audio[i], t, c, s)
            b1, b2, low[i], _ = _step(b1, b2, below, t, c, s)
            c1, c2, _, high[i] = _step(c1, c2, above, t, c, s)
    state[0], state[1], state[2], state[3], state[4], state[5] = a1, a2, b1, b2, c1, c2


@njit(error_model="numpy", forceinline=True)
def _step(s1, s2, x, take, cross, sink):  # type: ignore[no-untyped-def]
    """Integrators a sample later, low and high."""
    t1, t2 = svf_next(s1, s2, x, take, cross, sink)
    low = mean(s2, t2)
    return t1, t2, low, x - DAMPING * mean(s1, t1) - low


MODULE = ModuleSpec(
    id="band-split",
    name="Band split",
    stage="shape",
    sentence="Divides a sound at a frequency; both parts together are the whole again.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("split_hz", "Split", "hz", 20, 18000, 500, "Where low and high part; both are 6 dB down there.",
              taper="octaves", amount=1.0),
    ),
    outputs=(Output("low", "Low", "audio"), Output("high", "High", "audio")),
    state=6,
    face="split_hz",
    passes="audio",
    words=("crossover", "multiband", "low", "high", "divide"),
    sources=("Linkwitz and Riley 1976 (fourth-order crossover)",),
)  # fmt: skip
