"""A process that stands still is told from one that the machine lets wait."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Iterator

import pytest

from dunefall.engine import standstill
from dunefall.engine.standstill import Standstill, threads_of

SPIN = "while True: pass"
PROCESSOR = min(os.sched_getaffinity(0))


@pytest.fixture
def begun() -> Iterator[list[subprocess.Popen[bytes]]]:
    processes = list[subprocess.Popen[bytes]]()
    yield processes
    for process in processes:
        process.kill()
        process.wait()


def process_of(code: str, begun: list[subprocess.Popen[bytes]], *, idle: bool = False) -> int:
    """One that does this on one processor, and, if so asked, only where nobody else wants that."""
    made = subprocess.Popen([sys.executable, "-c", f"print(flush=True)\n{code}"], stdout=subprocess.PIPE)
    begun.append(made)
    assert made.stdout is not None
    with made.stdout as told:
        told.readline()
    os.sched_setaffinity(made.pid, {PROCESSOR})
    if idle:
        os.sched_setscheduler(made.pid, os.SCHED_IDLE, os.sched_param(0))
    return made.pid


def stood_s(process: int, seconds: float) -> float:
    """How long a process seems to have stood still that gives no sign for some time."""
    still, begin = Standstill(), time.monotonic()
    while (now := time.monotonic()) < begin + seconds:
        seen = still.seconds(process, begin, now)
        time.sleep(0.02)
    return seen


def test_one_that_sleeps_stands_still(begun: list[subprocess.Popen[bytes]]) -> None:
    assert stood_s(process_of("import time; time.sleep(60)", begun), 1.0) > 0.9


def test_one_that_gets_no_processor_is_not_taken_for_one_that_stands_still(
    begun: list[subprocess.Popen[bytes]],
) -> None:
    waiting = process_of(SPIN, begun, idle=True)
    process_of(SPIN, begun)
    assert stood_s(waiting, 2.0) < 0.5


def test_one_that_never_ends_stands_still_for_as_long_as_it_runs(monkeypatch: pytest.MonkeyPatch) -> None:
    """By figures: on a machine that others use, it takes longer."""
    ran = dict[int, tuple[bool, float]]()
    monkeypatch.setattr(standstill, "threads_of", lambda process: dict(ran))
    for share, expected in ((1.0, 3.0), (0.6, 3.0), (0.25, 0.75), (0.0, 0.0)):
        still = Standstill()
        for k in range(31):
            ran |= {1: (True, share * 0.1 * k), 2: (False, 7.0)}
            seen = still.seconds(1, 50.0, 50.0 + 0.1 * k)
        assert seen == pytest.approx(expected, abs=0.11), share


def test_who_was_away_knows_nothing_of_that_time(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(standstill, "threads_of", lambda process: {})
    still = Standstill()
    assert still.seconds(1, 50.0, 53.0) == 0.0, "seen for the first time"
    assert still.seconds(1, 50.0, 53.4) == pytest.approx(0.4)
    assert still.seconds(1, 50.0, 60.0) == pytest.approx(0.4), "away"
    assert still.seconds(1, 50.0, 60.5) == pytest.approx(0.9)
    assert still.seconds(1, 60.4, 60.5) == 0.0, "a new sign"


def test_what_is_told_of_threads() -> None:
    before = threads_of(os.getpid())[os.getpid()]
    end = time.thread_time() + 0.05
    while time.thread_time() < end:
        pass
    after = threads_of(os.getpid())[os.getpid()]
    assert after[0], "who reads this runs"
    assert after[1] - before[1] == pytest.approx(0.05, abs=0.03)
    assert threads_of(0) == {}
