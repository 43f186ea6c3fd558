"""Random and chaotic movements against statistics and other solvers."""

from __future__ import annotations

import math

import numpy as np
import pytest
from numba import njit
from scipy import stats
from scipy.integrate import solve_ivp

from dunefall.dsp.chaos import LORENZ, ROSSLER, THOMAS, chaos_step, slope
from rig import RATE, Rig, rises, ticks


def values(
    count: int, seed: int = 3, series: dict[str, tuple[float, ...]] | None = None, **params: float
) -> np.ndarray:
    """So many values of a stepped random, one for each trigger."""
    out = Rig("stepped-random", seed=seed, drawn=series, **params).run(count * 4, trigger=ticks(count, 4))["out"]
    return out[1::4]


def test_even_values_are_even_and_independent() -> None:
    found = values(6000)
    assert stats.kstest(found, stats.uniform(-1, 2).cdf).pvalue > 0.01
    assert abs(np.corrcoef(found[:-1], found[1:])[0, 1]) < 0.04
    other = values(6000, seed=4)  # a neighbouring seed
    assert abs(np.corrcoef(found, other)[0, 1]) < 0.04


def test_bell_shaped_values_are_normal_within_three_deviations() -> None:
    """0.5 + normal / 6, cut at the ends (0.27 % of it): scipy.stats.norm."""
    found = 0.5 * (values(6000, shape=1) + 1.0)
    assert stats.kstest(found, stats.truncnorm(-3, 3, 0.5, 1 / 6).cdf).pvalue > 0.01


@pytest.mark.parametrize("shape", [2, 3])
def test_one_sided_values_are_exponential(shape: int) -> None:
    found = 0.5 * (values(6000, shape=shape) + 1.0)
    found = found if shape == 2 else 1.0 - found
    assert stats.kstest(found[found < 1.0], stats.truncexpon(b=5, scale=0.2).cdf).pvalue > 0.01


def test_a_drawn_distribution_is_as_it_is_drawn() -> None:
    odds = (1.0, 0.0, 0.5, 0.5)
    found = 0.5 * (values(8000, shape=4, series={"odds": odds}) + 1.0)
    counts = np.histogram(found, 4, (0, 1))[0]
    assert counts[1] == 0
    expected = np.array([0.5, 0.25, 0.25]) * 8000
    assert stats.chisquare(counts[[0, 2, 3]], expected).pvalue > 0.01


def test_levels_distance_range_and_chance() -> None:
    found = values(2000, grades=5, apart=0.01, low=-0.5, high=0.5)
    assert set(np.round(found, 12)) == {-0.5, -0.25, 0.0, 0.25, 0.5}
    assert (np.diff(found) != 0).mean() > 0.999  # none comes twice in a row
    kept = values(3000, chance=0.3)
    changes = int((np.diff(kept) != 0).sum())
    assert stats.binomtest(changes, 2999, 0.3).pvalue > 0.001


def test_a_new_value_is_told() -> None:
    out = Rig("stepped-random", chance=0.5, seed=2).run(400 * 200, trigger=ticks(400, 200))
    new = rises(out["new"])
    changed = np.flatnonzero(np.diff(out["out"]) != 0) + 1
    np.testing.assert_array_equal(new[new > 0], changed)


@pytest.mark.parametrize("step", [0.05, 0.4])
def test_a_walk_keeps_its_step_and_its_bounds(step: float) -> None:
    out = Rig("random-walk", step=step, elasticity=0.0, smooth=0.0, seed=9).run(6000 * 4, trigger=ticks(6000, 4))
    found = out["out"][3::4]
    assert np.abs(found).max() <= 1.0
    steps = np.diff(found)
    assert np.abs(steps).max() <= step + 1e-12
    inner = np.abs(found[:-1]) < 1.0 - step
    assert stats.kstest(steps[inner], stats.uniform(-step, 2 * step).cdf).pvalue > 0.01


