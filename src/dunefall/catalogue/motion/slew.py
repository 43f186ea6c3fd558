"""Slew: follows its input, but takes its time."""

from __future__ import annotations

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import approach, approach_step, flush

__all__ = ["MODULE"]

VALUE, BEGUN = range(2)
MOVES = 0b110


def kernel(signal, rise_s, fall_s, out, state, rate, moving, scratch):  # type: ignore[no-untyped-def]
    """State: value, 1 once begun."""
    value, n = state[VALUE] if state[BEGUN] > 0.5 else signal[0], out.size
    if moving & MOVES:
        for i in range(n):
            scratch[i], scratch[64 + i] = approach_step(rise_s[i], rate), approach_step(fall_s[i], rate)
        for i in range(n):
            value = approach(value, signal[i], scratch[i], scratch[64 + i])
            out[i] = value
    else:
        rise, fall = approach_step(rise_s[0], rate), approach_step(fall_s[0], rate)
        for i in range(n):
            value = approach(value, signal[i], rise, fall)
            out[i] = value
    state[VALUE], state[BEGUN] = flush(value), 1.0


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
