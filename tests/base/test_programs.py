"""What a program leaves behind is its own for as long as it runs, whatever number its process has."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from dunefall.base import programs
from dunefall.base.programs import be_part_of, program_name, program_runs

NAMED = (
    "import time; from dunefall.base.programs import program_name; print(program_name(), flush=True); time.sleep(60)"
)
Begin = Callable[[], tuple[str, "subprocess.Popen[str]"]]


@pytest.fixture(autouse=True)
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("DUNEFALL_DATA", str(tmp_path))
    monkeypatch.setattr(programs, "_locks", {})
    monkeypatch.setattr(programs, "_part_of", [])
    return tmp_path / "running"


@pytest.fixture
def begin() -> Iterator[Begin]:
    """Begins another program, and gives its name."""
    begun = []

    def one() -> tuple[str, subprocess.Popen[str]]:
        made = subprocess.Popen([sys.executable, "-c", NAMED], stdout=subprocess.PIPE, text=True)
        begun.append(made)
        assert made.stdout is not None
        with made.stdout as told:
            return told.readline().strip(), made

    yield one
    for process in begun:
        process.kill()
        process.wait()


def test_a_program_runs_until_its_process_ends_whatever_ends_it(begin: Begin) -> None:
    name, process = begin()
    assert program_runs(name)
    assert program_runs(name), "to look at it takes nothing away"
    process.kill()
    process.wait()
    assert not program_runs(name)


def test_a_number_that_another_process_has_now_does_not_hold_what_was_left_behind() -> None:
    """As after the machine was started anew; in a container the number may even be one's own."""
    program_name()
    for number in (os.getpid(), os.getppid(), 1):
        assert not program_runs(f"{number}-0123abcd")
    assert program_runs(str(os.getpid())), "by its number only, as older versions wrote it"
    for nonsense in ("", "0", "x", "1-2-3", "../1-0123abcd", "1-0123ABCD"):
        assert not program_runs(nonsense)


def test_every_program_has_a_name_of_its_own_and_removes_what_others_have_left(begin: Begin, folder: Path) -> None:
    first, process = begin()
    second, _ = begin()
    assert program_name() == program_name()
    assert len({first, second, program_name()}) == 3
    process.kill()
    process.wait()
    third, _ = begin()
    assert {file.name for file in folder.iterdir()} == {second, program_name(), third}
    assert all(map(program_runs, (second, program_name(), third)))


def test_a_lock_lies_where_the_things_lie_that_it_is_for(
    begin: Begin, folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One that keeps what is the user's elsewhere, but looks into the same folder, finds it all the same."""
    room = tmp_path / "room"
    name = program_name(room)
    assert name == program_name() == program_name(tmp_path)
    with monkeypatch.context() as elsewhere:
        elsewhere.setenv("DUNEFALL_DATA", str(tmp_path / "elsewhere"))
        elsewhere.setattr(programs, "_token", "00000000")
        assert program_runs(name, room)
        assert not program_runs(name), "nothing of it lies there"
    (folder.parent / "file").touch()
    assert program_name(folder.parent / "file") == str(os.getpid())
    assert program_runs(name, folder.parent / "file")


def test_a_process_of_a_program_has_its_name() -> None:
    be_part_of("12-0123abcd")
    assert program_name() == "12-0123abcd"
    assert program_runs("12-0123abcd")


def test_where_no_lock_can_be_kept_a_program_goes_by_its_number(folder: Path) -> None:
    folder.write_text("no folder")
    assert program_name() == str(os.getpid())
    assert program_runs(program_name())


def test_one_that_is_looked_at_just_then_gets_its_lock(monkeypatch: pytest.MonkeyPatch, folder: Path) -> None:
    """Somebody may hold a file for a moment, or take it for one that was left behind, before it is locked."""
    real, busy = programs.fcntl.flock, [0]

    def flock(handle: int, kind: int) -> None:
        busy[0] += 1
        if busy[0] == 1:
            raise BlockingIOError
        real(handle, kind)
        if busy[0] == 2:
            for file in folder.iterdir():
                file.unlink()

    monkeypatch.setattr(programs.fcntl, "flock", flock)
    assert "-" in program_name()
    assert busy[0] == 3
    assert (folder / program_name()).exists()