def test_elasticity_draws_a_walk_back() -> None:
    """A first-order autoregression: its deviation is that of its steps by 1 / sqrt(1 - (1 - e)^2) (textbook)."""
    trigger = ticks(20_000, 4)
    out = Rig("random-walk", step=0.1, elasticity=0.2, smooth=0.0, seed=9).run(len(trigger), trigger=trigger)
    found = out["out"][3::4]
    assert found.std() == pytest.approx(0.1 / np.sqrt(3) / np.sqrt(1 - 0.8**2), rel=0.05)


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


def test_chaos_swings_as_often_as_told() -> None:
    for system in range(3):
        out = Rig("chaos", system=system, rate_hz=20.0).run(10 * 48_000)["z" if system == LORENZ else "x"]
        crossings = len(np.flatnonzero(np.diff(np.sign(out - np.median(out))) > 0)) / 10
        assert 20 / 3 <= crossings <= 40, system
        assert 0.6 < np.abs(out).max() <= 1.0


def test_track_and_hold() -> None:
    signal, gate = np.arange(400.0), np.r_[np.ones(100), np.zeros(100), np.ones(100), np.zeros(100)]
    out = Rig("sample-hold", mode=1).run(400, signal=signal, trigger=gate)["out"]
    assert (out[:100] == signal[:100]).all()
    assert (out[100:200] == 99).all()
    assert (out[300:] == 299).all()


def test_uneven_cycles_and_drawn_waves_of_an_lfo() -> None:
    rig = Rig("lfo", rate_hz=10.0, shape=3, unevenness=0.6, seed=3)
    heights = np.abs(rig.run(400 * 4800)["out"])[600::4800]
    assert stats.kstest(heights, stats.uniform(0.4, 0.6).cdf).pvalue > 0.01
    drawn = Rig("lfo", rate_hz=1.0, shape=4, drawn={"wave": (0.0, 1.0, 0.0, -1.0)}).run(48_000)["out"]
    triangle = Rig("lfo", rate_hz=1.0, shape=1).run(48_000)["out"]
    np.testing.assert_allclose(drawn, triangle, atol=1e-9)


def test_an_lfo_in_beats_fades_in() -> None:
    rig = Rig("lfo", sync=1, period_beats=2.0, fade_s=0.5)
    out = rig.run(96_000, tempo_bpm=np.full(96_000, 120.0))["out"]  # a cycle a second (arithmetic)
    assert 0.0 < out[100] < 0.001
    assert out[12_000] == pytest.approx(0.5, abs=0.01)
    assert out[60_000] == pytest.approx(1.0, abs=0.01)


def test_an_orbit_of_a_quarter_is_a_circle() -> None:
    out = Rig("orbit", rate_hz=1.0, drift=0.0, ratio=1.0, phase_deg=90.0).run(48_000)
    np.testing.assert_allclose(np.hypot(out["x"], out["y"]), 1.0, atol=1e-9)
    np.testing.assert_allclose(out["radius"], 1 / np.sqrt(2), atol=1e-9)
    np.testing.assert_allclose(out["angle"] * np.pi, np.arctan2(out["y"], out["x"]), atol=1e-9)


def test_neighbouring_modules_are_independent() -> None:
    """Two modules of a patch with one seed: keys differ by their ids."""
    from dunefall.patch.model import Module
    from rig import QUANTUM, no_traces, patch_of, run, watch_all

    patch = patch_of(*(Module(name, "stepped-random", name, {"rate_hz": 200.0}) for name in ("r1", "r2")))
    program, found = watch_all(patch), {"r1": [], "r2": []}
    for _ in range(round(10 * RATE) // QUANTUM):
        run(program.plan, program.memory, no_traces(), np.zeros((QUANTUM, 2)))
        for name, seen in found.items():
            seen.append(program.memory.rows[program.row_at[(name, "out")]])
    pair = np.array([np.array(seen)[::4] for seen in found.values()])
    assert abs(np.corrcoef(pair)[0, 1]) < 0.08
