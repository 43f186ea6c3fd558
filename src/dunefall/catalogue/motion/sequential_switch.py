"""Sequential switch: one of several, one after the other, in a set order."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Drawn, Key, Row, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, Series
from dunefall.dsp.maths import floor
from dunefall.dsp.random import uniform
from dunefall.dsp.triggers import wrapped

__all__ = ["MODULE"]

LAST, RESET, STEP = range(3)
FORWARD, BACKWARD, THERE_AND_BACK, ANY = range(4)
WAYS = "abcdefgh"


def kernel(
    a: Row, b: Row, c: Row, d: Row, e: Row, f: Row, g: Row, h: Row, trigger: Row, reset: Row, direction: Row,
    order: Drawn, out: Row,
    to_a: Row, to_b: Row, to_c: Row, to_d: Row, to_e: Row, to_f: Row, to_g: Row, to_h: Row, place: Row,
    state: State, key: Key,
) -> None:  # fmt: skip
    """State: last trigger, last reset, number of triggers since the reset."""
    last, last_reset, step, count = state[LAST], state[RESET], state[STEP], order[0]
    for i in range(out.size):
        if reset[i] > 0.5 and last_reset <= 0.5:
            step = 0.0
        if trigger[i] > 0.5 and last <= 0.5:
            step += 1.0
        last, last_reset = trigger[i], reset[i]
        at = _at(max(step - 1.0, 0.0), count, int(direction[i] + 0.5), key)
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


@njit(error_model="numpy", forceinline=True)
def _at(step: float, count: float, direction: int, key: Key) -> float:
    """Place in the order of a step from 0 on."""
    if direction == BACKWARD:
        return count - 1.0 - wrapped(step, count)
    if direction == THERE_AND_BACK and count > 1.0:
        at = wrapped(step, 2.0 * count - 2.0)
        return at if at < count else 2.0 * count - 2.0 - at
    if direction == ANY:
        return min(floor(uniform(key, step, 0) * count), count - 1.0)
    return wrapped(step, count)


def _steps(given: Given) -> int:
    count = len(given.series["order"])
    return max(2 * count - 2, 1) if given.values["direction"] == THERE_AND_BACK else count


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
              ("forward", "backward", "there and back", "at random")),
    ),
    series=(
        Series("order", "Order", "choice", 0, 7, (0, 0, 1, 2), "Which one at each step.", choices=tuple(WAYS)),
    ),
    outputs=(
        Output("out", "The one", "control"),
        *(Output(f"to_{way}", f"a sent to {way}", "control") for way in WAYS),
        Output("place", "Place", "control", 0, 1, seen=True),
    ),
    cycle=Cycle(lambda g: g.values["direction"] == ANY or "direction" in g.linked, steps=_steps, at=("trigger",)),
    state=3,
    passes="a",
    words=("router", "multiplexer", "rotate", "one of many", "alternate", "round robin", "mux"),
    sources=("definition",),
)  # fmt: skip
