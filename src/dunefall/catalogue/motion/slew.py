"""Slew: follows its input, but takes its time."""

from __future__ import annotations

import math

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import exp2, flush, fma

__all__ = ["MODULE"]

VALUE, BEGUN = range(2)
MOVES = 0b110
SETTLED = math.log2(100.0)  # after the set time 1 % of the way is left


def kernel(signal, rise_s, fall_s, out, state, rate, moving, scratch):  # type: ignore[no-untyped-def]
    """State: value, 1 once begun."""
    value, n = state[VALUE] if state[BEGUN] > 0.5 else signal[0], out.size
    if moving & MOVES:
        for i in range(n):
            scratch[i], scratch[64 + i] = _step(rise_s[i], rate), _step(fall_s[i], rate)
        for i in range(n):
            value = _towards(value, signal[i], scratch[i], scratch[64 + i])
            out[i] = value
    else:
        rise, fall = _step(rise_s[0], rate), _step(fall_s[0], rate)
        for i in range(n):
            value = _towards(value, signal[i], rise, fall)
            out[i] = value
    state[VALUE], state[BEGUN] = flush(value), 1.0


@njit(error_model="numpy", forceinline=True)
def _step(time_s, rate):  # type: ignore[no-untyped-def]
    return 1.0 - exp2(-SETTLED / (time_s * rate))


@njit(error_model="numpy", forceinline=True)
def _towards(value, goal, rise, fall):  # type: ignore[no-untyped-def]
    gap = goal - value
    return fma(gap, rise, value) if gap > 0.0 else fma(gap, fall, value)


MODULE = ModuleSpec(
    id="slew",
    name="Slew",
    stage="motion",
    sentence="Follows its input with a set rise and fall time, so that steps become glides.",
    kernel=kernel,
    inputs=(Input("signal", "Signal", "control", "What is followed."),),
    params=(
        Param("rise_s", "Rise", "s", 0.0005, 60, 0.13, "Time in which 99 % of a step upwards is done.",
              taper="octaves", amount=1.0),
        Param("fall_s", "Fall", "s", 0.0005, 60, 0.13, "Time in which 99 % of a step downwards is done.",
              taper="octaves", amount=1.0),
    ),
    outputs=(Output("out", "Value", "control"),),
    state=2,
    face="rise_s",
    passes="signal",
    words=("lag", "smooth", "glide", "portamento"),
    sources=("first-order low-pass, step response 1 - exp(-t / tau) (textbook)",),
)  # fmt: skip
