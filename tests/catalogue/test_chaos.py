"""Chaos."""

from __future__ import annotations

import math

import numpy as np
import pytest
from numba import njit
from scipy.integrate import solve_ivp

from dunefall.dsp.chaos import LORENZ, ROSSLER, THOMAS, chaos_step, slope
from rig import Rig


@njit
def growth(system: int, x: float, y: float, z: float, h: float, count: int) -> float:
    """Mean growth per time of a distance of 1e-8."""
    for _ in range(5000):
        x, y, z = chaos_step(system, x, y, z, 0.5, h)
    a, b, c, grown = x + 1e-8, y, z, 0.0
    for _ in range(count):
        x, y, z = chaos_step(system, x, y, z, 0.5, h)
        a, b, c = chaos_step(system, a, b, c, 0.5, h)
        away = math.sqrt((a - x) ** 2 + (b - y) ** 2 + (c - z) ** 2)
        grown += math.log(away / 1e-8)
        a, b, c = x + (a - x) * 1e-8 / away, y + (b - y) * 1e-8 / away, z + (c - z) * 1e-8 / away
    return grown / (count * h)


@pytest.mark.parametrize("system", [LORENZ, ROSSLER, THOMAS])
def test_chaos_follows_another_solver(system: int) -> None:
    """Two units of time against scipy's DOP853 at 1e-11: they part by their nature later on."""
    start, h, steps = (1.0, 1.5, 12.0 if system == LORENZ else 0.7), 0.002, 1000
    theirs = solve_ivp(
        lambda _, v: slope.py_func(system, *v, 0.5), (0, h * steps), start, "DOP853", rtol=1e-11, atol=1e-11
    ).y[:, -1]
    mine = start
    for _ in range(steps):
        mine = chaos_step(system, *mine, 0.5, h)
    np.testing.assert_allclose(mine, theirs, rtol=1e-5, atol=1e-5)


@pytest.mark.parametrize(
    ("system", "exponent", "start"), [(LORENZ, 0.906, (1.0, 1.0, 25.0)), (ROSSLER, 0.0714, (1.0, 1.0, 1.0))]
)
def test_largest_exponent(system: int, exponent: float, start: tuple[float, float, float]) -> None:
    """Sprott 2003 (from memory), within 10 %: growth of a small distance, brought back after each step (Benettin)."""
    assert growth(system, *start, 0.01, 120_000) == pytest.approx(exponent, rel=0.1)


def test_chaos_swings_as_often_as_told() -> None:
    for system in range(3):
        out = Rig("chaos", system=system, rate_hz=20.0).run(10 * 48_000)["z" if system == LORENZ else "x"]
        crossings = len(np.flatnonzero(np.diff(np.sign(out - np.median(out))) > 0)) / 10
        assert 20 / 3 <= crossings <= 40, system
        assert 0.6 < np.abs(out).max() <= 1.0
