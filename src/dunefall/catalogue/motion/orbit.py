"""Orbit: a slow figure in two dimensions."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Key, Mask, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import floor, on_grid, sine
from dunefall.dsp.random import uniform

__all__ = ["MODULE"]

ACROSS, UP, RESET, DRIFT, DRAWS, FROM, TO = range(7)
WANDER = 0.37
"""How often the drift takes a new direction, in cycles of the figure."""
RADIUS_ANGLE = 0b1100
ALONG, ASIDE = 0b010, 0b100


def kernel(
    reset: Row, along: Row, aside: Row, rate_hz: Row, ratio: Row, phase_deg: Row, drift: Row, size: Row, x: Row,
    y: Row, radius: Row, angle: Row, state: State, rate: Scalar, key: Key, wanted: Mask, linked: Mask,
) -> None:  # fmt: skip
    """State: phases of both directions [0, 1), last reset, place between two drifts, number of draws, the two drifts.

    x is a sine, y a sine ``ratio`` times as fast and ``phase_deg`` ahead, with a random drift of up to half a cycle.
    """
    across, up, last = state[ACROSS], state[UP], state[RESET]
    place, draws, begin, end = state[DRIFT], state[DRAWS], state[FROM], state[TO]
    if draws == 0.0:
        begin, end, draws = 2.0 * uniform(key, 0.0, 0) - 1.0, 2.0 * uniform(key, 1.0, 0) - 1.0, 2.0
    for i in range(x.size):
        if reset[i] > 0.5 and last <= 0.5:
            across = up = 0.0
        last = reset[i]
        step = on_grid(rate_hz[i] / rate)
        wandered = drift[i] * 0.5 * (begin + (end - begin) * place * place * (3.0 - 2.0 * place))
        here = size[i] * (along[i] if linked & ALONG else sine(across))
        there = size[i] * (aside[i] if linked & ASIDE else sine(_within(up + phase_deg[i] / 360.0 + wandered)))
        x[i], y[i] = here, there
        if wanted & RADIUS_ANGLE:
            radius[i] = min(math.sqrt(here * here + there * there) / math.sqrt(2.0), 1.0)
            angle[i] = math.atan2(there, here) / math.pi
        across = _within(across + step)
        up = _within(up + on_grid(ratio[i] * step))
        place += WANDER * step
        if place >= 1.0:
            place, begin = place - 1.0, end
            end = 2.0 * uniform(key, draws, 0) - 1.0
            draws += 1.0
    state[ACROSS], state[UP], state[RESET] = across, up, last
    state[DRIFT], state[DRAWS], state[FROM], state[TO] = place, draws, begin, end


@njit(error_model="numpy", forceinline=True)
def _within(phase: float) -> float:
    return phase - floor(phase)


MODULE = ModuleSpec(
    id="orbit",
    name="Orbit",
    stage="motion",
    sentence="Traces a slow figure in a plane: two related movements, with distance and angle.",
    kernel=kernel,
    inputs=(
        Input("reset", "Reset", "gate", "Restarts the figure when it goes high."),
        Input("along", "Across", "control", "Replaces the movement across."),
        Input("aside", "Up", "control", "Replaces the movement up."),
    ),
    params=(
        Param("rate_hz", "Rate", "hz", 1 / 3600, 50, 0.1, "Rounds per second.", taper="octaves", amount=1.0),
        Param("ratio", "Ratio", "factor", 0.1, 8, 1, "Cycles up and down for each one across.", taper="octaves",
              amount=0.5),
        Param("phase_deg", "Phase", "deg", -180, 180, 90, "Phase of up against across: 90° makes a circle.", amount=45),
        Param("drift", "Drift", "ratio", 0, 1, 0.1, "How much the figure is randomly distorted.", amount=0.3),
        Param("size", "Size", "ratio", 0, 1, 1, "How large the figure is.", amount=0.3),
    ),
    outputs=(
        Output("x", "Across", "control"),
        Output("y", "Up", "control"),
        Output("radius", "Distance", "control", 0, 1),
        Output("angle", "Angle", "control"),
    ),
    state=7,
    cycle=Cycle(lambda g: g.used("drift"), lambda g: 1.0 / g.values["rate_hz"], ("rate_hz", "ratio")),
    face="rate_hz",
    words=("circle", "lissajous", "xy", "two lfos", "rotate", "figure"),
    sources=("Lissajous figures (textbook)",),
)  # fmt: skip
