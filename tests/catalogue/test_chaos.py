"""Chaos."""

from __future__ import annotations

import math

import numpy as np
import pytest
from numba import njit
from scipy.integrate import solve_ivp

from dunefall.catalogue.motion.chaos import LARGEST
from dunefall.dsp.chaos import CONSTANT, LORENZ, MEASURED, ROSSLER, STARTS, THOMAS, chaos_step, slope
from rig import Rig

USUAL = (28.0, 5.7, 0.1)


@njit
def growth(system: int, x: float, y: float, z: float, constant: float, h: float, count: int) -> float:
    """Mean growth per time of a distance of 1e-8."""
    for _ in range(20_000):
        x, y, z = chaos_step(system, x, y, z, constant, h)
    a, b, c, grown = x + 1e-8, y, z, 0.0
    for _ in range(count):
        x, y, z = chaos_step(system, x, y, z, constant, h)
        a, b, c = chaos_step(system, a, b, c, constant, h)
        away = max(math.sqrt((a - x) ** 2 + (b - y) ** 2 + (c - z) ** 2), 1e-30)
        grown += math.log(away / 1e-8)
        a, b, c = x + (a - x) * 1e-8 / away, y + (b - y) * 1e-8 / away, z + (c - z) * 1e-8 / away
    return grown / (count * h)


@pytest.mark.parametrize("system", [LORENZ, ROSSLER, THOMAS])
def test_chaos_follows_another_solver(system: int) -> None:
    """Two units of time against scipy's DOP853 at 1e-11: they part by their nature later on."""
    start, h, steps = (1.0, 1.5, 12.0 if system == LORENZ else 0.7), 0.002, 1000
    theirs = solve_ivp(
        lambda _, v: slope.py_func(system, *v, USUAL[system]), (0, h * steps), start, "DOP853", rtol=1e-11, atol=1e-11
    ).y[:, -1]
    mine = start
    for _ in range(steps):
        mine = chaos_step(system, *mine, USUAL[system], h)
    np.testing.assert_allclose(mine, theirs, rtol=1e-5, atol=1e-5)


@pytest.mark.parametrize(
    ("system", "exponent", "start"), [(LORENZ, 0.906, (1.0, 1.0, 25.0)), (ROSSLER, 0.0714, (1.0, 1.0, 1.0))]
)
def test_largest_exponent(system: int, exponent: float, start: tuple[float, float, float]) -> None:
    """Sprott 2003 (from memory), within 10 %: growth of a small distance, brought back after each step (Benettin)."""
    assert growth(system, *start, USUAL[system], 0.01, 120_000) == pytest.approx(exponent, rel=0.1)


@pytest.mark.parametrize("system", [LORENZ, ROSSLER, THOMAS])
def test_every_heat_is_chaotic(system: int) -> None:
    """Largest Lyapunov exponent (Benettin) above 0.01 at each constant, also with the longest steps that are taken:
    butterfly died at low heat, labyrinth repeated after 38 s at its defaults."""
    for row in MEASURED[system]:
        for h in (0.5 * LARGEST[system], LARGEST[system]):
            assert growth(system, *STARTS[system], float(row[CONSTANT]), h, round(4000 / h)) > 0.01, (row[CONSTANT], h)


@pytest.mark.parametrize("heat", [0.0, 0.4, 0.5, 1.0])
@pytest.mark.parametrize("system", [LORENZ, ROSSLER, THOMAS])
def test_swings_are_as_many_as_the_rate_says_and_centred(system: int, heat: float) -> None:
    """Twenty a second within 5 %; 0 on the average; no sample is like the one a period of any length before."""
    out = Rig("chaos", rate=8000.0, system=system, rate_hz=20.0, heat=heat).run(120 * 8000)
    swinging = out["z" if system == LORENZ else "x"]
    crossings = np.count_nonzero((swinging[:-1] < 0) & (swinging[1:] >= 0)) / 120
    assert crossings == pytest.approx(20, rel=0.05)
    for name, values in out.items():
        assert abs(values.mean()) < 0.06, name
        assert 0.6 < np.abs(values).max() <= 1.0, name
    slow = swinging[::40] - swinging.mean()
    power = np.abs(np.fft.rfft(slow, 2 * len(slow))) ** 2
    alike = np.fft.irfft(power)[200 : len(slow) // 2] / (slow @ slow) * len(slow)
    alike /= len(slow) - np.arange(200, len(slow) // 2)
    assert alike.max() < 0.99


def test_it_begins_where_it_always_is() -> None:
    """Spiral hardly moved in its first minute."""
    for system in range(3):
        out = Rig("chaos", rate=8000.0, system=system, rate_hz=1.0).run(4 * 8000)["z" if system == LORENZ else "x"]
        assert np.ptp(out) > 0.4, system
