"""Band split: what lies below a frequency on one output, what lies above on the other."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma, tangent_parts

__all__ = ["MODULE"]

DAMPING = 1.4142135623730951
"""Q 0.71: two such filters in a row make the crossover."""


def kernel(audio, split_hz, low, high, state, rate, moving, scratch):  # type: ignore[no-untyped-def]
    """State: the integrators of three second-order filters: the first splits, the others repeat its low and high.

    Both ends of the first filter come from one pair of integrators; see the Filter.
    """
    n, scale = low.size, 2.0 / rate
    take, cross, sink = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    if moving & 0b10:
        for i in range(n):
            take[i], cross[i], sink[i] = _factors(split_hz[i], scale)
    else:
        take[:], cross[:], sink[:] = _factors(split_hz[0], scale)
    a1, a2, b1, b2, c1, c2 = state[0], state[1], state[2], state[3], state[4], state[5]
    for i in range(n):
        t, c, s = take[i], cross[i], sink[i]
        a1, a2, below, above = _step(a1, a2, audio[i], t, c, s)
        b1, b2, low[i], _ = _step(b1, b2, below, t, c, s)
        c1, c2, _, high[i] = _step(c1, c2, above, t, c, s)
    state[0], state[1], state[2], state[3], state[4], state[5] = a1, a2, b1, b2, c1, c2


@njit(error_model="numpy", forceinline=True)
def _factors(cutoff, scale):  # type: ignore[no-untyped-def]
    up, down = tangent_parts(min(cutoff * scale, 0.97))
    twice = 2.0 / fma(up * down, DAMPING, 1.0)
    return down * down * twice, up * down * twice, up * up * twice


@njit(error_model="numpy", forceinline=True)
def _step(s1, s2, x, take, cross, sink):  # type: ignore[no-untyped-def]
    """Integrators a sample later, low and high."""
    away = x - s2
    t1, t2 = fma(cross, away, fma(take, s1, -s1)), fma(sink, away, fma(cross, s1, s2))
    low = fma(0.5, t2, 0.5 * s2)
    return t1, t2, low, x - DAMPING * fma(0.5, t1, 0.5 * s1) - low


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
