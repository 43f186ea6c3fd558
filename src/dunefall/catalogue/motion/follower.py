"""Follower: the level of a sound as a control."""

from __future__ import annotations

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, settling
from dunefall.dsp.follow import follow

__all__ = ["MODULE"]

VALUE = 0
MOVES = 0b110


def kernel(
    audio: Row, rise_s: Row, fall_s: Row, sensitivity: Row, out: Row, state: State, rate: Scalar, moving: Mask,
    scratch: Scratch,
) -> None:  # fmt: skip
    """State: level."""
    for i in range(out.size):
        out[i] = abs(audio[i])
    state[VALUE] = follow(out, out, state[VALUE], rise_s, fall_s, rate, moving & MOVES, scratch)
    for i in range(out.size):
        out[i] = min(out[i] * sensitivity[i], 1.0)


MODULE = ModuleSpec(
    id="follower",
    name="Follower",
    stage="motion",
    sentence="Envelope follower: turns the level of a sound into a control signal.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", "What is listened to."),),
    params=(
        Param("rise_s", "Rise", "s", 0.0005, 60, 0.01, "Time to follow a rising level.",
              taper="octaves", amount=1.0),
        Param("fall_s", "Fall", "s", 0.0005, 60, 0.2, "Time to follow a falling level.",
              taper="octaves", amount=1.0),
        Param("sensitivity", "Sensitivity", "factor", 0.1, 100, 1, "Raises the response to soft sounds; the maximum "
              "stays 1.", taper="octaves", amount=1.0, usual=1),
    ),
    outputs=(Output("out", "Level", "control", 0, 1),),
    state=1,
    cycle=Cycle(memory_s=lambda g: settling(g, "rise_s", "fall_s")),
    face="sensitivity",
    words=("envelope follower", "detector", "level", "loudness", "duck"),
    sources=("first-order peak detector with two time constants (textbook)",),
)  # fmt: skip
