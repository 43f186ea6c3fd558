"""Curve sequencer: each step is a curve."""

from __future__ import annotations

import math
from collections.abc import Mapping
from fractions import Fraction

import numpy as np
from numba import njit

from dunefall.base.arrays import Drawn, Mask, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, Series
from dunefall.dsp.curves import drawn
from dunefall.dsp.maths import sine
from dunefall.dsp.triggers import PULSE_S, held_for, pulsed, wrapped

__all__ = ["CURVE_NAMES", "MODULE"]

PHASE, STEP, RESET, CLOCK, SINCE, GAP, PULSE, BEGUN, PHASE_B, STEP_B, PULSE_B = range(11)
CLOCK_BIT = 1
EARLY = 1e-9
"""A sum of many shares of a sample is so far off a whole step at most."""
CURVE_NAMES = (
    "flat", "ramp up", "ramp down", "swell", "sink", "hump", "pluck", "late rise", "stairs", "ripple", "knock",
    "double", "tremble", "drawn 1", "drawn 2",
)  # fmt: skip
DRAWN_1 = 13
STEPS = 64
DRAWN = ((0, 1, 0.6, 0.2, 0.4, 0.1, 0), (1, 0, 0.8, 0, 0.5, 0))


def kernel(
    clock: Row, reset: Row, sync: Row, period_beats: Row, period_s: Row, steps: Row, first_step: Row, blend: Row,
    span: Row, tempo_bpm: Row, apart: Row, steps_b: Row, curves_a: Drawn, curves_b: Drawn, heights: Drawn,
    lengths: Drawn, lengths_b: Drawn, drawn_1: Drawn, drawn_2: Drawn, out: Row, a: Row, b: Row, step: Row, step_b: Row,
    place: Row, state: State, rate: Scalar, linked: Mask,
) -> None:  # fmt: skip
    """State: how much of the step is done, its number, last reset, last clock, samples since the clock, samples between
    the two before, samples for which the step's trigger stays high, 1 once the first step has begun; how much of the
    second row's step is done, its number, its trigger.

    With a clock, the first tick begins the first step, and each step lasts until the next tick.
    """
    phase, at, last_reset, last = state[PHASE], state[STEP], state[RESET], state[CLOCK]
    since, gap, pulse, begun = state[SINCE], state[GAP], state[PULSE], state[BEGUN]
    phase_b, at_b, pulse_b = state[PHASE_B], state[STEP_B], state[PULSE_B]
    for i in range(out.size):
        count, fires, alone = max(float(int(steps[i] + 0.5)), 1.0), False, apart[i] >= 0.5
        count_b = max(float(int(steps_b[i] + 0.5)), 1.0) if alone else count
        fires_b = False
        since += 1.0
        if reset[i] > 0.5 and last_reset <= 0.5:
            phase = at = begun = phase_b = at_b = 0.0
        if linked & CLOCK_BIT:
            if clock[i] > 0.5 and last <= 0.5:
                gap = since if begun > 0.0 else gap
                at = wrapped(at + 1.0, count) if begun > 0.0 else 0.0
                at_b = wrapped(at_b + 1.0, count_b) if begun > 0.0 else 0.0
                since, begun, fires, fires_b = 0.0, 1.0, True, True
            phase = phase_b = min(since / gap, 1.0) if gap > 0.0 and begun > 0.0 else 0.0
        elif begun == 0.0:
            begun, fires, fires_b = 1.0, True, True
        else:
            samples = (period_s[i] if sync[i] >= 0.5 else period_beats[i] * 60.0 / tempo_bpm[i]) * rate
            phase, at, fires = _gone_on(phase, at, samples, lengths, first_step[i], count)
            if alone:
                phase_b, at_b, fires_b = _gone_on(phase_b, at_b, samples, lengths_b, first_step[i], count_b)
        if not alone:
            phase_b, at_b, fires_b = phase, at, fires
        last_reset, last = reset[i], clock[i]
        where = _where(at, first_step[i], count)
        low = 2.0 * (span[i] < 0.5)
        where_b = _where(at_b, first_step[i], count_b)
        level, level_b = heights[1 + where], heights[1 + where_b]
        one = level * _curve(int(curves_a[1 + where]), phase, drawn_1, drawn_2)
        two = level_b * _curve(int(curves_b[1 + where_b]), phase_b, drawn_1, drawn_2)
        if low != 0.0:
            one, two = 2.0 * one - level, 2.0 * two - level_b
        a[i], b[i], out[i] = one, two, one + blend[i] * (two - one)
        step[i], pulse = pulsed(fires, pulse, held_for(PULSE_S, rate))
        step_b[i], pulse_b = pulsed(fires_b, pulse_b, held_for(PULSE_S, rate))
        place[i] = (where + phase) / count
    state[PHASE], state[STEP], state[RESET], state[CLOCK] = phase, at, last_reset, last
    state[SINCE], state[GAP], state[PULSE], state[BEGUN] = since, gap, pulse, begun
    state[PHASE_B], state[STEP_B], state[PULSE_B] = phase_b, at_b, pulse_b


