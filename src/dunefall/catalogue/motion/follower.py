"""Follower: the level of a sound as a control."""

from __future__ import annotations

import math

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import exp2, flush, fma

__all__ = ["MODULE"]

VALUE, RISE, RISE_STEP, FALL, FALL_STEP = range(5)
SETTLED = math.log2(100.0)  # after the set time 1 % of the way is left


def kernel(audio, rise_s, fall_s, sensitivity, out, state, rate):  # type: ignore[no-untyped-def]
    """State: level, last rise time and its step, last fall time and its step."""
    value, rise, rise_step = state[VALUE], state[RISE], state[RISE_STEP]
    fall, fall_step = state[FALL], state[FALL_STEP]
    for i in range(out.size):
        if rise_s[i] != rise:
            rise = rise_s[i]
            rise_step = 1.0 - exp2(-SETTLED / (rise * rate))
        if fall_s[i] != fall:
            fall = fall_s[i]
            fall_step = 1.0 - exp2(-SETTLED / (fall * rate))
        gap = abs(audio[i]) - value
        value = fma(gap, rise_step, value) if gap > 0.0 else fma(gap, fall_step, value)
        out[i] = min(value * sensitivity[i], 1.0)
    state[VALUE], state[RISE], state[RISE_STEP] = flush(value), rise, rise_step
    state[FALL], state[FALL_STEP] = fall, fall_step


MODULE = ModuleSpec(
    id="follower",
    name="Follower",
    stage="motion",
    sentence="Turns the loudness of a sound into a movement for other things.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", "What is listened to."),),
    params=(
        Param("rise_s", "Rise", "s", 0.0005, 60, 0.01, "Time in which a louder sound is taken in.",
              taper="octaves", amount=1.0),
        Param("fall_s", "Fall", "s", 0.0005, 60, 0.2, "Time in which a softer sound is taken in.",
              taper="octaves", amount=1.0),
        Param("sensitivity", "Sensitivity", "factor", 0.1, 100, 1, "Makes soft sounds move more; the top stays 1.",
              taper="octaves", amount=1.0),
    ),
    outputs=(Output("out", "Level", "control", 0, 1),),
    state=5,
    cached=(RISE, FALL),
    face="sensitivity",
    words=("envelope follower", "detector", "level", "loudness", "duck"),
    sources=("first-order peak detector with two time constants (textbook)",),
)  # fmt: skip
