"""Several numbers at a time: the same as one by one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from numba import njit

from dunefall.base.arrays import Row
from dunefall.dsp.lanefilters import CHAIN, all_pass_chains, all_pass_four, ring_modes, two_sections
from dunefall.dsp.lanes import between_four, copy_four, fetch, turn_eight
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


def compiled(function: Callable[..., None], count: int) -> Callable[..., None]:
    """What compiled code does where it calls a function of so many arguments."""
    names = ", ".join(f"a{k}" for k in range(count))
    made: dict[str, Any] = {"function": function}
    exec(f"def call({names}):\n    function({names})", made)
    return njit(error_model="numpy")(made["call"])


NOISE = np.random.default_rng(7).standard_normal(400)


@pytest.mark.parametrize(
    ("function", "arguments"),
    [
        (copy_four, (NOISE, 3, NOISE, 9)),
        (between_four, (NOISE, 3, NOISE, 9, 50, 0.3)),
        (between_four, (NOISE, 3, NOISE.astype(np.float32), 9, 50, 0.3)),
        (turn_eight, (np.zeros(400), 3, 20, NOISE, 5, 17)),
        (fetch, (NOISE, 3, 100_000)),
        (all_pass_four, (NOISE, 0, 100, 5, 0.3 * NOISE, 3)),
        *((all_pass_chains, (NOISE, 4, 100, 0.3 * NOISE, fours, 2 * NOISE, 10, 40)) for fours in (CHAIN, 6, 16)),
        *((ring_modes, (np.zeros(400), 4, 0.3 * NOISE, 5, NOISE, 2 * NOISE, 3, n)) for n in (1, 7, 16)),
        *((two_sections, (NOISE, 4, n, 0.3 * NOISE, 10, 200)) for n in (1, 6, 24)),
    ],
)
def test_compiled_and_plain_do_the_same(function: Callable[..., None], arguments: tuple[Any, ...]) -> None:
    plain, fast = ([np.copy(a) if isinstance(a, np.ndarray) else a for a in arguments] for _ in range(2))
    function(*plain)
    compiled(function, len(arguments))(*fast)
    changed = False
    for a, b, before in zip(plain, fast, arguments, strict=True):
        if isinstance(a, np.ndarray):
            assert b == pytest.approx(a, abs=1e-14)
            changed = changed or not np.array_equal(b, before)
    assert changed == (function is not fetch)


def test_turned_twice_it_is_as_before() -> None:
    once, twice = np.zeros(64), np.zeros(64)
    turn = compiled(turn_eight, 6)
    turn(once, 0, 8, NOISE, 0, 8)
    assert once.reshape(8, 8).tolist() == NOISE[:64].reshape(8, 8).T.tolist()
    turn(twice, 0, 8, once, 0, 8)
    assert twice.tolist() == NOISE[:64].tolist()


def test_sections_are_those_of_scipy() -> None:
    """scipy.signal.sosfilt, one line at a time."""
    from scipy.signal import sosfilt

    random = np.random.default_rng(3)
    samples, memory = random.standard_normal((24, 16)), np.zeros(2 * (5 + 2) * 16)
    sections = random.uniform(-0.4, 0.4, (16, 2, 5))
    memory[:160] = (sections * (1, 1, 1, -1, -1)).transpose(1, 2, 0).ravel()
    row = samples.ravel().copy()
    compiled(two_sections, 6)(row, 0, 24, memory, 0, 160)
    for line in range(16):
        sos = np.insert(sections[line], 3, 1.0, axis=1)
        assert row.reshape(24, 16)[:, line] == pytest.approx(sosfilt(sos, samples[:, line]), abs=1e-13)
