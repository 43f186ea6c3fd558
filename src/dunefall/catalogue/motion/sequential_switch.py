"""Sequential switch: one of several, one after the other, in a set order."""

from __future__ import annotations

from dunefall.base.arrays import Drawn, Key, Row, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Series
from dunefall.dsp.steps import ANY, DIRECTIONS, after, steps_of_round

__all__ = ["MODULE"]

LAST, RESET, STEP = range(3)
WAYS = "abcdefgh"


def kernel(
    a: Row, b: Row, c: Row, d: Row, e: Row, f: Row, g: Row, h: Row, trigger: Row, reset: Row, direction: Row,
    order: Drawn, out: Row, to_a: Row, to_b: Row, to_c: Row, to_d: Row, to_e: Row, to_f: Row, to_g: Row, to_h: Row,
    place: Row, state: State, key: Key,
) -> None:  # fmt: skip
    """State: last trigger, last reset, number of triggers since the reset."""
    last, last_reset, step, count = state[LAST], state[RESET], state[STEP], order[0]
    for i in range(out.size):
        if reset[i] > 0.5 and last_reset <= 0.5:
            step = 0.0
        if trigger[i] > 0.5 and last <= 0.5:
            step += 1.0
        last, last_reset = trigger[i], reset[i]
        at = after(0.0, max(step - 1.0, 0.0), int(direction[i] + 0.5), count, key, 0)
        way = int(order[1 + int(at)])
        low = a[i] if way == 0 else b[i] if way == 1 else c[i] if way == 2 else d[i]
        high = e[i] if way == 4 else f[i] if way == 5 else g[i] if way == 6 else h[i]
        out[i] = low if way < 4 else high
        to_a[i] = a[i] if way == 0 else 0.0
        to_b[i] = a[i] if way == 1 else 0.0
        to_c[i] = a[i] if way == 2 else 0.0
        to_d[i] = a[i] if way == 3 else 0.0
        to_e[i] = a[i] if way == 4 else 0.0
        to_f[i] = a[i] if way == 5 else 0.0
        to_g[i] = a[i] if way == 6 else 0.0
        to_h[i] = a[i] if way == 7 else 0.0
        place[i] = at / count
    state[LAST], state[RESET], state[STEP] = last, last_reset, step


MODULE = ModuleSpec(
    id="sequential-switch",
    name="Sequential switch",
    stage="motion",
    sentence="Passes one of eight signals at a time, or sends one signal to eight outputs in turn, in any order.",
    kernel=kernel,
    inputs=(
        *(Input(way, f"Signal {way}", "control", "One of the inputs to switch between." if way != "a" else
                "One of the inputs to switch between; also the signal that is distributed.") for way in WAYS),
        Input("trigger", "Next", "gate", "Each rising edge is a step; the first one is the first step.",
              listens=True),
        Input("reset", "Reset", "gate", "Returns to the first step when it goes high; the next trigger is that one."),
    ),
    params=(
        Param("direction", "Direction", "choice", 0, 3, 0, "Which way through the order.",
              DIRECTIONS[: ANY + 1]),
    ),
    series=(
        Series("order", "Order", "choice", 0, 7, (0, 0, 1, 2), "Which one at each step.", choices=tuple(WAYS)),
    ),
    outputs=(
        Output("out", "The one", "control"),
        *(Output(f"to_{way}", f"a sent to {way}", "control") for way in WAYS),
        Output("place", "Place", "control", 0, 1, seen=True),
    ),
    cycle=Cycle(lambda g: g.values["direction"] == ANY or "direction" in g.linked,
                steps=lambda g: steps_of_round(len(g.series["order"]), g.values["direction"]), at=("trigger",)),
    state=3,
    passes="a",
    words=("router", "multiplexer", "rotate", "one of many", "alternate", "round robin", "mux"),
    sources=("definition",),
)  # fmt: skip
