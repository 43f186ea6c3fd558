"""Stepped random: values of a distribution, each held until the next."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Drawn, Key, Mask, Row, Scalar, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param, Preset, Series
from dunefall.dsp.random import uniform
from dunefall.dsp.triggers import PULSE_S, held_for, pulsed

__all__ = ["MODULE"]

HELD, LAST, PHASE, DRAWS, LEFT, BEGUN, RESET, STATE = range(8)
TRIGGER_BIT = 1
TRIES, NEARLY = 8, 1e-9
SHAPES = ("even", "bell", "mostly low", "mostly high", "drawn")


def kernel(
    trigger: Row, reset: Row, rate_hz: Row, shape: Row, low: Row, high: Row, grades: Row, apart: Row, chance: Row,
    odds: Drawn, out: Row, new: Row, state: State, key: Key, rate: Scalar, linked: Mask,
) -> None:  # fmt: skip
    """State: held value (before low and high, 0..1), last trigger, phase of the own clock, number of draws, samples for
    which the trigger of a new value stays high, 1 once begun, last reset.

    It begins with a value; the trigger of a new one comes with the first tick or trigger.
    """
    held, last, phase, draws, left = state[HELD], state[LAST], state[PHASE], state[DRAWS], state[LEFT]
    begun, outside, pulse = state[BEGUN], linked & TRIGGER_BIT, held_for(PULSE_S, rate)
    last_reset = state[RESET]
    for i in range(out.size):
        if reset[i] > 0.5 and last_reset <= 0.5:
            begun = draws = phase = 0.0
        last_reset = reset[i]
        if outside:
            due = trigger[i] > 0.5 and last <= 0.5
            last = trigger[i]
        else:
            due = phase >= 1.0 or begun == 0.0
            phase -= 1.0 if phase >= 1.0 else 0.0
            phase += min(rate_hz[i] / rate, 1.0)
        fires = due and uniform(key, draws, 1) < chance[i]
        if fires or begun == 0.0:
            held = _other(held, begun, key, draws, shape[i], grades[i], apart[i], odds)
        draws, begun = draws + (1.0 if due or begun == 0.0 else 0.0), 1.0
        out[i] = low[i] + (high[i] - low[i]) * held
        new[i], left = pulsed(fires, left, pulse)
    state[HELD], state[LAST], state[PHASE], state[DRAWS] = held, last, phase, draws
    state[LEFT], state[BEGUN], state[RESET] = left, begun, last_reset


@njit(error_model="numpy")
def _other(
    held: float, begun: float, key: Key, draws: float, shape: float, grades: float, apart: float, odds: Row
) -> float:
    """A value that is far enough from the present one: some tries, and then the nearest that is."""
    value, many = held, float(int(grades + 0.5))
    for attempt in range(TRIES):
        value = _on_grades(_shaped(uniform(key, draws * TRIES + attempt, 0), int(shape + 0.5), odds), many)
        if begun == 0.0 or apart == 0.0 or abs(value - held) >= apart - NEARLY:
            return value
    up, down = held + apart, held - apart
    if many >= 2.0:
        up = math.ceil((up - NEARLY) * (many - 1.0)) / (many - 1.0)
        down = math.floor((down + NEARLY) * (many - 1.0)) / (many - 1.0)
    return up if up <= 1.0 and (value >= held or down < 0.0) else down


@njit(error_model="numpy", forceinline=True)
def _on_grades(value: float, many: float) -> float:
    """The level of so many that a value in 0..1 belongs to."""
    return min(math.floor(value * many), many - 1.0) / (many - 1.0) if many >= 2.0 else value


@njit(error_model="numpy")
def _shaped(u: float, shape: float, odds: Row) -> float:
    """An even number in [0, 1) as one of another distribution, still in 0..1, by its inverse."""
    if shape == 1:  # six standard deviations wide
        return min(max(0.5 + _normal(u) / 6.0, 0.0), 1.0)
    if shape == 2:
        return min(-math.log(1.0 - u) / 5.0, 1.0)
    if shape == 3:
        return 1.0 - min(-math.log(1.0 - u) / 5.0, 1.0)
    if shape == 4:
        return _drawn(u, odds)
    return u


@njit(error_model="numpy")
def _normal(u: float) -> float:
    """Inverse of the normal distribution: Acklam's rational approximation, relative error below 1.15e-9."""
    p = min(max(u, 1e-10), 1.0 - 1e-10)
    if p < 0.02425 or p > 1.0 - 0.02425:
        q = math.sqrt(-2.0 * math.log(min(p, 1.0 - p)))
        top = ((((-7.784894002430293e-03 * q - 3.223964580411365e-01) * q - 2.400758277161838) * q
                - 2.549732539343734) * q + 4.374664141464968) * q + 2.938163982698783  # fmt: skip
        under = (((7.784695709041462e-03 * q + 3.224671290700398e-01) * q + 2.445134137142996) * q
                 + 3.754408661907416) * q + 1.0  # fmt: skip
        return top / under if p < 0.5 else -top / under
    q = p - 0.5
    r = q * q
    top = (((((-3.969683028665376e+01 * r + 2.209460984245205e+02) * r - 2.759285104469687e+02) * r
             + 1.383577518672690e+02) * r - 3.066479806614716e+01) * r + 2.506628277459239) * q  # fmt: skip
    under = ((((-5.447609879822406e+01 * r + 1.615858368580409e+02) * r - 1.556989798598866e+02) * r
              + 6.680131188771972e+01) * r - 1.328068155288572e+01) * r + 1.0  # fmt: skip
    return top / under


