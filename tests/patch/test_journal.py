"""A take that grows for hours: the same entries as a take that was made at once, in little room and time."""

from __future__ import annotations

import tracemalloc

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dunefall.base.errors import ParameterError
from dunefall.patch import journal as journal_module
from dunefall.patch.changes import ParamSet
from dunefall.patch.journal import Journal
from dunefall.patch.take import Clear, Edit, Entry, Take
from rig import demo


def entry(at: int, number: int) -> Entry:
    return Entry(at, Edit((ParamSet("drip-line-low-pass", "cutoff_hz", float(number)),)))


@given(st.lists(st.integers(0, 50), max_size=60))
def test_it_holds_what_a_take_holds_in_the_same_order(times: list[int]) -> None:
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(journal_module, "AT_HAND", 8)
        take = Take(demo())
        kept = Journal(take)
        held, known = kept.take, list[Entry]()
        for number, at in enumerate(times):
            take, before = take.with_entry(entry(at, number)), kept.reordered
            kept.note(entry(at, number))
            assert (kept.reordered == before) == (take.entries[-1] == entry(at, number))
            known = [*known, *kept.since(len(known))] if kept.reordered == before else list(kept.take.entries)
            held = kept.take if number % 3 == 0 else held  # the next one is made of it
        assert kept.take == take
        assert known == list(take.entries)
        assert [kept.since(count) for count in range(len(times) + 1)] == [
            take.entries[count:] for count in range(len(times) + 1)
        ]
        assert len(kept) == len(times)
        assert Journal(take).take == take


def test_an_hour_of_edits_twenty_times_a_second_is_small() -> None:
    kept = Journal(Take(demo()))
    tracemalloc.start()
    for number in range(72_000):
        kept.note(entry(2400 * number, number))
    used, _ = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert used < 4_000_000
    assert len(kept) == len(kept.take.entries) == 72_000


def test_nothing_happens_before_the_start() -> None:
    with pytest.raises(ParameterError, match="at sample 0 or later"):
        Journal(Take(demo())).note(Entry(-1, Clear()))
