"""Impulse: single samples, the shortest sound there is."""

from __future__ import annotations

from dunefall.base.arrays import Mask, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param

__all__ = ["MODULE"]

LAST, PHASE, SIDE = range(3)
TRIGGER = 0b1


def kernel(
    trigger: Row, rate_hz: Row, level: Row, alternate: Row, out: Row, state: State, rate: Scalar, linked: Mask
) -> None:
    """State: last trigger, what is left of the period (0: an impulse is due), whether the next one points down."""
    last, phase, side, per = state[LAST], state[PHASE], state[SIDE], 1.0 / rate
    for i in range(out.size):
        if linked & TRIGGER:
            due = trigger[i] > 0.5 and last <= 0.5
            last = trigger[i]
        else:
            due = phase <= 0.0
            phase += 1.0 if due else 0.0
            phase -= min(rate_hz[i] * per, 1.0)
        out[i] = 0.0
        if due:
            out[i] = -level[i] if side > 0.5 and alternate[i] >= 0.5 else level[i]
            side = 1.0 - side
    state[LAST], state[PHASE], state[SIDE] = last, phase, side


MODULE = ModuleSpec(
    id="impulse",
    name="Impulse",
    stage="source",
    sentence="A single-sample click at each trigger or at a rate: it excites bodies, strings and rooms.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "Each rising edge makes one."),),
    params=(
        Param("rate_hz", "Rate", "hz", 0.01, 2000, 1, "Impulses per second with nothing linked to the trigger.",
              taper="octaves", amount=1.0, idle_with="trigger"),
        Param("level", "Level", "ratio", 0, 1, 0.8, "Height of the sample.", amount=0.3),
        Param("alternate", "Direction", "choice", 0, 1, 0, "All positive, or alternating in polarity.",
              ("up", "up and down")),
    ),
    outputs=(Output("out", "Click", "audio"),),
    state=3,
    cycle=Cycle(None, lambda g: 0.0 if "trigger" in g.linked else (1.0 + g.values["alternate"]) / g.values["rate_hz"],
                ("rate_hz", "alternate"), lambda g: 1 + round(g.values["alternate"]), ("trigger",)),
    face="rate_hz",
    shows="course",
    words=("click", "tick", "dirac", "exciter", "geiger"),
    sources=("unit impulse (definition)",),
)  # fmt: skip
