"""Chance: each trigger passes with a probability."""

from __future__ import annotations

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.random import uniform

__all__ = ["MODULE"]

LAST, OPEN, DRAWS = range(3)


def kernel(trigger, probability, passed, refused, state, key):  # type: ignore[no-untyped-def]
    """State: last trigger, 1 while the present gate passes, number of draws."""
    last, is_open, draws = state[LAST], state[OPEN], state[DRAWS]
    for i in range(passed.size):
        high = trigger[i] > 0.5
        if high and last <= 0.5:
            is_open = 1.0 if uniform(key, draws, 0) < probability[i] else 0.0
            draws += 1.0
        last = trigger[i]
        passed[i] = is_open if high else 0.0
        refused[i] = 1.0 - is_open if high else 0.0
    state[LAST], state[OPEN], state[DRAWS] = last, is_open, draws


MODULE = ModuleSpec(
    id="chance",
    name="Chance",
    stage="time",
    sentence="Lets each trigger pass with a probability; those it refuses leave by a second output.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "Each rising edge is one throw."),),
    params=(Param("probability", "Probability", "ratio", 0, 1, 0.5, "Share of the triggers that pass.", amount=0.3),),
    outputs=(Output("passed", "Passed", "gate", 0, 1), Output("refused", "Refused", "gate", 0, 1)),
    state=3,
    face="probability",
    passes="trigger",
    words=("probability", "random", "skip", "coin", "sparse"),
    sources=("Bernoulli trials (definition)",),
)