@njit(error_model="numpy", forceinline=True)
def _gone_on(
    phase: float, at: float, samples: float, lengths: Row, first_step: float, count: float
) -> tuple[float, float, bool]:
    """A row's place a sample on, and whether a step begins; a step lasts so many samples times its duration."""
    taken = lengths[1 + _where(at, first_step, count)]
    phase += 1.0 / max(samples * taken, 1.0)
    if phase < 1.0 - EARLY:
        return phase, at, False
    at = wrapped(at + 1.0, count)  # what is left of the sample is a share of the next step, not of this one
    return max(phase - 1.0, 0.0) * taken / lengths[1 + _where(at, first_step, count)], at, True


@njit(error_model="numpy", forceinline=True)
def _where(at: float, first_step: float, count: float) -> int:
    """Which of the drawn steps is played."""
    return int(wrapped(at + float(int(first_step + 0.5)) - 1.0, count))


@njit(error_model="numpy")
def _curve(kind: float, at: float, drawn_1: Row, drawn_2: Row) -> float:
    """Height 0..1 of a curve of the set at a place 0..1 of the step."""
    if kind >= DRAWN_1:
        return drawn(drawn_1 if kind == DRAWN_1 else drawn_2, at, False)
    if kind == 0:
        return 1.0
    if kind == 1:
        return at
    if kind == 2:
        return 1.0 - at
    if kind == 3:
        return at * at
    if kind == 4:
        return (1.0 - at) * (1.0 - at)
    if kind == 5:
        return sine(0.5 * at)
    if kind == 6:
        rest = 1.0 - at
        return min(40.0 * at, 1.0) * rest * rest * rest * rest
    if kind == 7:
        return at * at * at * at * at
    if kind == 8:
        return float(int(4.0 * min(at, 0.999999))) / 3.0
    if kind == 9:
        return 0.5 - 0.5 * sine(0.25 + 3.0 * at)
    if kind == 10:
        return 1.0 if at < 0.08 else 0.0
    if kind == 11:
        return 1.0 - 2.0 * at if at < 0.5 else 2.0 - 2.0 * at
    return (1.0 - at) * (0.5 + 0.5 * sine(0.25 + 8.0 * at))


def _shape(kind: int, at: float, series: Mapping[str, tuple[float, ...]]) -> float:
    """A curve of the set, as drawn."""
    drawn_curves = [(len(x), *x) for x in (series.get(f"drawn_{k + 1}", DRAWN[k]) for k in range(2))]
    return float(_curve(kind, at, np.array(drawn_curves[0]), np.array(drawn_curves[1])))


def _steps(values: tuple[float, ...]) -> tuple[float, ...]:
    return tuple(values[k % len(values)] for k in range(STEPS))


def _rows(given: Given) -> list[tuple[int, tuple[float, ...]]]:
    """Steps and durations of the rows that matter."""
    values, alone = given.values, given.values["apart"] >= 0.5 and given.matters("out", "b", "step_b")
    rows = [(round(values["steps"]), given.series["lengths"])]
    return [*rows, (round(values["steps_b"]), given.series["lengths_b"])] if alone else rows


def _period_s(given: Given) -> float:
    """All steps of each row, each for its own duration, until both rows begin together."""
    if "clock" in given.linked:
        return 0.0
    values = given.values
    step = values["period_s"] if values["sync"] else values["period_beats"] * 60.0 / values["tempo_bpm"]
    rounds = [Fraction(sum(lengths[:steps])).limit_denominator(10**6) for steps, lengths in _rows(given)]
    bottom = math.lcm(*(x.denominator for x in rounds))
    return step * math.lcm(*(int(x * bottom) for x in rounds)) / bottom


