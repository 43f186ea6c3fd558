"""Scatter: triggers at random times."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Key, Row, Scalar, State
from dunefall.catalogue.declare import ModuleSpec, Output, Param, Preset
from dunefall.dsp.random import uniform
from dunefall.dsp.triggers import held_for, pulsed

__all__ = ["MODULE"]

LEFT, PAST, WANTED, DRAWS, QUIET, FORCE = range(6)


def kernel(
    density_hz: Row, gap_s: Row, length_s: Row, out: Row, level: Row, state: State, key: Key, rate: Scalar
) -> None:
    """State: samples for which the gate stays high, what has passed of the present wait, how long it is (in mean gaps),
    number of draws, samples in which nothing may come, the last one's level.

    A Poisson process by its hazard: the wait is exponential, and passes as fast as the density of now.
    """
    left, past, wanted, draws, quiet, force = (
        state[LEFT],
        state[PAST],
        state[WANTED],
        state[DRAWS],
        state[QUIET],
        state[FORCE],
    )
    if draws == 0.0:
        wanted, draws = _wait(key, 0.0), 1.0
    for i in range(out.size):
        fires = False
        if quiet > 0.0:
            quiet -= 1.0
        else:
            past += density_hz[i] / rate
            if past >= wanted:
                fires = True
                force = uniform(key, draws, 1)
                wanted, past = _wait(key, draws), 0.0
                draws += 1.0
                quiet = max(float(int(gap_s[i] * rate + 0.5)) - 1.0, 0.0)
        out[i], left = pulsed(fires, left, held_for(length_s[i], rate))
        level[i] = force
    state[LEFT], state[PAST], state[WANTED], state[DRAWS], state[QUIET], state[FORCE] = (
        left,
        past,
        wanted,
        draws,
        quiet,
        force,
    )


@njit(error_model="numpy", forceinline=True)
def _wait(key: Key, draws: float) -> float:
    return -math.log(1.0 - uniform(key, draws, 0))


MODULE = ModuleSpec(
    id="scatter",
    name="Scatter",
    stage="time",
    sentence="Triggers that fall like rain: at random times, with a set average per second.",
    kernel=kernel,
    params=(
        Param("density_hz", "Density", "hz", 0.001, 1000, 2, "Average triggers per second.", taper="octaves",
              amount=1.0),
        Param("gap_s", "Smallest gap", "s", 0.0001, 60, 0.0001, "Minimum time between triggers.",
              taper="octaves", amount=1.0),
        Param("length_s", "Gate length", "s", 0.0005, 10, 0.01, "How long each gate is high.", taper="octaves",
              amount=1.0),
    ),
    outputs=(Output("out", "Trigger", "gate", 0, 1), Output("level", "Level", "control", 0, 1)),
    state=6,
    face="density_hz",
    words=("rain-like", "poisson", "random triggers", "drops", "sparse", "geiger", "irregular"),
    presets=(
        Preset("Rain drops", "Twelve drops a second, irregular.",
               {"density_hz": 12.0}, ("rain", "drops", "rain-like triggers")),
        Preset("Sparse events", "One event in about eight seconds.",
               {"density_hz": 0.12, "gap_s": 1.0}, ("now and then", "rare", "seldom")),
        Preset("Geiger counter", "Forty clicks a second, very short.",
               {"density_hz": 40.0, "length_s": 0.001}, ("geiger", "radiation")),
    ),
    sources=("Poisson process by its hazard, exponential gaps (textbook)",),
)  # fmt: skip
