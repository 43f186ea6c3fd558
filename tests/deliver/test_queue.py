"""The queue: one job after the other; it survives a crash, and goes on with what is missing."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import pytest

from dunefall.base.errors import ParameterError
from dunefall.deliver.job import Job, Source
from dunefall.deliver.queue import RenderQueue
from rig import demo


def job(folder: Path, **settings: object) -> Job:
    given: dict[str, object] = {"seconds": 0.4, "name": "v_{n}", "variations": 3, "title": "Drops", **settings}
    return replace(Job(), folder=str(folder), **given)  # type: ignore[arg-type]


def run(queue: RenderQueue, until: object = None, seconds: float = 120.0) -> None:
    end = time.monotonic() + seconds
    while queue.step() and not (callable(until) and until()):
        assert time.monotonic() < end
        time.sleep(0.02)


def test_jobs_are_done_in_their_order_and_leave_their_figures(tmp_path: Path) -> None:
    queue = RenderQueue(tmp_path / "queue", 2)
    first, second = (queue.add(job(tmp_path / name), Source.of(demo())) for name in ("a", "b"))
    third = queue.add(job(tmp_path / "c", variations=1), Source.of(demo()))
    queue.first(third)
    assert queue.entries[0] is third
    run(queue)
    assert [entry.state for entry in (first, second, third)] == ["done"] * 3
    assert sorted(path.name for path in (tmp_path / "a").iterdir()) == [
        "v.csv",
        "v.json",
        "v_1.wav",
        "v_2.wav",
        "v_3.wav",
    ]
    assert len(json.loads((tmp_path / "a" / "v.json").read_text())["files"]) == 3
    assert first.share == 1.0
    queue.remove(first)
    assert first not in queue.entries
    assert (tmp_path / "a" / "v_1.wav").exists()
    queue.close()


def test_after_a_crash_it_goes_on_with_what_is_missing(tmp_path: Path) -> None:
    queue = RenderQueue(tmp_path / "queue", 1)
    entry = queue.add(job(tmp_path / "a", variations=5), Source.of(demo()))
    run(queue, lambda: len(entry.files) >= 2)
    before = {path.name: path.stat().st_mtime_ns for path in (tmp_path / "a").glob("*.wav")}
    with (tmp_path / "queue" / f"{entry.id}.done").open("a") as lines:
        lines.write('{"names": ["v_9')  # the crash came in the middle of a line
    queue.close()
    del queue
    again = RenderQueue(tmp_path / "queue", 1)
    again.load()
    assert not again.troubles
    (back,) = again.entries
    assert (back.state, len(back.missing())) == ("waiting", 5 - len(back.files))
    assert len(back.files) >= 2
    run(again)
    assert back.state == "done"
    assert [file.names[0] for file in back.files] == [f"v_{k}.wav" for k in range(1, 6)]
    third = RenderQueue(tmp_path / "queue", 1)
    third.load()
    assert len(third.entries[0].files) == 5, "what was noted behind the torn line counts"
    kept = [name for name, made in before.items() if (tmp_path / "a" / name).stat().st_mtime_ns == made]
    assert len(kept) >= 2, "what was whole is not made again"
    again.close()


def test_pause_cancel_and_retry(tmp_path: Path) -> None:
    queue = RenderQueue(tmp_path / "queue", 1)
    entry = queue.add(job(tmp_path / "a", variations=6), Source.of(demo()))
    run(queue, lambda: len(entry.files) >= 1)
    queue.pause(entry)
    assert entry.state == "paused"
    queue.resume(entry)
    assert entry.state == "running"
    queue.cancel(entry)
    run(queue)
    assert entry.state == "cancelled"
    assert 1 <= len(entry.files) < 6
    assert not list((tmp_path / "a").glob(".*"))
    queue.retry(entry)
    run(queue)
    assert (entry.state, len(entry.files)) == ("done", 6)
    queue.close()


def test_a_file_is_made_again_with_another_seed_or_setting_and_can_be_remade(tmp_path: Path) -> None:
    from dunefall.deliver.reports import remake

    queue = RenderQueue(tmp_path / "queue", 1)
    entry = queue.add(job(tmp_path / "a"), Source.of(demo()))
    run(queue)
    old = (tmp_path / "a" / "v_2.wav").read_bytes()
    queue.make_again(entry, [2], {"seed": "next"})
    queue.make_again(entry, [3], {"seconds": 0.2})
    run(queue)
    assert [file.seed for file in entry.files] == [417, 420, 419]
    assert entry.files[2].measures.seconds == 0.2
    assert (tmp_path / "a" / "v_2.wav").read_bytes() != old
    told: list[str] = []
    (tmp_path / "b").mkdir()
    remake(tmp_path / "a" / "v.json", [], tmp_path / "b", told.append)
    assert len(told) == 3
    assert all(text.endswith("bit for bit") for text in told)
    queue.make_again(entry, [1])
    before = (tmp_path / "a" / "v_1.wav").read_bytes()
    run(queue)
    assert (tmp_path / "a" / "v_1.wav").read_bytes() == before
    queue.close()


def test_two_jobs_cannot_want_the_same_file_and_bad_jobs_are_refused(tmp_path: Path) -> None:
    queue = RenderQueue(tmp_path / "queue", 1)
    queue.add(job(tmp_path / "a"), Source.of(demo()))
    with pytest.raises(ParameterError, match="is in the queue already"):
        queue.add(job(tmp_path / "a"), Source.of(demo()))
    with pytest.raises(ParameterError, match="no token"):
        queue.add(job(tmp_path / "b", name="{what}"), Source.of(demo()))
    for number, text in enumerate(("{", "[]", '{"queued": []}', '{"queued": {"made": "x"}, "kind": "job"}', "[" * 99)):
        (tmp_path / "queue" / f"0001{number}.dunejob").write_text(text)
    again = RenderQueue(tmp_path / "queue", 1)
    again.load()
    assert len(again.entries) == 1
    assert ["cannot be read" in text for text in again.troubles] == [True] * 5
    queue.close()


def test_a_queue_that_cannot_be_kept_says_so_once_and_works(tmp_path: Path) -> None:
    (tmp_path / "queue").write_text("a file where the folder should be")
    queue = RenderQueue(tmp_path / "queue", 1)
    entry = queue.add(job(tmp_path / "a"), Source.of(demo()))
    run(queue)
    assert entry.state == "done"
    assert len([text for text in queue.troubles if "cannot be kept" in text]) == 1
    queue.close()


def test_an_error_that_no_worker_expected_is_kept_with_its_cause(tmp_path: Path) -> None:
    queue = RenderQueue(tmp_path / "queue", 1)
    entry = queue.add(job(tmp_path / "a", variations=1), Source.of(demo()))
    entry.tasks = [replace(entry.tasks[0], job=None)]  # type: ignore[arg-type]
    run(queue)
    assert ["the worker ended unexpectedly" in text for text in entry.failed.values()] == [True], entry
    (error,) = queue.unexpected
    assert "Traceback" in str(error.__cause__)
    queue.close()


def test_a_program_that_ends_does_not_wait_for_its_workers(tmp_path: Path) -> None:
    """Workers that do something long (here: they sleep, as if they compiled) ended the program a minute late."""
    script = tmp_path / "program.py"
    script.write_text(
        "import time\nfrom pathlib import Path\nfrom dunefall.deliver.queue import RenderQueue\n"
        "if __name__ == '__main__':\n"
        f"    queue = RenderQueue(Path({str(tmp_path)!r}), 1)\n"
        "    queue._workers._begin_executor().submit(time.sleep, 0).result()\n"
        "    queue._workers._begin_executor().submit(time.sleep, 90)\n"
        "    time.sleep(0.5)\n    queue.close()\n    print(time.time(), flush=True)\n"
    )
    done = subprocess.run([sys.executable, str(script)], stdout=subprocess.PIPE, text=True, timeout=60)
    assert done.returncode == 0
    assert time.time() - float(done.stdout) < 10
