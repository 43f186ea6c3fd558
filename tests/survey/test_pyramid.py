"""Courses that are seen from near and from far: each column is what numpy makes of its bins."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dunefall.survey.pyramid import FACTOR, Pyramid

SIZE = 4096


@pytest.mark.parametrize(("kind", "together"), [("max", np.max), ("mean", np.mean), ("sum", np.sum)])
@pytest.mark.parametrize("columns", [1, 8, 64, 512, 4096])
def test_columns_are_what_their_bins_are_together(kind: str, together: object, columns: int) -> None:
    values = np.random.default_rng(3).integers(0, 200, SIZE).astype(np.float32)
    course = Pyramid(SIZE, kind)  # type: ignore[arg-type]
    course.put(0, values)
    assert callable(together)
    expected = [float(together(part)) for part in np.array_split(values, columns)]
    np.testing.assert_allclose(course.view(0, SIZE, columns), expected, rtol=1e-6)


@given(st.lists(st.tuples(st.integers(0, SIZE), st.integers(1, 700)), min_size=1, max_size=6))
def test_pieces_in_any_order_are_the_whole(pieces: list[tuple[int, int]]) -> None:
    values = np.random.default_rng(5).random(SIZE)
    whole, put = Pyramid(SIZE, "max", dtype=float), Pyramid(SIZE, "max", dtype=float)
    covered = np.zeros(SIZE)
    for begin, length in pieces:
        put.put(begin, values[begin : begin + length])
        covered[begin : begin + length] = values[begin : begin + length]
    whole.put(0, covered)
    for columns in (3, 40, 900):
        np.testing.assert_array_equal(put.view(0, SIZE, columns), whole.view(0, SIZE, columns))


def test_from_near_each_bin_is_seen_and_none_else() -> None:
    course = Pyramid(SIZE, "max")
    course.put(0, np.arange(SIZE, dtype=np.float32))
    assert course.view(10, 14, 8).tolist() == [10, 10, 11, 11, 12, 12, 13, 13]
    assert course.view(SIZE - 2, SIZE + 50, 3)[-1] == SIZE - 1


def test_what_lies_behind_the_end_is_left_out() -> None:
    course = Pyramid(FACTOR, "sum", dtype=np.uint8)
    course.put(FACTOR - 2, np.full(10, 3, np.uint8))
    course.put(FACTOR + 5, np.ones(4, np.uint8))
    assert course.bins.tolist() == [0] * (FACTOR - 2) + [3, 3]
    assert course.view(0, FACTOR, 1)[0] == 6


def test_many_triggers_are_counted_beyond_a_byte() -> None:
    course = Pyramid(4096, "sum", dtype=np.uint8)
    course.put(0, np.ones(4096, np.uint8))
    assert course.view(0, 4096, 1)[0] == 4096


def test_rows_are_put_together_number_by_number() -> None:
    course = Pyramid(64, "mean", 3, np.uint8)
    course.put(0, np.repeat(np.arange(64, dtype=np.uint8)[:, None], 3, axis=1))
    assert course.view(0, 64, 8).shape == (8, 3)
    np.testing.assert_array_equal(course.view(0, 64, 8)[:, 1], course.view(0, 64, 8)[:, 2])
