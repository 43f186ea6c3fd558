"""Even spread: so many hits over so many steps, as evenly as can be."""

from __future__ import annotations

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.triggers import MOST_STEPS, is_hit, unchanged, wrapped

__all__ = ["MODULE"]

LAST, RESET, STEP, STRONG = range(4)


def kernel(
    trigger: Row, reset: Row, hits: Row, steps: Row, rotation: Row, accents: Row, out: Row, accent: Row, rest: Row,
    place: Row, state: State,
) -> None:  # fmt: skip
    """State: last trigger, last reset, steps of this round so far, whether the last one is an accent."""
    last, last_reset, step, strong = state[LAST], state[RESET], state[STEP] - 1.0, state[STRONG]
    if last <= 0.5 and unchanged(trigger, last) and unchanged(reset, last_reset):
        out[:], rest[:], accent[:] = 0.0, 0.0, 0.0
        for i in range(out.size):
            place[i] = max(step, 0.0) / float(int(steps[i] + 0.5))
        return
    for i in range(out.size):
        if reset[i] > 0.5 and last_reset <= 0.5:
            step = -1.0
        length = float(int(steps[i] + 0.5))
        many = min(float(int(hits[i] + 0.5)), length)
        at = wrapped(step - float(int(rotation[i] + 0.5)), length)
        high = trigger[i] > 0.5
        if high and last <= 0.5:
            step = wrapped(step + 1.0, length)
            at = wrapped(step - float(int(rotation[i] + 0.5)), length)
            strong = 0.0
            if is_hit(many, length, at):
                rank = 0
                for before in range(int(at)):
                    rank += 1 if is_hit(many, length, before) else 0
                strong = 1.0 if is_hit(min(float(int(accents[i] + 0.5)), many), many, rank) else 0.0
        last, last_reset = trigger[i], reset[i]
        hit = high and is_hit(many, length, at)
        out[i] = 1.0 if hit else 0.0
        rest[i] = 1.0 if high and not hit else 0.0
        accent[i] = strong if hit else 0.0
        place[i] = max(step, 0.0) / length
    state[LAST], state[RESET], state[STEP], state[STRONG] = last, last_reset, step + 1.0, strong


MODULE = ModuleSpec(
    id="even-spread",
    name="Even spread",
    stage="time",
    sentence="Spreads hits over steps as evenly as possible: off-beat rhythms that still feel regular.",
    kernel=kernel,
    inputs=(
        Input("trigger", "Clock", "gate", "Each rising edge is a step.", listens=True),
        Input("reset", "Reset", "gate", "Restarts at the first step with the next trigger."),
    ),
    params=(
        Param("hits", "Hits", "none", 0, MOST_STEPS, 5, "How many steps are hits.", amount=2.0, whole=True),
        Param("steps", "Steps", "none", 1, MOST_STEPS, 8, "How long the pattern is.", amount=2.0, whole=True),
        Param("rotation", "Rotation", "none", 0, MOST_STEPS - 1, 0, "Rotation: how many steps later the pattern "
              "starts.", amount=1.0, whole=True),
        Param("accents", "Accents", "none", 0, MOST_STEPS, 2, "Number of accents, also spread evenly.",
              amount=1.0, whole=True),
    ),
    outputs=(
        Output("out", "Hits", "gate", 0, 1),
        Output("accent", "Accents", "gate", 0, 1),
        Output("rest", "Rests", "gate", 0, 1, seen=True),
        Output("place", "Place", "control", 0, 1, seen=True),
    ),
    state=4,
    cycle=Cycle(steps=lambda g: round(g.values["steps"]), at=("trigger",), fires=("out",)),
    face="hits",
    passes="trigger",
    words=("euclidean", "rhythm", "pattern", "polyrhythm", "necklace"),
    presets=(
        Preset("Three in eight", "The tresillo: three hits over eight steps.",
               {"hits": 3, "steps": 8}, ("tresillo",)),
        Preset("Five in eight", "The cinquillo: five hits over eight steps.",
               {"hits": 5, "steps": 8}, ("cinquillo",)),
        Preset("Four on the floor", "Four hits over sixteen steps.",
               {"hits": 4, "steps": 16}, ("straight beat",)),
    ),
    sources=("Bjorklund 2003; Toussaint 2005, The Euclidean algorithm generates traditional musical rhythms",),
)  # fmt: skip
