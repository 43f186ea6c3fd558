"""Step sequencer: four rows of values, gates, chance, ratchets and ties."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Drawn, Key, Mask, Row, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, Preset, Series
from dunefall.dsp.random import uniform
from dunefall.dsp.steps import DIRECTIONS, after, steps_of_round
from dunefall.dsp.triggers import wrapped

__all__ = ["MODULE"]

LAST, RESET, SINCE, GAP, OPEN, HIT, LAST_B, LAST_C, LAST_D = range(9)
PLACES, COUNTS = 9, 13
ROWS = "abcd"
GATES_STREAM = 8
STEPS = 16
CHOSEN = "1234"
OF_ROW_A = ("a", "gate", "gate_b", "gate_c", *(f"at_{k}" for k in CHOSEN), "place", "refused")
LATE = 4.0
"""How many times the last gap a gate stays open at most when the clock stops."""


def kernel(
    clock: Row, reset: Row, clock_b: Row, clock_c: Row, clock_d: Row, length_a: Row, length_b: Row, length_c: Row,
    length_d: Row, direction_a: Row, direction_b: Row, direction_c: Row, direction_d: Row, width: Row, step_1: Row,
    step_2: Row, step_3: Row, step_4: Row, row_a: Drawn, row_b: Drawn, row_c: Drawn, row_d: Drawn, gates: Drawn,
    chances: Drawn, ratchets: Drawn, ties: Drawn, gates_b: Drawn, gates_c: Drawn, a: Row, b: Row, c: Row, d: Row,
    gate: Row, gate_b: Row, gate_c: Row, at_1: Row, at_2: Row, at_3: Row, at_4: Row, place: Row, refused: Row,
    state: State, key: Key, linked: Mask,
) -> None:  # fmt: skip
    """State: last clock, last reset, samples since the step, samples between the two steps before, whether the step
    sounds, whether it is a hit at all, the clocks of the other rows; for each row
    its step and how many it has taken.

    The gates and the triggers of steps belong to row a. A ratchet divides the last gap between two steps; a tied step
    keeps the gate open.
    """
    for i in range(a.size):
        if reset[i] > 0.5 and state[RESET] <= 0.5:
            state[COUNTS : COUNTS + 4] = 0.0
        state[RESET] = reset[i]
        state[SINCE] += 1.0
        if clock[i] > 0.5 and state[LAST] <= 0.5:
            state[GAP] = state[SINCE] if state[COUNTS] > 0.0 or state[SINCE] > 1.0 else 0.0
            state[SINCE] = 0.0
            _advance(state, 0, direction_a[i], length_a[i], key)
            at = int(state[PLACES])
            hit = gates[1 + at] > 0.5
            state[HIT] = 1.0 if hit else 0.0
            sounds = hit and uniform(key, state[COUNTS], GATES_STREAM) < chances[1 + at]
            state[OPEN] = 1.0 if sounds or (ties[1 + at] > 0.5 and state[OPEN] > 0.5) else 0.0
            if not linked & 0b100:
                _advance(state, 1, direction_b[i], length_b[i], key)
            if not linked & 0b1000:
                _advance(state, 2, direction_c[i], length_c[i], key)
            if not linked & 0b10000:
                _advance(state, 3, direction_d[i], length_d[i], key)
        state[LAST] = clock[i]
        state[LAST_B] = _own(state, 1, clock_b[i], state[LAST_B], direction_b[i], length_b[i], key, linked & 0b100)
        state[LAST_C] = _own(state, 2, clock_c[i], state[LAST_C], direction_c[i], length_c[i], key, linked & 0b1000)
        state[LAST_D] = _own(state, 3, clock_d[i], state[LAST_D], direction_d[i], length_d[i], key, linked & 0b10000)
        at = int(state[PLACES])
        a[i], b[i] = row_a[1 + at], row_b[1 + int(state[PLACES + 1])]
        c[i], d[i] = row_c[1 + int(state[PLACES + 2])], row_d[1 + int(state[PLACES + 3])]
        gate[i] = _gate(state, clock[i], width[i], ratchets[1 + at], ties, at)
        plain = _plain_gate(state, clock[i], width[i])
        gate_b[i], gate_c[i] = plain * gates_b[1 + at], plain * gates_c[1 + at]
        at_1[i] = plain if at + 1 == int(step_1[i] + 0.5) else 0.0
        at_2[i] = plain if at + 1 == int(step_2[i] + 0.5) else 0.0
        at_3[i] = plain if at + 1 == int(step_3[i] + 0.5) else 0.0
        at_4[i] = plain if at + 1 == int(step_4[i] + 0.5) else 0.0
        refused[i] = 1.0 if state[HIT] > 0.5 and state[OPEN] < 0.5 and clock[i] > 0.5 else 0.0
        place[i] = at / max(float(int(length_a[i] + 0.5)), 1.0)


@njit(error_model="numpy")
def _advance(state: State, row: int, direction: float, length: float, key: Key) -> None:
    count, steps = state[COUNTS + row], max(float(int(length + 0.5)), 1.0)
    place = min(state[PLACES + row], steps - 1.0)
    state[PLACES + row] = after(place, count, int(direction + 0.5), steps, key, row)
    state[COUNTS + row] = count + 1.0


@njit(error_model="numpy", forceinline=True)
def _own(
    state: State, row: int, clock: float, last: float, direction: float, length: float, key: Key, linked: Mask
) -> float:
    """A row with its own clock advances on that; returns the clock."""
    if linked and clock > 0.5 and last <= 0.5:
        _advance(state, row, direction, length, key)
    return clock


@njit(error_model="numpy", forceinline=True)
def _gate(state: State, clock: float, width: float, ratchet: float, ties: Row, at: int) -> float:
    if state[OPEN] < 0.5 or state[COUNTS] == 0.0:
        return 0.0
    gap, since = state[GAP], state[SINCE]
    if gap <= 1.0:
        return 1.0 if clock > 0.5 else 0.0
    if since >= LATE * gap:
        return 0.0
    times = max(float(int(ratchet + 0.5)), 1.0)
    place = since * times / gap
    into = place - float(int(place))
    if place >= times:  # the clock is late
        return 1.0 if ties[1 + int(wrapped(at + 1.0, ties[0]))] > 0.5 else 0.0
    follows = ties[1 + int(wrapped(at + 1.0, ties[0]))] > 0.5
    if place >= times - 1.0 and follows:
        return 1.0
    return 1.0 if into < width else 0.0


@njit(error_model="numpy", forceinline=True)
def _plain_gate(state: State, clock: float, width: float) -> float:
    """A gate for each step, without chance, ratchets and ties."""
    if state[COUNTS] == 0.0:
        return 0.0
    gap = state[GAP]
    return clock if gap <= 1.0 else 1.0 if state[SINCE] < gap * width else 0.0


def _row(letter: str) -> tuple[Param, Param]:
    return (
        Param(f"length_{letter}", f"Length, row {letter}", "none", 1, 64, 8, "How many steps it has.", amount=2.0,
              whole=True),
        Param(f"direction_{letter}", f"Direction, row {letter}", "choice", 0, 4, 0, "Which step comes next.",
              DIRECTIONS),
    )  # fmt: skip


ROW_PARAMS = tuple(_row(letter) for letter in ROWS)
FIRST_NOTES = (50, 57, 53, 60, 50, 62, 57, 48) * 8


def _chance(given: Given) -> bool:
    """A row in random order, or a step with a chance below 100 %."""
    length = round(given.values["length_a"])
    steps = zip(given.series["gates"][:length], given.series["chances"][:length], strict=True)
    ways = [given.values[f"direction_{letter}"] for letter in ROWS if _counts(given, letter)]
    left_out = given.matters("gate", "refused") and any(gate and 0 < chance < 1 for gate, chance in steps)
    return left_out or any(way >= 3 for way in ways)


def _counts(given: Given, letter: str) -> bool:
    """Whether a row is heard; the gates are of row a."""
    return given.matters(*OF_ROW_A) if letter == "a" else given.matters(letter)


def _steps(given: Given) -> tuple[int, ...]:
    """There and back takes all but the ends twice."""
    rounds = []
    for letter in ROWS:
        length, direction = round(given.values[f"length_{letter}"]), given.values[f"direction_{letter}"]
        rounds.append(steps_of_round(length, direction) if _counts(given, letter) else 1)
    common = [count for letter, count in zip(ROWS, rounds, strict=True) if f"clock_{letter}" not in given.linked]
    return math.lcm(*common), *rounds[1:]


MODULE = ModuleSpec(
    id="step-sequencer",
    name="Step sequencer",
    stage="motion",
    sentence="Up to 64 steps with a note and three more values each, gates, chance, ratchets and ties.",
    kernel=kernel,
    inputs=(
        Input("clock", "Clock", "gate", "Each rising edge is a step.", listens=True),
        Input("reset", "Reset", "gate", "Restarts at the first step with the next trigger."),
        *(Input(f"clock_{letter}", f"Clock of row {letter}", "gate", "A clock for this row; otherwise it uses the "
                "main clock.")
          for letter in "bcd"),
    ),
    params=(
        *(length for length, _ in ROW_PARAMS),
        *(direction for _, direction in ROW_PARAMS),
        Param("width", "Gate length", "ratio", 0.02, 1, 0.5, "Gate length, as a share of the step.", amount=0.3),
        *(Param(f"step_{k}", f"Trigger {k} at step", "none", 1, 64, first, "The step of row a at which it comes.",
                amount=1.0, whole=True) for k, first in zip(CHOSEN, (1, 3, 5, 7), strict=True)),
    ),
    series=(
        Series("row_a", "Notes", "note", 0, 127, FIRST_NOTES, "Row a: the note of each step.", least=64,
               used="length_a"),
        *(Series(f"row_{letter}", f"Values {letter}", "none", -1, 1, tuple(((k * step) % 9 - 4) / 4 for k in range(64)),
                 f"Row {letter}: a value for each step; the link sets its range.", least=64,
                 used=f"length_{letter}") for letter, step in (("b", 5), ("c", 2), ("d", 7))),
        Series("gates", "Gates", "choice", 0, 1, (1, 1, 0, 1, 1, 0, 1, 1) * 8, "Whether the step is played.", least=64,
               choices=("rest", "hit"), used="length_a"),
        Series("chances", "Chance", "ratio", 0, 1, (1.0,) * 64, "How likely a hit is heard.", least=64,
               used="length_a"),
        Series("ratchets", "Ratchets", "none", 1, 8, (1,) * 64, "Ratchets: hits within the step.", least=64,
               used="length_a"),
        Series("ties", "Ties", "choice", 0, 1, (0,) * 64, "Tie: continues the step before without a new hit.",
               least=64, choices=("new", "tied"), used="length_a"),
        *(Series(f"gates_{letter}", f"Gates {letter}", "choice", 0, 1, (0,) * 64, "Another row of gates for the same "
                 "steps.", least=64, choices=("rest", "hit"), used="length_a") for letter in "bc"),
    ),
    outputs=(
        Output("a", "Note", "pitch"),
        *(Output(letter, f"Value {letter}", "control") for letter in "bcd"),
        Output("gate", "Gate", "gate", 0, 1),
        *(Output(f"gate_{letter}", f"Gate {letter}", "gate", 0, 1) for letter in "bc"),
        *(Output(f"at_{k}", f"Trigger {k}", "gate", 0, 1) for k in CHOSEN),
        Output("place", "Place", "control", 0, 1, seen=True),
        Output("refused", "Refused hits", "gate", 0, 1, seen=True),
    ),
    state=17,
    cycle=Cycle(_chance, steps=_steps, at=("clock", "clock_b", "clock_c", "clock_d")),
    face="length_a",
    groups=(
        ("Rows b to d", ("clock_b", "clock_c", "clock_d", "length_b", "length_c", "length_d", "direction_b",
         "direction_c", "direction_d")),
        ("Triggers of single steps", tuple(f"step_{k}" for k in CHOSEN)),
    ),
    words=("sequence", "steps", "melody", "pattern", "bassline", "ratchet", "tie"),
    presets=(
        Preset("Random order", "Eight steps, the next one at random.",
               {"direction_a": "random", "direction_b": "random", "direction_c": "random", "direction_d": "random"},
               ("shuffled steps",)),
        Preset("Rows of 5, 7 and 8", "Three rows whose lengths differ, so that they meet anew after 280 steps.",
               {"length_a": 5, "length_b": 7, "length_c": 8}, ("polymetre", "polymeter", "phasing rows")),
    ),
    sources=("definition",),
)  # fmt: skip
