"""Run with the shim preloaded: each way of writing is tried once for each call that changes files, as a process of its
own that is killed there, or whose call fails. Prints a line for each case in which neither old nor new is whole.

The method is that of SQLite's crash tests (sqlite.org/testing.html, from memory).
"""

from __future__ import annotations

import ctypes
import errno
import json
import os
import shutil
import sys
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from dunefall.base.errors import DunefallError
from dunefall.base.preferences import Preferences
from dunefall.deliver.job import Job, Source
from dunefall.deliver.jobfiles import load_job, presets, save_job
from dunefall.deliver.making import File
from dunefall.deliver.measure import Measures
from dunefall.deliver.queue import RenderQueue
from dunefall.patch.files import load_patch, save_patch
from dunefall.patch.model import Patch
from dunefall.patch.recovery import Recovery
from dunefall.patch.take import Take
from dunefall.patch.takefiles import load_take, save_take

WAYS = {"killed": 0, "no space": errno.ENOSPC, "no permission": errno.EACCES, "interrupted": errno.EINTR,
        "input/output error": errno.EIO, "short write": -1}  # fmt: skip
OLD, NEW = Patch(title="Old", about="x" * 5000), Patch(title="New", about="y" * 9000)
JOB = presets()[0]


def _recovery(folder: Path, patch: Patch) -> None:
    kept = Recovery(folder)
    kept._file = folder / "999999999.recovery"  # of a process that is over
    kept.keep(patch, None)


def _recovered(folder: Path) -> str:
    (found,) = Recovery(folder).left_behind()
    return found.patch.title


def _queue(folder: Path, patch: Patch) -> RenderQueue:
    """The queue with one job: it waits (old), or has been paused (new)."""
    queue = RenderQueue(folder, 1)
    queue.load()
    if patch is OLD:
        queue.add(replace(Job(), folder=str(folder), seconds=1.0), Source.of(OLD))
    else:
        queue.pause(queue.entries[0])
    if queue.troubles:
        raise DunefallError(queue.troubles[0])
    return queue


def _finished(folder: Path, patch: Patch) -> None:
    """One of its files is finished (new)."""
    kept = folder / "queue"
    if patch is OLD:
        _queue(kept, OLD)
        return
    queue = RenderQueue(kept, 1)
    queue.load()
    queue._note(queue.entries[0], File(("a.wav",), 1, 1, ("0" * 64,), Measures(*[0.0] * 10), (), None, (), []))
    if queue.troubles:
        raise DunefallError(queue.troubles[0])


def _queued(folder: Path) -> RenderQueue:
    queue = RenderQueue(folder, 1)
    queue.load()
    assert not queue.troubles
    return queue


CASES: dict[str, tuple[Callable[[Path, Patch], object], Callable[[Path], str]]] = {
    "patch": (
        lambda folder, patch: save_patch(patch, folder / "a.dunefall"),
        lambda folder: load_patch(folder / "a.dunefall").title,
    ),
    "take": (
        lambda folder, patch: save_take(Take(patch), folder / "a.dunetake"),
        lambda folder: load_take(folder / "a.dunetake").start.title,
    ),
    "recovery": (_recovery, _recovered),
    "preferences": (
        lambda folder, patch: Preferences(folder=patch.title).save(folder / "p.json"),
        lambda folder: Preferences.load(folder / "p.json").folder,
    ),
    "job": (
        lambda folder, patch: save_job(replace(JOB, name=patch.title), folder / "j.dunejob"),
        lambda folder: load_job(folder / "j.dunejob").name,
    ),
    "queue": (_queue, lambda folder: "New" if _queued(folder).entries[0].state == "paused" else "Old"),
    "finished": (_finished, lambda folder: "New" if _queued(folder / "queue").entries[0].files else "Old"),
}
"""How each is written, and how it is read back: by the title of the patch."""


def _case(kind: str, way: int, at: int, folder: Path, shim: ctypes.CDLL) -> tuple[bool, bool, str]:
    """One call fails in a process of its own: whether there was such a call, whether it said that all went well, and
    what is read afterwards."""
    write, read = CASES[kind]
    process = os.fork()
    if process == 0:
        shim.shim_arm(at, way)
        try:
            write(folder, NEW)
            told = 0
        except DunefallError:
            told = 2
        except BaseException as error:
            os.write(1, f"{kind}: {error!r}\n".encode())
            told = 4
        os._exit(told + shim.shim_done())
    code = os.waitstatus_to_exitcode(os.waitpid(process, 0)[1])
    try:
        found = read(folder)
    except (DunefallError, ValueError, AssertionError) as error:
        found = f"unreadable: {error}"
    return code == 99 or bool(code & 1), code & ~1 == 0, found


def main() -> int:
    """All cases; 1 if something was lost."""
    shim, lost, tried = ctypes.CDLL(os.environ["LD_PRELOAD"]), 0, {}
    for kind in CASES:
        for name, way in WAYS.items():
            for at in range(100):
                folder = Path(tempfile.mkdtemp())
                CASES[kind][0](folder, OLD)
                reached, well, found = _case(kind, way, at, folder, shim)
                fine = found == "New" or (found == "Old" and (not well or not reached or kind == "preferences"))
                if not fine:
                    lost += 1
                    print(f"{kind}, {name} at call {at}: {'said well' if well else 'said'}, found {found}")
                if way != 0 and len(list(folder.iterdir())) > 1:
                    lost += 1
                    print(f"{kind}, {name} at call {at}: leaves {sorted(path.name for path in folder.iterdir())}")
                shutil.rmtree(folder)
                if not reached:
                    tried[f"{kind}, {name}"] = at
                    break
            else:
                print(f"{kind}, {name}: it does not end")
                lost += 1
    print(json.dumps(tried))
    return min(lost, 1)


if __name__ == "__main__":
    sys.exit(main())
