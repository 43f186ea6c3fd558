"""Stepped random."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

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


@pytest.mark.parametrize("grades", [0, 2, 3, 5, 12])
@pytest.mark.parametrize("apart", [0.1, 0.5])
def test_apart_holds_without_exception(grades: int, apart: float) -> None:
    """Some tries were not always enough, so that a value came twice."""
    out = Rig("stepped-random", rate_hz=200.0, grades=grades, apart=apart, shape=2).run(20 * 48_000)["out"]
    values = out[120::240]
    moves = np.abs(np.diff(values)) / 2.0  # -1..1
    assert moves.min() >= apart - 1e-6


def test_with_no_chance_nothing_new_is_told() -> None:
    for given in ({}, {"trigger": np.zeros(4800)}):
        out = Rig("stepped-random", chance=0.0, rate_hz=20.0).run(4800, **given)
        assert out["new"].max() == 0.0
        assert np.ptp(out["out"]) == 0.0


def test_a_reset_begins_the_same_values_again() -> None:
    trigger, reset = ticks(40, 100), np.zeros(4000)
    reset[2010:2020] = 1.0
    out = Rig("stepped-random").run(4000, trigger=trigger, reset=reset)["out"]
    np.testing.assert_array_equal(out[2050:4000:100], out[50:2000:100])
