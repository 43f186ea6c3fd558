"""Glide: a pitch that slides from note to note."""

from __future__ import annotations

from dunefall.base.arrays import Mask, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, settling

__all__ = ["MODULE"]

VALUE, GOAL, STEP, BEGUN = range(4)
GATE_BIT = 2


def kernel(
    pitch: Row, gate: Row, time_s: Row, kind: Row, out: Row, gliding: Row, state: State, rate: Scalar, linked: Mask
) -> None:
    """State: the pitch now, where it goes, semitones per sample, 1 once begun."""
    value, goal, step, begun = state[VALUE], state[GOAL], state[STEP], state[BEGUN]
    for i in range(out.size):
        wanted = pitch[i]
        if begun == 0.0:
            value, goal, begun = wanted, wanted, 1.0
        if wanted != goal:
            samples = max(time_s[i] * rate, 1.0)
            step = 12.0 / samples if kind[i] >= 0.5 else abs(wanted - value) / samples
            goal = wanted
            if linked & GATE_BIT and gate[i] <= 0.5:
                value = wanted
        value = min(value + step, goal) if goal > value else max(value - step, goal)
        out[i] = value
        gliding[i] = 1.0 if value != goal else 0.0
    state[VALUE], state[GOAL], state[STEP], state[BEGUN] = value, goal, step, begun


MODULE = ModuleSpec(
    id="glide",
    name="Glide",
    stage="pitch",
    sentence="Portamento: slides to each new note, in a set time or at a set speed.",
    kernel=kernel,
    inputs=(
        Input("pitch", "Pitch", "pitch", "The notes."),
        Input("gate", "Slides while", "gate", "When linked, it slides only while this is high."),
    ),
    params=(
        Param("time_s", "Time", "s", 0.0005, 60, 0.12, "Time for a slide, or for an octave.", taper="octaves",
              amount=1.0),
        Param("kind", "Way", "choice", 0, 1, 0, "Constant time, or constant speed.",
              ("same time", "same speed")),
    ),
    outputs=(Output("out", "Pitch", "pitch"), Output("gliding", "Slides", "gate", 0, 1)),
    state=4,
    cycle=Cycle(memory_s=lambda g: settling(g, "time_s")),
    face="time_s",
    passes="pitch",
    words=("portamento", "slide", "slew of pitch", "bend"),
    sources=("straight line in semitones (definition)",),
)  # fmt: skip