@njit(error_model="numpy")
def _drawn(u: float, odds: Row) -> float:
    """Somewhere within one of the drawn bars, whose heights are their probabilities."""
    count, total = int(odds[0]), 0.0
    for k in range(count):
        total += odds[1 + k]
    if total <= 0.0:
        return u
    rest = u * total
    for k in range(count):
        if rest < odds[1 + k]:
            return (k + rest / odds[1 + k]) / count
        rest -= odds[1 + k]
    return 1.0


MODULE = ModuleSpec(
    id="stepped-random",
    name="Stepped random",
    stage="motion",
    sentence="Takes a new random value at each trigger, uniformly or from a distribution you draw.",
    kernel=kernel,
    inputs=(
        Input("trigger", "Trigger", "gate", "When to sample; with nothing linked it runs at its own rate."),
        Input("reset", "Reset", "gate", "Each rising edge begins the same row of values again."),
    ),
    params=(
        Param("rate_hz", "Own rate", "hz", 1 / 3600, 200, 2, "Values per second when no trigger is linked.",
              taper="octaves", amount=1.0, idle_with="trigger"),
        Param("shape", "Distribution", "choice", 0, 4, 0, "Which values are likely.", SHAPES),
        Param("low", "Lowest", "none", -1, 1, -1, "Lower end of the values.", amount=0.3),
        Param("high", "Highest", "none", -1, 1, 1, "Upper end of the values.", amount=0.3),
        Param("grades", "Levels", "none", 0, 32, 0, "Number of evenly spaced values; 0: continuous.", amount=2.0,
              whole=True),
        Param("apart", "Apart", "ratio", 0, 0.5, 0, "Minimum distance from the previous value: no repeats.",
              amount=0.1),
        Param("chance", "Chance", "ratio", 0, 1, 1, "Probability that a trigger brings a new value.", amount=0.3),
    ),
    series=(
        Series("odds", "Drawn odds", "ratio", 0, 1, (1, 0.6, 0.3, 0.1, 0.1, 0.3, 0.6, 1),
               "The distribution “drawn”: how likely each part of the range is.", least=2, most=32),
    ),
    outputs=(Output("out", "Value", "control"), Output("new", "New value", "gate", 0, 1)),
    state=STATE,
    face="rate_hz",
    words=("random notes", "random values", "stairs", "dice", "machine talking", "gaussian"),
    presets=(
        Preset("Held random", "A new value twice a second.",
               {}, ("stepped random voltage", "random steps")),
        Preset("Dice", "One of six values.",
               {"grades": 6}, ("die", "six values")),
        Preset("Bell-shaped random", "Mostly near the middle, rarely far from it.",
               {"shape": "bell"}, ("gaussian", "normal distribution")),
    ),
    sources=("inverse transform sampling (textbook)", "Acklam 2003, inverse normal distribution (from memory)"),
)  # fmt: skip
