"""Trigger delay: each trigger later, and as long as wanted."""

from __future__ import annotations

from dunefall.base.arrays import Memory, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.triggers import held_for, pulsed, unchanged

__all__ = ["MODULE"]

LAST, LEFT, FIRST, WAITING, NOW = range(5)
MOST = 64


def kernel(trigger: Row, delay_s: Row, length_s: Row, out: Row, state: State, memory: Memory, rate: Scalar) -> None:
    """State: last trigger, samples for which the gate stays high, place of the oldest trigger under way, how many there
    are, samples since the start. Memory: when each is due.

    More than 64 triggers under way at once: the newest are lost.
    """
    last, left, first, waiting, now = state[LAST], state[LEFT], state[FIRST], state[WAITING], state[NOW]
    if waiting == 0.0 and left == 0.0 and unchanged(trigger, last):
        for i in range(out.size):
            out[i] = 0.0
        state[LAST], state[NOW] = trigger[out.size - 1], now + out.size
        return
    for i in range(out.size):
        if trigger[i] > 0.5 and last <= 0.5 and waiting < MOST:
            memory[int(first + waiting) % MOST] = now + float(int(delay_s[i] * rate + 0.5))
            waiting += 1.0
        last = trigger[i]
        due = waiting > 0.0 and memory[int(first)] <= now
        if due:
            first, waiting = float((int(first) + 1) % MOST), waiting - 1.0
        out[i], left = pulsed(due, left, held_for(length_s[i], rate))
        now += 1.0
    state[LAST], state[LEFT], state[FIRST], state[WAITING], state[NOW] = last, left, first, waiting, now


MODULE = ModuleSpec(
    id="trigger-delay",
    name="Trigger delay",
    stage="time",
    sentence="Delays each trigger and sends it as a gate of a set length.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "Each rising edge is delayed.", listens=True),),
    params=(
        Param("delay_s", "Delay", "s", 0.0001, 60, 0.25, "Delay time; note values work too.", taper="octaves",
              amount=1.0),
        Param("length_s", "Gate length", "s", 0.0005, 60, 0.05, "How long the gate is high.", taper="octaves",
              amount=1.0),
    ),
    outputs=(Output("out", "Gate", "gate", 0, 1),),
    state=5,
    memory=MOST,
    cycle=Cycle(memory_s=lambda g: g.values["delay_s"], fires=("out",)),
    face="delay_s",
    passes="trigger",
    words=("late", "gate length", "echo of triggers", "hold", "shorten", "lengthen"),
    sources=("definition",),
)  # fmt: skip
