"""Four numbers at a time: the same as one by one."""

from __future__ import annotations

import numpy as np
import pytest
from numba import njit

from dunefall.base.arrays import Row
from dunefall.dsp.lanes import all_pass_four, copy_four
from dunefall.dsp.lines import NEAR, read_ring, read_ring_run
from dunefall.dsp.maths import fma


@njit
def passed(row: Row, x: int, y: int, stretch: int, factors: Row, first: int) -> None:
    all_pass_four(row, x, y, stretch, factors, first)


@njit
def one_by_one(row: Row, x: int, y: int, stretch: int, factors: Row, first: int) -> None:
    for i in range(4):
        row[y + stretch + i] = fma(factors[first + i], row[x + stretch + i] - row[y + i], row[x + i])


@njit
def copied(to: Row, at: int, source: Row, first: int) -> None:
    copy_four(to, at, source, first)


@pytest.mark.parametrize("stretch", [4, 5, 9])
def test_an_all_pass_of_four_is_that_of_each(stretch: int) -> None:
    random = np.random.default_rng(stretch)
    row, factors = random.standard_normal(64), random.uniform(-0.9, 0.9, 8)
    expected = row.copy()
    for first in (0, 4):
        passed(row, first, 32 + first, stretch, factors, first)
        one_by_one(expected, first, 32 + first, stretch, factors, first)
    assert row.tobytes() == expected.tobytes()
    interpreted = row.copy()
    all_pass_four(interpreted, 0, 32, stretch, factors, 0)
    passed(row, 0, 32, stretch, factors, 0)
    assert interpreted == pytest.approx(row, abs=1e-15)


def test_four_are_read_before_any_is_written() -> None:
    row = np.arange(8.0)
    copied(row, 1, row, 0)
    assert row.tolist() == [0, 0, 1, 2, 3, 5, 6, 7]
    interpreted = np.arange(8.0)
    copy_four(interpreted, 1, interpreted, 0)
    assert interpreted.tolist() == row.tolist()


@njit
def read_one_by_one(out: Row, memory: Row, first: int, size: int, write: int, delay: float) -> None:
    for i in range(out.size):
        out[i] = read_ring(memory, first, size, write + i if write + i < size else write + i - size, delay)


@njit
def read_together(out: Row, memory: Row, first: int, size: int, write: int, delay: float) -> None:
    read_ring_run(out, memory, first, size, write, delay)


@pytest.mark.parametrize("n", [1, 7, 64])
def test_a_row_out_of_a_ring_is_what_each_sample_reads(n: int) -> None:
    random = np.random.default_rng(n)
    memory, size = random.standard_normal(400), 300
    for _ in range(200):
        write, delay = int(random.integers(size)), float(random.uniform(n + NEAR, size - 5))
        row, expected = np.zeros(n), np.zeros(n)
        read_together(row, memory, 50, size, write, delay)
        read_one_by_one(expected, memory, 50, size, write, delay)
        assert row.tobytes() == expected.tobytes()
