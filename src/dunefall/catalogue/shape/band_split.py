"""Band split: everything below a frequency on one output, everything above it on the other."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, lowest_hz, resonance_s
from dunefall.dsp.maths import fma
from dunefall.dsp.svf import mean, svf_factors, svf_next

__all__ = ["MODULE"]

SPLIT, TAKE, CROSS, SINK = range(4, 8)
DAMPING = 1.4142135623730951
"""Q 0.71: two such filters in a row make the crossover."""


def kernel(
    audio: Row, split_hz: Row, low: Row, high: Row, state: State, rate: Scalar, moving: Mask, scratch: Scratch
) -> None:
    """State: the integrators of two second-order filters in a row, the second of which repeats the first one's low; the
    last constant frequency and its factors.

    Low and high together are the sound through an all-pass, which the first filter gives: so the high is that less the
    low, and both add up to it also while the frequency moves.
    """
    n, scale, middle = low.size, 2.0 / rate, scratch[: low.size]
    a1, a2, b1, b2 = state[0], state[1], state[2], state[3]
    if moving & 0b10:
        take, cross, sink = scratch[64 : 64 + n], scratch[128 : 128 + n], scratch[192 : 192 + n]
        for i in range(n):
            take[i], cross[i], sink[i] = svf_factors(split_hz[i], DAMPING, scale)
        for i in range(n):
            a1, a2, b1, b2, middle[i], low[i] = _step(a1, a2, b1, b2, audio[i], take[i], cross[i], sink[i])
    else:
        if state[SPLIT] != split_hz[0]:
            state[SPLIT] = split_hz[0]
            state[TAKE], state[CROSS], state[SINK] = svf_factors(split_hz[0], DAMPING, scale)
        t, c, s = state[TAKE], state[CROSS], state[SINK]
        for i in range(n):
            a1, a2, b1, b2, middle[i], low[i] = _step(a1, a2, b1, b2, audio[i], t, c, s)
    state[0], state[1], state[2], state[3] = a1, a2, b1, b2
    for i in range(n):
        low[i] *= 0.5
        high[i] = fma(-DAMPING, middle[i], audio[i] - low[i])


@njit(error_model="numpy", forceinline=True)
def _step(
    a1: float, a2: float, b1: float, b2: float, x: float, take: float, cross: float, sink: float
) -> tuple[float, float, float, float, float, float]:
    """The integrators a sample later, then twice the first filter's band and twice the second one's low."""
    u1, u2 = svf_next(a1, a2, x, take, cross, sink)
    v1, v2 = svf_next(b1, b2, mean(a2, u2), take, cross, sink)
    return u1, u2, v1, v2, a1 + u1, b2 + v2


def _remembers(given: Given) -> float:
    """Two filters, one after the other."""
    return 1.5 * resonance_s(lowest_hz(given, "split_hz"), DAMPING)


MODULE = ModuleSpec(
    id="band-split",
    name="Band split",
    stage="shape",
    sentence="Splits a sound at a frequency; the two bands add up to the original.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("split_hz", "Split", "hz", 20, 18000, 500, "Crossover frequency; both bands are 6 dB down there.",
              taper="octaves", amount=1.0),
    ),
    outputs=(Output("low", "Low", "audio"), Output("high", "High", "audio")),
    state=8,
    cycle=Cycle(memory_s=_remembers),
    cached=(SPLIT,),
    face="split_hz",
    passes="audio",
    words=("crossover", "multiband", "low", "high", "divide"),
    sources=("Linkwitz and Riley 1976 (fourth-order crossover)",),
)  # fmt: skip
