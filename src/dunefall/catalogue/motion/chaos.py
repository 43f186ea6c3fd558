"""Chaos: three systems that never come back to where they were."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Key, Mask, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.chaos import CONSTANT, GRID, MEAN, MEASURED, SPAN, STARTS, SWING, chaos_step, measured
from dunefall.dsp.random import uniform

__all__ = ["MODULE"]

X, Y, Z, BEGUN, RESET, TIMES, SYSTEM = range(7)
LARGEST = (0.02, 0.05, 0.1)
MOST_STEPS, MOVES = 16, 0b1010
"""Steps of one sample: more speed than they give is not reached."""
RUN_IN, APART, LIMIT = 200, 0.5, 300.0
"""Steps before it is heard, and how far apart two starts are: so it begins where it always is."""


def kernel(
    reset: Row, system: Row, rate_hz: Row, heat: Row, x: Row, y: Row, z: Row, state: State, key: Key, rate: Scalar,
    moving: Mask,
) -> None:  # fmt: skip
    """State: the three values, 1 once begun, last reset, number of starts, the system of now."""
    a, b, c, begun, last = state[X], state[Y], state[Z], state[BEGUN], state[RESET]
    times, before = state[TIMES], state[SYSTEM]
    for i in range(x.size):
        which = int(system[i] + 0.5)
        if i == 0 or moving & MOVES:
            largest = LARGEST[0] if which == 0 else LARGEST[1] if which == 1 else LARGEST[2]
            k = int(min(max(heat[i], 0.0), 1.0) * GRID + 0.5)
            constant, swing = MEASURED[which, k, CONSTANT], MEASURED[which, k, SWING] / rate
            low_x, reach_x = _reach(which, heat[i], 0)
            low_y, reach_y = _reach(which, heat[i], 1)
            low_z, reach_z = _reach(which, heat[i], 2)
        if begun == 0.0 or which != before or (reset[i] > 0.5 and last <= 0.5):
            a = STARTS[which, 0] + APART * uniform(key, times, 0)
            b = STARTS[which, 1] + APART * uniform(key, times, 1)
            c = STARTS[which, 2] + APART * uniform(key, times, 2)
            for _ in range(RUN_IN):
                a, b, c = chaos_step(which, a, b, c, constant, largest)
            times, begun, before = times + 1.0, 1.0, float(which)
        last = reset[i]
        h = rate_hz[i] * swing
        steps = min(int(h / largest) + 1, MOST_STEPS)
        h = min(h / steps, largest)
        for _ in range(steps):
            a, b, c = chaos_step(which, a, b, c, constant, h)
        if abs(a) > LIMIT or abs(b) > LIMIT or abs(c) > LIMIT:
            begun, a, b, c = 0.0, STARTS[which, 0], STARTS[which, 1], STARTS[which, 2]
        x[i], y[i] = _brought((a - low_x) * reach_x), _brought((b - low_y) * reach_y)
        z[i] = _brought((c - low_z) * reach_z)
    state[X], state[Y], state[Z], state[BEGUN], state[RESET] = a, b, c, begun, last
    state[TIMES], state[SYSTEM] = times, before


@njit(error_model="numpy", forceinline=True)
def _reach(system: int, heat: float, value: int) -> tuple[float, float]:
    """Where one of the values is on the average, and 1 by how far it goes from there."""
    return measured(system, heat, MEAN + value), 1.0 / measured(system, heat, SPAN + value)


@njit(error_model="numpy", forceinline=True)
def _brought(value: float) -> float:
    return min(max(value, -1.0), 1.0)


MODULE = ModuleSpec(
    id="chaos",
    name="Chaos",
    stage="motion",
    sentence="Three related movements that swing back and forth and never repeat.",
    kernel=kernel,
    inputs=(Input("reset", "Reset", "gate", "Restarts from another point when it goes high."),),
    params=(
        Param("system", "System", "choice", 0, 2, 0, "Which equations move it.", ("butterfly", "spiral", "labyrinth")),
        Param("rate_hz", "Rate", "hz", 1 / 600, 2000, 0.2, "Swings per second (of z in the butterfly, of x in the "
              "others), from minutes per swing to audio rate.", taper="octaves", amount=1.0),
        Param("heat", "Heat", "ratio", 0, 1, 0.5, "From calm orbits to wild ones.", amount=0.3),
    ),
    outputs=(Output("x", "x", "control"), Output("y", "y", "control"), Output("z", "z", "control")),
    state=7,
    cycle=Cycle(lambda g: True),
    face="rate_hz",
    words=("lorenz", "rossler", "attractor", "strange", "turbulence", "unpredictable"),
    sources=("Lorenz 1963; Rossler 1976; Thomas 1999 (see dsp/chaos.py)", "classical Runge-Kutta method (textbook)"),
)  # fmt: skip
