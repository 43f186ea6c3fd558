"""Pattern field: three rhythms that belong together, from a field of patterns."""

from __future__ import annotations

import numpy as np
from numba import njit

from dunefall.base.arrays import Key, Row, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.random import uniform
from dunefall.dsp.triggers import unchanged, wrapped

__all__ = ["MODULE", "WEIGHTS"]

LAST, RESET, STEP, A, B, C, ROUNDS, ACCENT = range(8)
STEPS = 32
SIDE = 4
"""The field has so many patterns along each side."""
CYCLES = ((3, 8, 5), (4, 3, 7), (6, 5, 4), (5, 12, 3))
"""For each column: after how many steps the low, middle and high part come back to their strongest place."""
LEANS = (0, 2, 3, 1)
"""For each row: how many steps its parts lean away from the beginning."""


def _weights() -> np.ndarray:
    """How gladly each step of each pattern is a hit, 0 to 1: (row, column, part, step).

    A part is strong where its own cycle begins, less so in its middle, and weakest in between; a row moves the parts
    against each other, and its middle part answers the low one.
    """
    weights = np.zeros((SIDE, SIDE, 3, STEPS))
    for row in range(SIDE):
        for column in range(SIDE):
            for part in range(3):
                cycle = CYCLES[column][part]
                for step in range(STEPS):
                    at = (step - part * LEANS[row]) % STEPS
                    strong = 1.0 if at % cycle == 0 else 0.62 if (2 * at) % cycle < 2 else 0.18
                    own = ((step + 1) * (7 + 4 * part) * (row + 2) + 5 * column) % 17 / 17.0
                    weights[row, column, part, step] = 0.75 * strong + 0.25 * own
    for row in range(SIDE):
        for column in range(SIDE):
            weights[row, column, 1] = np.clip(weights[row, column, 1] * (1.15 - 0.4 * weights[row, column, 0]), 0, 1)
    return weights


WEIGHTS = _weights()


def kernel(
    trigger: Row, reset: Row, x: Row, y: Row, density_a: Row, density_b: Row, density_c: Row, surprise: Row, out_a: Row,
    out_b: Row, out_c: Row, accent: Row, place: Row, state: State, key: Key,
) -> None:  # fmt: skip
    """State: last trigger, last reset, steps so far, whether each part's last step was a hit, rounds so far, whether
    the last step was an accent."""
    last, last_reset, step, rounds = state[LAST], state[RESET], state[STEP], state[ROUNDS]
    if last <= 0.5 and unchanged(trigger, last) and unchanged(reset, last_reset):
        out_a[:], out_b[:], out_c[:], accent[:] = 0.0, 0.0, 0.0, 0.0
        place[:] = wrapped(max(step - 1.0, 0.0), STEPS) / STEPS
        return
    for i in range(out_a.size):
        if reset[i] > 0.5 and last_reset <= 0.5:
            step = 0.0
        high = trigger[i] > 0.5
        if high and last <= 0.5:
            at = int(wrapped(step, STEPS))
            rounds += 1.0 if at == 0 else 0.0
            strongest = 0.0
            for part in range(3):
                density = density_a[i] if part == 0 else density_b[i] if part == 1 else density_c[i]
                weight = _blended(x[i], y[i], part, at)
                weight += surprise[i] * (uniform(key, rounds * STEPS + at, part) - 0.5)
                hit = weight > 1.0 - density
                state[A + part] = 1.0 if hit else 0.0
                strongest = max(strongest, weight - 1.0 + density) if hit else strongest
            state[ACCENT] = 1.0 if strongest > 0.35 else 0.0
            step += 1.0
        last, last_reset = trigger[i], reset[i]
        up = 1.0 if high else 0.0
        out_a[i], out_b[i], out_c[i] = state[A] * up, state[B] * up, state[C] * up
        accent[i] = state[ACCENT] * up
        place[i] = wrapped(max(step - 1.0, 0.0), STEPS) / STEPS
    state[LAST], state[RESET], state[STEP], state[ROUNDS] = last, last_reset, step, rounds


@njit(error_model="numpy")
def _blended(x: float, y: float, part: int, step: int) -> float:
    """The weight between the four patterns around a place of the field."""
    across, up = x * (SIDE - 1), y * (SIDE - 1)
    column, row = min(int(across), SIDE - 2), min(int(up), SIDE - 2)
    u, v = across - column, up - row
    low: float = WEIGHTS[row, column, part, step] * (1.0 - u) + WEIGHTS[row, column + 1, part, step] * u
    high: float = WEIGHTS[row + 1, column, part, step] * (1.0 - u) + WEIGHTS[row + 1, column + 1, part, step] * u
    return low * (1.0 - v) + high * v


MODULE = ModuleSpec(
    id="pattern-field",
    name="Pattern field",
    stage="time",
    sentence="Three related rhythms, blended between sixteen patterns as you move across a field.",
    kernel=kernel,
    inputs=(
        Input("trigger", "Clock", "gate", "Each rising edge is a step; a cycle has 32.", listens=True),
        Input("reset", "Reset", "gate", "Restarts at the first step with the next trigger."),
    ),
    params=(
        Param("x", "Across", "ratio", 0, 1, 0.2, "Position in the field: length of the parts' cycles.", amount=0.3),
        Param("y", "Up", "ratio", 0, 1, 0.4, "Position in the field: how far the parts differ.", amount=0.3),
        Param("density_a", "Density, low part", "ratio", 0, 1, 0.35, "How many steps are hits.", amount=0.3),
        Param("density_b", "Density, middle part", "ratio", 0, 1, 0.35, "How many steps are hits.", amount=0.3),
        Param("density_c", "Density, high part", "ratio", 0, 1, 0.5, "How many steps are hits.", amount=0.3),
        Param("surprise", "Surprise", "ratio", 0, 1, 0.1, "How often chance adds or drops a hit.", amount=0.2),
    ),
    outputs=(
        Output("out_a", "Low part", "gate", 0, 1),
        Output("out_b", "Middle part", "gate", 0, 1),
        Output("out_c", "High part", "gate", 0, 1),
        Output("accent", "Accents", "gate", 0, 1),
        Output("place", "Place", "control", 0, 1, seen=True),
    ),
    state=8,
    handle=("x", "y"),
    cycle=Cycle(lambda g: g.used("surprise"), steps=lambda g: STEPS, at=("trigger",)),
    face="x",
    words=("rhythm", "drums", "machine", "morph", "related patterns", "groove"),
    sources=("weights of steps blended between stored patterns (the project's own)",),
)  # fmt: skip
