"""Random walk: each value a small step from the one before."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Key, Mask, Row, Scalar, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.random import uniform
from dunefall.dsp.triggers import PULSE_S, held_for, pulsed

__all__ = ["MODULE"]

HERE, GOAL, PHASE, LAST, RESET, DRAWS, LEFT = range(7)
TRIGGER_BIT = 1


def kernel(
    trigger: Row, reset: Row, rate_hz: Row, step: Row, elasticity: Row, low: Row, high: Row, smooth: Row, out: Row,
    new: Row, state: State, key: Key, rate: Scalar, linked: Mask,
) -> None:  # fmt: skip
    """State: the place before this step and after it (-1..1), how much of the step is done, last trigger, last reset,
    number of steps, samples for which the trigger of a new value stays high."""
    here, goal, phase, last, last_reset = state[HERE], state[GOAL], state[PHASE], state[LAST], state[RESET]
    draws, left, outside, pulse = state[DRAWS], state[LEFT], linked & TRIGGER_BIT, held_for(PULSE_S, rate)
    for i in range(out.size):
        phase += min(rate_hz[i] / rate, 1.0)
        due = phase >= 1.0
        if outside:
            due = trigger[i] > 0.5 and last <= 0.5
        last = trigger[i]
        if reset[i] > 0.5 and last_reset <= 0.5:
            here = goal = 0.0
        last_reset = reset[i]
        if due:
            here, phase = goal, 0.0 if outside else phase - 1.0
            goal = _stepped(goal, step[i], elasticity[i], 2.0 * uniform(key, draws, 0) - 1.0)
            draws += 1.0
        place = min(phase, 1.0)
        way = smooth[i] * place * place * (3.0 - 2.0 * place) + 1.0 - smooth[i]
        value = here + (goal - here) * way
        out[i] = low[i] + (high[i] - low[i]) * 0.5 * (value + 1.0)
        new[i], left = pulsed(due, left, pulse)
    state[HERE], state[GOAL], state[PHASE], state[LAST], state[RESET] = here, goal, phase, last, last_reset
    state[DRAWS], state[LEFT] = draws, left


@njit(error_model="numpy", forceinline=True)
def _stepped(value: float, step: float, elasticity: float, away: float) -> float:
    """A step away, drawn back to the middle, thrown back at the ends."""
    value = value * (1.0 - elasticity) + step * away
    if value > 1.0:
        value = 2.0 - value
    if value < -1.0:
        value = -2.0 - value
    return min(max(value, -1.0), 1.0)


MODULE = ModuleSpec(
    id="random-walk",
    name="Random walk",
    stage="motion",
    sentence="Takes small random steps from its current value, within bounds, with an adjustable pull to the middle.",
    kernel=kernel,
    inputs=(
        Input("trigger", "Trigger", "gate", "When to step; with nothing linked it runs at its own rate."),
        Input("reset", "Reset", "gate", "Returns to the middle when it goes high."),
    ),
    params=(
        Param("rate_hz", "Own rate", "hz", 1 / 3600, 200, 4, "Steps per second when no trigger is linked.",
              taper="octaves", amount=1.0),
        Param("step", "Step", "ratio", 0, 1, 0.15, "Largest step, as a share of half the range.", amount=0.1),
        Param("elasticity", "Elasticity", "ratio", 0, 1, 0.02, "Strength of the pull to the middle.",
              amount=0.1),
        Param("low", "Lowest", "none", -1, 1, -1, "Lower bound.", amount=0.3),
        Param("high", "Highest", "none", -1, 1, 1, "Upper bound.", amount=0.3),
        Param("smooth", "Smoothness", "ratio", 0, 1, 1, "From steps to a smooth line.", amount=0.3),
    ),
    outputs=(Output("out", "Value", "control"), Output("new", "New value", "gate", 0, 1)),
    state=7,
    face="rate_hz",
    words=("drunk", "brownian", "wander", "drift", "bounded", "stagger"),
    sources=("random walk with reflecting bounds and a pull to the middle (textbook)",),
)  # fmt: skip
