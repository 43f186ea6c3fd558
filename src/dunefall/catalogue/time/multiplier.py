"""Multiplier: several even ticks for each trigger."""

from __future__ import annotations

import math

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset

__all__ = ["MODULE"]

LAST, SINCE, GAP, SEEN = range(4)
EARLY = 1e-6


def kernel(trigger: Row, factor: Row, width: Row, gate: Row, phase: Row, state: State) -> None:
    """State: last trigger, samples since it, samples between the two before, number of triggers (up to 2).

    Each trigger is a tick; the others divide the last gap between triggers, and those that do not fit before the next
    trigger are left out. Every tick is counted from its trigger: nothing adds up.
    """
    last, since, gap, seen = state[LAST], state[SINCE], state[GAP], state[SEEN]
    for i in range(gate.size):
        since += 1.0
        if trigger[i] > 0.5 and last <= 0.5:
            gap = since if seen > 0.0 else 0.0
            since, seen = 0.0, min(seen + 1.0, 2.0)
        last = trigger[i]
        times = max(1.0, float(int(factor[i] + 0.5)))
        if gap > 0.0:
            place = since * times / gap + EARLY
            step = math.floor(place)
            phase[i] = min(max(place - step - EARLY, 0.0), 1.0) if step < times else 1.0
            gate[i] = 1.0 if step < times and place - step < max(width[i], times / gap) else 0.0
        else:
            phase[i] = 0.0
            gate[i] = 1.0 if last > 0.5 else 0.0
    state[LAST], state[SINCE], state[GAP], state[SEEN] = last, since, gap, seen


MODULE = ModuleSpec(
    id="multiplier",
    name="Multiplier",
    stage="time",
    sentence="Divides the time between triggers into several even ticks.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "What is divided into ticks.", listens=True),),
    params=(
        Param("factor", "Ticks", "none", 1, 64, 4, "Ticks for each trigger.", amount=2.0, whole=True),
        Param("width", "Gate length", "ratio", 0.01, 0.99, 0.5, "Gate length, as a share of a tick.",
              amount=0.3),
    ),
    outputs=(Output("gate", "Gate", "gate", 0, 1), Output("phase", "Phase", "control", 0, 1)),
    state=4,
    cycle=Cycle(fires=("gate",)),
    face="factor",
    passes="trigger",
    words=("clock multiplier", "faster", "ratchet", "subdivision", "roll"),
    presets=(
        Preset("Double time", "Two ticks for each.",
               {"factor": 2}, ("twice as fast", "half steps")),
        Preset("Triplets", "Three ticks for each.",
               {"factor": 3}, ("triplet", "three against two")),
    ),
    sources=("even division of the last gap (definition)",),
)  # fmt: skip
