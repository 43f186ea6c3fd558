"""Divider: every n-th trigger, for eight numbers at once."""

from __future__ import annotations

import math

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param
from dunefall.dsp.triggers import unchanged, wrapped

__all__ = ["MODULE"]

LAST, RESET, COUNT = range(3)
USUAL = (2, 3, 4, 5, 6, 7, 8, 16)
LETTERS = "abcdefgh"


def kernel(
    trigger: Row, reset: Row, offset: Row, by_a: Row, by_b: Row, by_c: Row, by_d: Row, by_e: Row, by_f: Row, by_g: Row,
    by_h: Row, a: Row, b: Row, c: Row, d: Row, e: Row, f: Row, g: Row, h: Row, state: State,
) -> None:  # fmt: skip
    """State: last trigger, last reset, number of triggers since the reset.

    Triggers are counted, so that nothing drifts; an output is high with the triggers that it lets through.
    """
    last, last_reset, count = state[LAST], state[RESET], state[COUNT]
    if last <= 0.5 and unchanged(trigger, last) and unchanged(reset, last_reset):
        a[:], b[:], c[:], d[:], e[:], f[:], g[:], h[:] = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        return
    for i in range(a.size):
        if reset[i] > 0.5 and last_reset <= 0.5:
            count = 0.0
        high = trigger[i] > 0.5
        if high and last <= 0.5:
            count += 1.0
        last, last_reset = trigger[i], reset[i]
        a[i] = b[i] = c[i] = d[i] = e[i] = f[i] = g[i] = h[i] = 0.0
        if high and count > 0.0:
            at = count - 1.0 + int(offset[i] + 0.5)
            a[i] = 1.0 if wrapped(at, int(by_a[i] + 0.5)) == 0.0 else 0.0
            b[i] = 1.0 if wrapped(at, int(by_b[i] + 0.5)) == 0.0 else 0.0
            c[i] = 1.0 if wrapped(at, int(by_c[i] + 0.5)) == 0.0 else 0.0
            d[i] = 1.0 if wrapped(at, int(by_d[i] + 0.5)) == 0.0 else 0.0
            e[i] = 1.0 if wrapped(at, int(by_e[i] + 0.5)) == 0.0 else 0.0
            f[i] = 1.0 if wrapped(at, int(by_f[i] + 0.5)) == 0.0 else 0.0
            g[i] = 1.0 if wrapped(at, int(by_g[i] + 0.5)) == 0.0 else 0.0
            h[i] = 1.0 if wrapped(at, int(by_h[i] + 0.5)) == 0.0 else 0.0
    state[LAST], state[RESET], state[COUNT] = last, last_reset, count


def _rounds(given: Given) -> int:
    return math.lcm(*(round(given.values[f"by_{letter}"]) for letter in LETTERS if given.matters(letter)))


MODULE = ModuleSpec(
    id="divider",
    name="Divider",
    stage="time",
    sentence="Passes every second, third, … trigger: eight slower rhythms from one.",
    kernel=kernel,
    inputs=(
        Input("trigger", "Trigger", "gate", "What is counted.", listens=True),
        Input("reset", "Reset", "gate", "Restarts the count when it goes high."),
    ),
    params=(
        Param("offset", "Offset", "none", 0, 63, 0, "Starts all counts this many triggers earlier.", amount=1.0,
              whole=True),
        *(Param(f"by_{letter}", f"Divide {letter} by", "none", 1, 64, usual, f"Triggers for each one of {letter}.",
                amount=2.0, whole=True)
          for letter, usual in zip(LETTERS, USUAL, strict=True)),
    ),
    outputs=tuple(Output(letter, f"Every n-th, {letter}", "gate", 0, 1) for letter in LETTERS),
    state=3,
    cycle=Cycle(steps=_rounds, at=("trigger",), fires=tuple(LETTERS)),
    face="by_a",
    passes="trigger",
    groups=(
        ("Outputs d to h", ("by_d", "by_e", "by_f", "by_g", "by_h")),
    ),
    words=("clock divider", "slower", "every other", "count", "polyrhythm", "division"),
    sources=("counting (definition)",),
)  # fmt: skip