LAST_CURVE = len(CURVE_NAMES) - 1
MODULE = ModuleSpec(
    id="curve-sequencer",
    name="Curve sequencer",
    stage="motion",
    sentence="Plays one curve per step and can blend into a second row of curves.",
    kernel=kernel,
    inputs=(
        Input("clock", "Clock", "gate", "Each rising edge is a step; with nothing linked it runs at its own period."),
        Input("reset", "Reset", "gate", "Returns to the first step when it goes high."),
    ),
    params=(
        Param("sync", "Counts in", "choice", 0, 1, 0, "Unit of a step's length.", ("beats", "seconds"),
              idle_with="clock"),
        Param("period_beats", "Step in beats", "beats", 1 / 64, 256, 0.5, taper="octaves", amount=1.0,
              idle_with="clock", shown_when=("sync", (0,))),
        Param("period_s", "Step in seconds", "s", 0.002, 600, 0.25, taper="octaves", amount=1.0, idle_with="clock",
              shown_when=("sync", (1,))),
        Param("steps", "Steps", "none", 1, STEPS, 8, "How many steps a round has.", amount=2.0, whole=True),
        Param("first_step", "First step", "none", 1, STEPS, 1, "Which one begins the round.", amount=2.0, whole=True),
        Param("blend", "Blend", "ratio", 0, 1, 0, "From the first row of curves to the second.", amount=0.3),
        Param("span", "Span", "choice", 0, 1, 1, "Both ways, or upwards only.", ("−1 to 1", "0 to 1")),
        Param("tempo_bpm", "Tempo", "bpm", 10, 400, 92, follows="tempo"),
        Param("apart", "Row b", "choice", 0, 1, 0, "Keeps to the steps of row a, or has its own number and durations.",
              ("with row a", "by itself")),
        Param("steps_b", "Steps of row b", "none", 1, STEPS, 5, "How many steps a round of row b has.", amount=2.0,
              whole=True, shown_when=("apart", (1,))),
    ),
    series=(
        Series("curves_a", "Curves a", "choice", 0, LAST_CURVE, _steps((6, 10, 6, 1, 6, 2, 9, 0)),
               "The curve of each step.", least=STEPS, choices=CURVE_NAMES, used="steps", shape=_shape),
        Series("curves_b", "Curves b", "choice", 0, LAST_CURVE, _steps((5, 3, 11, 12)),
               "The curve of each step, second row.", least=STEPS, choices=CURVE_NAMES, used="steps",
               shape=_shape),
        Series("heights", "Levels", "ratio", 0, 1, _steps((1, 0.6, 0.8, 0.4)), "How high each step goes.", least=STEPS,
               used="steps"),
        Series("lengths", "Durations", "factor", 0.125, 8, (1.0,) * STEPS,
               "How long each step takes, in periods; with a Clock linked, each takes one tick.",
               least=STEPS, used="steps"),
        Series("lengths_b", "Durations of row b", "factor", 0.125, 8, (1.0,) * STEPS,
               "How long each step of row b takes, where it goes by itself.", least=STEPS, used="steps_b"),
        Series("drawn_1", "Curve “drawn 1”", "ratio", 0, 1, DRAWN[0], "A curve of your own.",
               least=2, most=32, drawn="curve"),
        Series("drawn_2", "Curve “drawn 2”", "ratio", 0, 1, DRAWN[1], "Another one.", least=2, most=32,
               drawn="curve"),
    ),
    outputs=(
        Output("out", "Blend", "control"),
        Output("a", "Row a", "control"),
        Output("b", "Row b", "control"),
        Output("step", "Step", "gate", 0, 1),
        Output("step_b", "Step of row b", "gate", 0, 1),
        Output("place", "Place", "control", 0, 1, seen=True),
    ),
    state=11,
    cycle=Cycle(None, _period_s, ("period_s", "period_beats", "sync", "steps", "steps_b"),
                lambda g: math.lcm(*(steps for steps, _ in _rows(g))), ("clock",)),
    face="steps",
    groups=(
        ("Range of steps", ("first_step", "blend", "span", "apart", "steps_b", "lengths_b")),
    ),
    words=("machinery", "gestures", "curves", "envelope sequence", "mechanical", "texture rhythm"),
    sources=("curves of the project's own",),
)  # fmt: skip
