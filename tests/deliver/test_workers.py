"""Many workers: the same files as one gives, also where a worker dies, is stopped, or is on a cluster."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from bench.deliver import cluster_here

from dunefall.base.errors import ParameterError
from dunefall.compiler import sounds
from dunefall.deliver import making
from dunefall.deliver import workers as workers_module
from dunefall.deliver.job import Job, Source
from dunefall.deliver.making import Task, make
from dunefall.deliver.plan import tasks_of
from dunefall.deliver.workers import Batch, Workers, cluster, work
from dunefall.patch.model import Module
from rig import demo, patch_of, until


def tasks(folder: Path, count: int, **settings: object) -> list[Task]:
    job = replace(Job(), seconds=0.5, name="v_{n:02}", variations=count, folder=str(folder), **settings)
    return tasks_of(job, Source.of(demo()), "2026-11-29T12:00:00")


def finish(batch: Batch, seconds: float = 120.0) -> None:
    end = time.monotonic() + seconds
    while batch.step():
        assert time.monotonic() < end
        time.sleep(0.02)


@pytest.fixture(scope="module")
def workers() -> Iterator[Workers]:
    """Two on this machine, for all tests: they take a while to come."""
    two = Workers(2)
    yield two
    two.close()


@pytest.fixture(scope="module")
def here(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    """Eight files made in this process."""
    folder = tmp_path_factory.mktemp("here")
    for task in tasks(folder, 8):
        make(task)
    return {path.name: path.read_bytes() for path in folder.iterdir()}


def test_workers_make_the_same_files(here: dict[str, bytes], workers: Workers, tmp_path: Path) -> None:
    batch = Batch(tasks(tmp_path, 8), workers)
    shares = []
    while batch.step():
        shares.append(batch.share)
        time.sleep(0.02)
    assert not batch.failed
    assert [file.number for file in batch.files] == list(range(1, 9))
    assert {path.name: path.read_bytes() for path in tmp_path.iterdir()} == here
    assert shares == sorted(shares)
    assert batch.share == 1.0


def test_a_worker_that_is_killed_costs_nothing(here: dict[str, bytes], workers: Workers, tmp_path: Path) -> None:
    batch = Batch(tasks(tmp_path, 8), workers)
    killed = False
    while batch.step():
        crew = list(workers._executor._processes)  # type: ignore[union-attr]
        if not killed and batch.share > 0.2:  # not what is done: the disk may be slow to take it
            for process in crew:  # while they stand still, none can finish its file behind our back
                os.kill(process, signal.SIGSTOP)
            time.sleep(0.1)
            parts = [tmp_path / f".{task.names[0]}.wav.part" for f, task in batch._running.items() if not f.done()]
            new = [part for part in parts if not part.exists()]  # the other worker may be writing one
            if new:
                new[0].write_bytes(b"half a file of a worker that is gone")
                os.kill(crew[0], signal.SIGKILL)
                killed = True
            for process in crew:
                os.kill(process, signal.SIGCONT)
        time.sleep(0.005)
    assert killed
    assert not batch.failed
    assert {path.name: path.read_bytes() for path in tmp_path.iterdir()} == here


def test_what_is_stopped_keeps_whole_files_and_leaves_no_half_one(workers: Workers, tmp_path: Path) -> None:
    batch = Batch(tasks(tmp_path, 40), workers)
    while batch.step() and batch.done < 2:
        time.sleep(0.02)
    batch.stop()
    finish(batch)
    names = {path.name for path in tmp_path.iterdir()}
    assert 2 <= len(names) < 40
    assert names == {file.names[0] for file in batch.files}
    assert not batch.failed


def test_who_asked_for_it_is_gone_and_the_workers_stop(workers: Workers, tmp_path: Path) -> None:
    """The program ends in the middle of ten minutes of sound: nothing of it goes on."""
    planned = [replace(task, job=replace(task.job, seconds=600.0)) for task in tasks(tmp_path, 2)]
    batch = Batch(planned, workers)
    while batch.step() and max(batch.shares().values(), default=0.0) == 0.0:
        time.sleep(0.02)
    running = list(batch._running)
    batch.stop()
    batch.close()
    end = time.monotonic() + 20
    while not all(future.done() for future in running) and time.monotonic() < end:
        time.sleep(0.05)
    assert all(future.cancelled() or future.result().error == "stopped" for future in running)
    assert not list(tmp_path.iterdir())


def test_workers_end_with_a_program_that_is_killed(tmp_path: Path) -> None:
    """The program dies and can say nothing to its workers: within seconds they are gone."""
    script = tmp_path / "program.py"
    script.write_text(
        "import os, time\nfrom dunefall.deliver.workers import Workers\n"
        "if __name__ == '__main__':\n"
        "    crew = Workers(1)\n    crew._begin_executor().submit(time.sleep, 0).result()\n"
        "    print(*crew._executor._processes, flush=True)\n    os.kill(os.getpid(), 9)\n"
    )
    done = subprocess.run([sys.executable, str(script)], stdout=subprocess.PIPE, text=True, timeout=60)
    (worker,) = map(int, done.stdout.split())
    end = time.monotonic() + 10
    while Path(f"/proc/{worker}").exists() and time.monotonic() < end:
        time.sleep(0.05)
    assert not Path(f"/proc/{worker}").exists()


def test_workers_that_are_ended_at_once_leave_no_thread_that_waits_for_them() -> None:
    """What they were still to be given fills a pipe that nobody reads: Python 3.11.2 waits for ever (CPython's issue
    94777)."""
    before, workers = set(threading.enumerate()), Workers(1)
    for _ in range(4):
        workers.submit(_slow, b"-" * 200_000)
    time.sleep(1.0)
    workers.close(at_once=True)
    assert until(lambda: set(threading.enumerate()) <= before, 20.0)


@pytest.mark.parametrize("at_once", [False, True])
def test_closing_leaves_the_pool_to_close_its_own_pipe(at_once: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    """Two threads that close one pipe may close it twice: "bad file descriptor", or the file of somebody else."""
    workers = Workers(1)
    workers.submit(_slow, b"")
    orders: Any = workers._executor._call_queue  # type: ignore[union-attr, attr-defined]
    ends, close = list[threading.Thread](), Connection.close

    def noted(pipe: Connection[Any, Any]) -> None:
        if pipe is orders._reader:
            ends.append(threading.current_thread())
        close(pipe)

    monkeypatch.setattr(Connection, "close", noted)
    (worker,) = workers._executor._processes.values()  # type: ignore[union-attr, attr-defined]
    worker.kill()
    workers.close(at_once)
    assert until(lambda: orders._reader.closed, 20.0)
    assert threading.current_thread() not in ends


def _slow(given: bytes) -> None:
    time.sleep(60.0)


def test_a_pause_begins_nothing_new(workers: Workers, tmp_path: Path) -> None:
    batch = Batch(tasks(tmp_path, 8), workers)
    while batch.step() and batch.done < 1:
        time.sleep(0.02)
    batch.paused = True
    end = time.monotonic() + 20
    while batch._running and time.monotonic() < end:
        batch.step()
        time.sleep(0.02)
    assert len(batch.files) < 8
    batch.paused = False
    finish(batch)
    assert len(batch.files) == 8


def test_what_fails_is_told_for_each_file(workers: Workers, tmp_path: Path) -> None:
    planned = tasks(tmp_path, 2)
    planned[0] = replace(planned[0], job=replace(planned[0].job, what="hits", module="fog-air-noise"))
    batch = Batch(planned, workers)
    finish(batch)
    assert list(batch.failed) == [1]
    assert "has no events" in batch.failed[1]
    assert [file.number for file in batch.files] == [2]


def test_a_task_is_done_alike_far_away(tmp_path: Path, here: dict[str, bytes]) -> None:
    outcome = work(tasks(tmp_path, 1)[0], "", True, {})
    assert outcome.data == {"v_01.wav": here["v_01.wav"]}
    assert not list(tmp_path.iterdir())


def test_the_sounds_of_a_patch_travel_with_its_tasks(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A worker of another machine has no such file: what it makes is the same as here, and sounds."""

    def machine(name: str) -> None:
        (tmp_path / name).mkdir()
        monkeypatch.setattr(sounds, "sounds_folder", lambda: tmp_path / name)
        sounds._mapped.clear()

    machine("here")
    path = tmp_path / "rain.wav"
    soundfile.write(path, 0.2 * np.random.default_rng(2).normal(0, 1, (24000, 2)).clip(-1, 1), 48000)
    player = Module("player", "sample-player", "Rain", sound=sounds.take_in(path))
    clock = Module("clock", "clock", "Clock", {"sync": 1.0, "period_s": 0.1})
    patch = patch_of(clock, player, Module("a-output", "output", "A"),
                     links=(("clock.gate", "player.trigger", 1.0), ("player.out", "a-output.audio", 1.0)))  # fmt: skip
    job = Job(seconds=0.5, folder=str(tmp_path / "out"), name="a")
    (task,) = tasks_of(job, Source.of(patch), "2026-11-29T12:00:00")
    assert not work(task, "", False, {}).error
    made, data = (tmp_path / "out" / "a.wav").read_bytes(), path.read_bytes()
    path.unlink()
    machine("there")
    assert "rain.wav" in work(task, "", True, {}).error
    outcome = work(task, "", True, {str(path): data})
    assert outcome.data == {"a.wav": made}
    assert outcome.files[0].measures.true_peak_db > -30.0


