"""Two-way switch: now this, now that."""

from __future__ import annotations

from dunefall.base.arrays import Mask, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.follow import approach_step

__all__ = ["MODULE"]

LAST, SIDE, PHASE, VALUE, BEGUN = range(5)
SHORTEST_S = 0.0005
"""This short a glide is none."""
A_BIT, B_BIT, GATE_BIT = 1, 2, 4


def kernel(
    a: Row, b: Row, gate: Row, value_a: Row, value_b: Row, mode: Row, rate_hz: Row, glide_s: Row, out: Row, side: Row,
    state: State, rate: Scalar, linked: Mask,
) -> None:  # fmt: skip
    """State: last gate, which side is on (0 or 1), phase of the own rate, the value now, 1 once begun."""
    last, on, phase, value, begun = state[LAST], state[SIDE], state[PHASE], state[VALUE], state[BEGUN]
    for i in range(out.size):
        high = gate[i] > 0.5
        if not linked & GATE_BIT:
            phase += min(rate_hz[i] / rate, 1.0)
            if phase >= 1.0:
                phase, on = phase - 1.0, 1.0 - on
        elif mode[i] < 0.5:
            on = 1.0 if high else 0.0
        elif high and last <= 0.5:
            on = 1.0 - on
        last = gate[i]
        first = a[i] if linked & A_BIT else value_a[i]
        second = b[i] if linked & B_BIT else value_b[i]
        goal = second if on > 0.5 else first
        if glide_s[i] > SHORTEST_S and begun > 0.0:
            value += (goal - value) * approach_step(glide_s[i], rate)
        else:
            value = goal
        begun = 1.0
        out[i], side[i] = value, on
    state[LAST], state[SIDE], state[PHASE], state[VALUE], state[BEGUN] = last, on, phase, value, begun


MODULE = ModuleSpec(
    id="two-way-switch",
    name="Two-way switch",
    stage="motion",
    sentence="Switches between two values or two signals, by a gate or at its own rate.",
    kernel=kernel,
    inputs=(
        Input("a", "Signal a", "control", "Replaces value a when linked."),
        Input("b", "Signal b", "control", "Replaces value b when linked."),
        Input("gate", "Gate", "gate", "Selects a or b; with nothing linked it runs at its own rate."),
    ),
    params=(
        Param("value_a", "Value a", "none", -1, 1, 0, "What it gives first.", amount=0.3),
        Param("value_b", "Value b", "none", -1, 1, 1, "What it gives then.", amount=0.3),
        Param("mode", "Gate means", "choice", 0, 1, 0, "b while the gate is high, or toggle at each trigger.",
              ("b while high", "change at each")),
        Param("rate_hz", "Own rate", "hz", 1 / 3600, 200, 1, "Changes per second when no gate is linked.",
              taper="octaves", amount=1.0, idle_with="gate"),
        Param("glide_s", "Glide", "s", SHORTEST_S, 10, SHORTEST_S, "Crossfade time between the two.",
              taper="octaves", amount=1.0),
    ),
    outputs=(Output("out", "Value", "control"), Output("side", "Side", "gate", 0, 1)),
    state=5,
    cycle=Cycle(None, lambda g: 0.0 if "gate" in g.linked else 2.0 / g.values["rate_hz"], ("rate_hz",),
                lambda g: 2 if g.values["mode"] else 1, ("gate",)),
    face="rate_hz",
    passes="a",
    words=("alternate", "toggle", "either or", "flip", "a b"),
    presets=(
        Preset("Alternate", "The other side at each trigger.",
               {"mode": "change at each"}, ("one after the other",)),
    ),
    sources=("definition",),
)  # fmt: skip
