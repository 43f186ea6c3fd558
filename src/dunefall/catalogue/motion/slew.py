"""Slew: follows its input, but takes its time."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, settling
from dunefall.dsp.follow import approach, approach_step, follow

__all__ = ["MODULE"]

VALUE, BEGUN, GOAL, STEP = range(4)
MOVES, KIND_MOVES, SLIDE = 0b1100, 0b10000, 0b10
EASED, TIMED, RATED = range(3)


def kernel(
    signal: Row, slide: Row, rise_s: Row, fall_s: Row, kind: Row, out: Row, state: State, rate: Scalar, moving: Mask,
    linked: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: value, 1 once begun, where a straight way in a set time leads, its step per sample."""
    while state[BEGUN] == 0.0:  # once: a branch that is foretold, where a choice would be waited for
        state[VALUE], state[BEGUN], state[GOAL] = signal[0], 1.0, signal[0]
    if linked & SLIDE:
        _sliding(signal, slide, rise_s, fall_s, kind, out, state, rate)
    elif kind[0] == EASED and not moving & KIND_MOVES:
        state[VALUE] = follow(out, signal, state[VALUE], rise_s, fall_s, rate, moving & MOVES, scratch)
        state[GOAL] = state[VALUE]  # a straight way that is chosen now begins here
    else:
        _straight(signal, rise_s, fall_s, kind, out, state, rate)


@njit(error_model="numpy")
def _sliding(signal: Row, slide: Row, rise_s: Row, fall_s: Row, kind: Row, out: Row, state: State, rate: float) -> None:
    """Sample by sample: where it may not glide it is where its input is."""
    for i in range(out.size):
        if slide[i] <= 0.5:
            state[VALUE] = state[GOAL] = out[i] = signal[i]
        elif kind[i] < 0.5:
            rise, fall = approach_step(rise_s[i], rate), approach_step(fall_s[i], rate)
            state[VALUE] = state[GOAL] = out[i] = approach(state[VALUE], signal[i], rise, fall)
        else:
            here = slice(i, i + 1)
            _straight(signal[here], rise_s[here], fall_s[here], kind[here], out[here], state, rate)


@njit(error_model="numpy")
def _straight(signal: Row, rise_s: Row, fall_s: Row, kind: Row, out: Row, state: State, rate: float) -> None:
    value, goal, step = state[VALUE], state[GOAL], state[STEP]
    for i in range(out.size):
        wanted = signal[i]
        samples = max((rise_s[i] if wanted > value else fall_s[i]) * rate, 1.0)
        if kind[i] >= 1.5:
            step = 1.0 / samples
        elif wanted != goal:
            step = abs(wanted - value) / samples
        goal = wanted
        value = min(value + step, wanted) if wanted > value else max(value - step, wanted)
        out[i] = value
    state[VALUE], state[GOAL], state[STEP] = value, goal, step


MODULE = ModuleSpec(
    id="slew",
    name="Slew",
    stage="motion",
    sentence="Limits how fast its input rises and falls, so that steps become glides.",
    kernel=kernel,
    inputs=(
        Input("signal", "Signal", "control", "What is followed."),
        Input("slide", "Slide now", "gate", "When linked, it glides only while this is high; otherwise it is at once "
              "where its input is."),
    ),
    params=(
        Param("rise_s", "Rise", "s", 0.0005, 60, 0.13, "Time for 99 % of an upward step.",
              taper="octaves", amount=1.0),
        Param("fall_s", "Fall", "s", 0.0005, 60, 0.13, "Time for 99 % of a downward step.",
              taper="octaves", amount=1.0),
        Param("kind", "Way", "choice", 0, 2, 0, "Exponential; linear with constant time; or linear with constant "
              "speed.", ("eased", "straight, same time", "straight, same rate"), usual=0),
    ),
    outputs=(Output("out", "Value", "control"),),
    state=4,
    cycle=Cycle(memory_s=lambda g: settling(g, "rise_s", "fall_s")),
    face="rise_s",
    passes="signal",
    together=("rise_s", "fall_s"),
    words=("lag", "smooth", "glide", "portamento"),
    sources=("first-order low-pass, step response 1 - exp(-t / tau) (textbook)",),
)  # fmt: skip
