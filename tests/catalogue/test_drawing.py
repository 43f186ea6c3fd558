"""What is done with series as a whole, and the curves that kernels read, for any numbers."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dunefall.catalogue import catalogue
from dunefall.catalogue.declare import Series
from dunefall.catalogue.drawing import fitted, randomised, reversed_order, rotated, stretched
from dunefall.dsp.curves import bent, drawn
from dunefall.dsp.steps import DIRECTIONS, after
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.model import Module
from rig import patch_of

ALL = [(spec, series) for spec in catalogue().values() for series in spec.series]
VALUES = st.lists(st.floats(-1, 1), min_size=1, max_size=64).map(tuple)
each_series = pytest.mark.parametrize(("spec", "series"), ALL, ids=lambda x: x.id)


@each_series
@given(strength=st.floats(0, 1), seed=st.integers(0, 1000), count=st.integers(1, 64))
def test_chance_keeps_every_series_within_its_rules(
    spec, series: Series, strength: float, seed: int, count: int
) -> None:  # type: ignore[no-untyped-def]
    made = randomised(series, series.default, count, strength, seed)
    series.check(made, spec.name)
    assert made[count:] == series.default[count:]
    assert randomised(series, series.default, count, 0.0, seed) == pytest.approx(series.default)


@each_series
@given(numbers=st.lists(st.floats(-1e6, 1e6), max_size=300))
def test_anything_pasted_fits(spec, series: Series, numbers: list[float]) -> None:  # type: ignore[no-untyped-def]
    series.check(fitted(series, numbers), spec.name)
    for _, other in ALL[::7]:
        series.check(fitted(series, other.default, other), spec.name)


@given(values=VALUES, count=st.integers(1, 64), by=st.integers(-100, 100))
def test_turning_and_reversing_come_back(values: tuple[float, ...], count: int, by: int) -> None:
    assert rotated(rotated(values, count, by), count, -by) == values
    assert reversed_order(reversed_order(values, count), count) == values
    assert sorted(rotated(values, count, by)) == sorted(values)


@given(values=VALUES)
def test_stretching_keeps_the_length(values: tuple[float, ...]) -> None:
    doubled = stretched(values, len(values), 2.0)
    assert len(doubled) == len(values)
    assert doubled[: 2 * (len(values) // 2)] == tuple(np.repeat(values, 2)[: 2 * (len(values) // 2)])
    assert set(stretched(values, len(values), 0.5)) <= set(values)


@given(values=st.lists(st.floats(-1, 1), min_size=2, max_size=64))
def test_a_drawn_curve_passes_its_points(values: list[float]) -> None:
    """Against numpy's linear interpolation."""
    points, places = np.array([len(values), *values]), np.linspace(0, 1, 50)
    expected = np.interp(places * (len(values) - 1), np.arange(len(values)), values)
    np.testing.assert_allclose([drawn(points, place, False) for place in places], expected, atol=1e-9)
    cycle = np.interp(places * len(values), np.arange(len(values) + 1), [*values, values[0]])
    np.testing.assert_allclose([drawn(points, place, True) for place in places[:-1]], cycle[:-1], atol=1e-9)


@given(bend=st.floats(-1, 1))
def test_bends_are_monotone_from_0_to_1(bend: float) -> None:
    way = np.array([bent(place, bend) for place in np.linspace(0, 1, 101)])
    assert way[0] == 0.0
    assert way[-1] == 1.0
    assert (np.diff(way) >= 0).all()
    mirrored = np.array([1.0 - bent(1.0 - place, -bend) for place in np.linspace(0, 1, 101)])
    np.testing.assert_allclose(way, mirrored, atol=1e-9)


@given(length=st.integers(1, 64), direction=st.integers(0, len(DIRECTIONS) - 1), count=st.integers(0, 10_000))
def test_the_next_step_is_a_step(length: int, direction: int, count: int) -> None:
    place = after(float(min(3, length - 1)), float(count), direction, float(length), np.uint64(7), 0)
    assert 0 <= place <= length - 1
    assert place == int(place)


@each_series
def test_every_series_survives_save_and_load(spec, series: Series) -> None:  # type: ignore[no-untyped-def]
    made = randomised(series, series.default, len(series.default), 1.0, 5)
    patch = patch_of(Module("m", spec.id, "M", series={series.id: made}))
    assert parse_patch(dump_patch(patch).encode()) == patch
