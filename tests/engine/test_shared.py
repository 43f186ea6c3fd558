"""Shared memory: what killed processes left goes, and a lack of room is a sentence and not a dead process."""

from __future__ import annotations

import errno
import os
import subprocess
import sys

import pytest

from dunefall.base.errors import StorageError
from dunefall.engine.shared import FOLDER, PREFIX, SharedState


def blocks() -> set[str]:
    return {path.name for path in FOLDER.glob(f"{PREFIX}*")}


def test_what_a_killed_process_left_behind_goes_with_the_next_start() -> None:
    code = "import os, sys; from dunefall.engine.shared import SharedState\n"
    code += "from multiprocessing import resource_tracker\n"
    code += "made = SharedState(); resource_tracker.unregister(made._block._name, 'shared_memory')\n"
    code += "print(made.name, flush=True); os.kill(os.getpid(), 9)"
    killed = subprocess.run([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True, check=False)
    left = killed.stdout.strip()
    assert left in blocks()
    os.utime(FOLDER / left, (1e9, 1e9))
    mine, other = SharedState(), SharedState()
    assert left not in blocks()
    assert {mine.name, other.name} <= blocks(), "what is in use stays"
    mine.close()
    other.close()
    assert not {mine.name, other.name} & blocks()


def test_a_process_in_another_container_leaves_what_is_in_use() -> None:
    """It sees the same memory, and none of our processes by its number."""
    alone = ["unshare", "--pid", "--fork", "--mount", "--mount-proc"]
    if subprocess.run([*alone, "true"], capture_output=True, check=False).returncode != 0:
        pytest.skip("only root can have other process numbers")
    mine = SharedState()
    os.utime(FOLDER / mine.name, (1e9, 1e9))
    code = "from dunefall.engine.shared import SharedState; SharedState().close()"
    subprocess.run([*alone, sys.executable, "-c", code], check=True)
    assert mine.name in blocks()
    mine.close()


def test_a_lack_of_room_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    """Without being asked for every byte, the system ends the process at the first one that has no room."""

    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    before = blocks()
    monkeypatch.setattr(os, "posix_fallocate", full)
    with pytest.raises(StorageError, match=r"shared memory \(/dev/shm\) has no room for \d+ MB \(No space left on"):
        SharedState()
    assert blocks() == before


def test_in_a_shared_memory_that_is_truly_too_small() -> None:
    small = f"mount -t tmpfs -o size=1m none {FOLDER}"
    if subprocess.run(["unshare", "-m", "sh", "-c", small], capture_output=True, check=False).returncode != 0:
        pytest.skip("only root can mount a small one")
    code = "from dunefall.engine.shared import SharedState; SharedState()"
    alone = ["unshare", "-m", "sh", "-c", f"{small} && exec {sys.executable} -c '{code}'"]
    done = subprocess.run(alone, capture_output=True, text=True, check=False)
    assert "has no room for" in done.stderr
    assert done.returncode == 1, "an error, no dead process"
