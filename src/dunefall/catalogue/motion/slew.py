"""Slew: follows its input, but takes its time."""

from __future__ import annotations

import math

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import exp2, flush, fma

__all__ = ["MODULE"]

VALUE, BEGUN, RISE, RISE_STEP, FALL, FALL_STEP = range(6)
SETTLED = math.log2(100.0)  # after the set time 1 % of the way is left


def kernel(signal, rise_s, fall_s, out, state, rate):  # type: ignore[no-untyped-def]
    """State: value, 1 once begun, last rise time and its step, last fall time and its step."""
    value = state[VALUE] if state[BEGUN] > 0.5 else signal[0]
    rise, rise_step, fall, fall_step = state[RISE], state[RISE_STEP], state[FALL], state[FALL_STEP]
    for i in range(out.size):
        if rise_s[i] != rise:
            rise = rise_s[i]
            rise_step = 1.0 - exp2(-SETTLED / (rise * rate))
        if fall_s[i] != fall:
            fall = fall_s[i]
            fall_step = 1.0 - exp2(-SETTLED / (fall * rate))
        gap = signal[i] - value
        value = fma(gap, rise_step, value) if gap > 0.0 else fma(gap, fall_step, value)
        out[i] = value
    state[VALUE], state[BEGUN] = flush(value), 1.0
    state[RISE], state[RISE_STEP], state[FALL], state[FALL_STEP] = rise, rise_step, fall, fall_step


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
    state=6,
    cached=(RISE, FALL),
    face="rise_s",
    passes="signal",
    words=("lag", "smooth", "glide", "portamento"),
    sources=("first-order low-pass, step response 1 - exp(-t / tau) (textbook)",),
)  # fmt: skip
