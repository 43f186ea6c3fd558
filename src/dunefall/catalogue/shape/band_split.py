"""Band split: what lies below a frequency on one output, what lies above on the other."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma
from dunefall.dsp.svf import svf_factors, svf_next

__all__ = ["MODULE"]

DAMPING = 1.4142135623730951
"""Q 0.71: two such filters in a row make the crossover."""


def kernel(audio, split_hz, low, high, state, rate, moving, scratch):  # type: ignore[no-untyped-def]
    """State: the integrators of three second-order filters: the first splits, the others repeat its low and high.

    Both ends of the first filter come from one pair of integrators.
    """
    n, scale = low.size, 2.0 / rate
    take, cross, sink = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    aboves, bands = scratch[192 : 192 + n], scratch[256 : 256 + n]
    if moving & 0b10:
        for i in range(n):
            take[i], cross[i], sink[i] = svf_factors(split_hz[i], DAMPING, scale)
    else:
        take[:], cross[:], sink[:] = svf_factors(split_hz[0], DAMPING, scale)
    a1, a2, b1, b2, c1, c2 = state[0], state[1], state[2], state[3], state[4], state[5]
    for i in range(n):
        x, t, c, s = audio[i], take[i], cross[i], sink[i]
        u1, u2 = svf_next(a1, a2, x, t, c, s)
        below, above = 0.5 * (a2 + u2), _above(x, a1 + u1, a2 + u2)
        v1, v2 = svf_next(b1, b2, below, t, c, s)
        w1, w2 = svf_next(c1, c2, above, t, c, s)
        low[i], high[i], aboves[i], bands[i] = b2 + v2, c2 + w2, above, c1 + w1
        a1, a2, b1, b2, c1, c2 = u1, u2, v1, v2, w1, w2
    state[0], state[1], state[2], state[3], state[4], state[5] = a1, a2, b1, b2, c1, c2
    for i in range(n):
        low[i], high[i] = 0.5 * low[i], _above(aboves[i], bands[i], high[i])


@njit(error_model="numpy", forceinline=True)
def _above(x, band, low):  # type: ignore[no-untyped-def]
    """The high of a sound, from twice its band and twice its low."""
    return fma(-0.5 * DAMPING, band, fma(-0.5, low, x))


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
