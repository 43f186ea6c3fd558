"""Slew: follows its input, but takes its time."""

from __future__ import annotations

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import follow

__all__ = ["MODULE"]

VALUE, BEGUN = range(2)
MOVES = 0b110


def kernel(signal, rise_s, fall_s, out, state, rate, moving, scratch):  # type: ignore[no-untyped-def]
    """State: value, 1 once begun."""
    while state[BEGUN] == 0.0:  # once: a branch that is foretold, where a choice would be waited for
        state[VALUE], state[BEGUN] = signal[0], 1.0
    state[VALUE] = follow(out, signal, state[VALUE], rise_s, fall_s, rate, moving & MOVES, scratch)


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
