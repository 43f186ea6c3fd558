"""Chaos: three systems that never come back to where they were."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Key, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.chaos import LORENZ, ROSSLER, chaos_step
from dunefall.dsp.random import uniform

__all__ = ["MODULE", "ROUND_S"]

X, Y, Z, BEGUN, RESET, TIMES, SYSTEM = range(7)
ROUND_S = (0.75, 5.9, 20.0)
"""About how long each system takes for a round, in its own time."""
LARGEST = 0.03
MOST_STEPS = 24
"""Steps of one sample: more speed than they give is not reached."""
CENTRE = ((0.0, 0.0, 25.0), (0.0, 0.0, 12.0), (0.0, 0.0, 0.0))
SPAN = ((22.0, 29.0, 28.0), (13.0, 13.0, 14.0), (5.0, 5.0, 5.0))
LIMIT = 100.0


def kernel(
    reset: Row, system: Row, rate_hz: Row, heat: Row, x: Row, y: Row, z: Row, state: State, key: Key, rate: Scalar
) -> None:
    """State: the three values, 1 once begun, last reset, number of starts, the system of now."""
    a, b, c, begun, last = state[X], state[Y], state[Z], state[BEGUN], state[RESET]
    times, before = state[TIMES], state[SYSTEM]
    for i in range(x.size):
        which = int(system[i] + 0.5)
        if begun == 0.0 or which != before or (reset[i] > 0.5 and last <= 0.5):
            a = 0.5 + uniform(key, times, 0)
            b = 0.5 + uniform(key, times, 1)
            c = (20.0 if which == LORENZ else 0.5) + uniform(key, times, 2)
            times, begun, before = times + 1.0, 1.0, float(which)
        last = reset[i]
        round_s = ROUND_S[0] if which == LORENZ else ROUND_S[1] if which == ROSSLER else ROUND_S[2]
        h = rate_hz[i] * round_s / rate
        steps = min(int(h / LARGEST) + 1, MOST_STEPS)
        h = min(h / steps, LARGEST)
        for _ in range(steps):
            a, b, c = chaos_step(which, a, b, c, heat[i], h)
        if abs(a) > LIMIT or abs(b) > LIMIT or abs(c) > LIMIT:
            begun, a, b, c = 0.0, 1.0, 1.0, 1.0
        x[i], y[i], z[i] = _spanned(which, a, b, c)
    state[X], state[Y], state[Z], state[BEGUN], state[RESET] = a, b, c, begun, last
    state[TIMES], state[SYSTEM] = times, before


@njit(error_model="numpy", forceinline=True)
def _spanned(system: int, a: float, b: float, c: float) -> tuple[float, float, float]:
    """The three values brought into -1..1."""
    x = (a - CENTRE[system][0]) / SPAN[system][0]
    y = (b - CENTRE[system][1]) / SPAN[system][1]
    z = (c - CENTRE[system][2]) / SPAN[system][2]
    return min(max(x, -1.0), 1.0), min(max(y, -1.0), 1.0), min(max(z, -1.0), 1.0)


MODULE = ModuleSpec(
    id="chaos",
    name="Chaos",
    stage="motion",
    sentence="Three related movements that swing back and forth and never repeat.",
    kernel=kernel,
    inputs=(Input("reset", "Reset", "gate", "Restarts from another point when it goes high."),),
    params=(
        Param("system", "System", "choice", 0, 2, 0, "Which equations move it.", ("butterfly", "spiral", "labyrinth")),
        Param("rate_hz", "Rate", "hz", 1 / 600, 2000, 0.2, "Approximate swings per second, from minutes per swing to "
              "audio rate.", taper="octaves", amount=1.0),
        Param("heat", "Heat", "ratio", 0, 1, 0.5, "From calm orbits to wild ones.", amount=0.3),
    ),
    outputs=(Output("x", "x", "control"), Output("y", "y", "control"), Output("z", "z", "control")),
    state=7,
    cycle=Cycle(lambda g: True),
    face="rate_hz",
    words=("lorenz", "rossler", "attractor", "strange", "turbulence", "unpredictable"),
    sources=("Lorenz 1963; Rossler 1976; Thomas 1999 (see dsp/chaos.py)", "classical Runge-Kutta method (textbook)"),
)  # fmt: skip
