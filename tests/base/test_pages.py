"""Pages of memory that are there before they are used: the system counts those that a thread waits for (getrusage)."""

from __future__ import annotations

import mmap
import resource
from pathlib import Path

import numpy as np
import pytest

from dunefall.base.pages import PAGE_BYTES, put_at_hand, read_at_hand

PAGES = 4000


def faults() -> int:
    return resource.getrusage(resource.RUSAGE_THREAD).ru_minflt


def new() -> np.ndarray:
    """Zeros that the system has not given yet; from the system itself, as Python may have some left over."""
    return np.frombuffer(mmap.mmap(-1, PAGES * PAGE_BYTES), np.float64)


def test_without_it_each_page_comes_when_it_is_written_to() -> None:
    numbers = new()
    before = faults()
    numbers[:] = 1.0
    assert faults() - before > PAGES // 600  # huge pages of 2 MB are given at once, where there are some


@pytest.mark.parametrize("kind", [np.float64, np.float32, np.int64])
def test_what_was_put_at_hand_is_there(kind: type) -> None:
    numbers = new().view(kind)
    put_at_hand(numbers)
    before = faults()
    numbers[:] = 1
    assert faults() - before <= 2


def test_values_stay_whatever_their_form() -> None:
    dice = np.random.default_rng(3)
    records = np.zeros(1000, [("a", np.float64), ("b", np.int64)])
    records["a"], records["b"] = dice.normal(size=1000), dice.integers(0, 99, 1000)
    grid, none = dice.normal(size=(300, 70)), np.zeros(0)
    kept = [array.copy() for array in (records, grid, none)]
    put_at_hand(records, grid, none)
    read_at_hand(records, grid, none)
    for array, before in zip((records, grid, none), kept, strict=True):
        np.testing.assert_array_equal(array, before)


def test_a_file_is_read_and_not_written_to(tmp_path: Path) -> None:
    path = tmp_path / "tables.f32"
    np.arange(1 << 20, dtype=np.float32).tofile(path)
    samples = np.memmap(path, np.float32, "r")
    read_at_hand(samples)
    before = faults()
    assert float(samples[::1024].sum()) > 0.0
    assert faults() - before <= 2