def test_memory_that_runs_out_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def none(*_: object) -> None:
        raise MemoryError

    monkeypatch.setattr(making, "_pieces", none)
    assert "not enough memory" in work(tasks(tmp_path, 1)[0], "", False, {}).error


def test_nobody_at_the_scheduler_s_address(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(workers_module, "CONNECT_S", 0.5)
    with pytest.raises(ParameterError, match=r"no scheduler answers at tcp://127\.0\.0\.1:9"):
        cluster("tcp://127.0.0.1:9")


@pytest.fixture
def scheduler(tmp_path: Path) -> Iterator[tuple[str, list[subprocess.Popen[bytes]]]]:
    """A real scheduler of Dask with two real workers on this machine."""
    with cluster_here(tmp_path) as found:
        yield found


def test_a_cluster_makes_the_same_files_and_loses_none(
    scheduler: tuple[str, list[subprocess.Popen[bytes]]], here: dict[str, bytes], tmp_path: Path
) -> None:
    """With `dask.distributed`; one of its two workers is killed in the middle."""
    address, workers = scheduler
    out = tmp_path / "out"
    batch = Batch(tasks(out, 8), Workers(2, address))
    killed, end = False, time.monotonic() + 180
    while batch.step():
        assert time.monotonic() < end
        if not killed and batch.share > 0.2:
            workers[0].kill()
            killed = True
        time.sleep(0.05)
    assert killed
    assert not batch.failed
    assert {path.name: path.read_bytes() for path in out.iterdir()} == here
