"""Dunefall as it runs now, among others of the same user: what it leaves behind bears its name.

Each program holds a lock for as long as it lives, whatever ends it. A process number would not do: after a crash
another program may have it, and in containers that share a home all may have the same.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import re
import uuid
from collections.abc import Callable
from pathlib import Path

from dunefall.base.folders import state_folder
from dunefall.base.processes import runs

__all__ = ["be_part_of", "program_name", "program_runs"]

_NAME = re.compile(r"[1-9][0-9]{0,8}-[0-9a-f]{8}", re.ASCII)
TRIES = 10
_own = dict[str, int]()
"""The name of this program, with the file that is locked; -1: another process of it has locked it."""


def program_name() -> str:
    """The name of this program, the same in all of its processes that know it: for files, and folders.

    Returns
    -------
    str
        The number of its process, and, where locks can be kept, some more.
    """
    if not _own:
        name = f"{os.getpid()}-{uuid.uuid4().hex[:8]}"
        try:
            _own[name] = _locked(_folder() / name)
        except OSError:
            _own[str(os.getpid())] = -1
    return next(iter(_own))


def be_part_of(name: str) -> None:
    """This process belongs to a program that another process has begun.

    Parameters
    ----------
    name : str
        Its name, from there.
    """
    _own.clear()
    _own[name] = -1


def program_runs(name: str) -> bool:
    """Whether a program runs.

    Parameters
    ----------
    name : str
        As it stands in the name of a file; what is none runs not.

    Returns
    -------
    bool
    """
    if name in _own:
        return True
    if not _NAME.fullmatch(name):
        return runs(name)
    try:
        return not _try_lock(_folder() / name, fcntl.LOCK_SH, lambda: None)
    except FileNotFoundError:
        return False
    except OSError:
        return True


def _folder() -> Path:
    return state_folder() / "running"


def _locked(path: Path) -> int:
    """A new file that is locked; those of programs that have ended go."""
    path.parent.mkdir(parents=True, exist_ok=True)
    for old in path.parent.iterdir():
        if _NAME.fullmatch(old.name):
            with contextlib.suppress(OSError):
                _try_lock(old, fcntl.LOCK_EX, old.unlink)
    for _ in range(TRIES):
        handle = os.open(path, os.O_RDWR | os.O_CREAT, 0o600)
        with contextlib.suppress(BlockingIOError):  # somebody looks at it just now
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            if path.exists():  # and was not taken for one that was left behind, before it was locked
                return handle
        os.close(handle)
    raise BlockingIOError(path)


def _try_lock(path: Path, kind: int, then: Callable[[], object]) -> bool:
    """Whether a file could be locked for a moment, and something done meanwhile."""
    handle = os.open(path, os.O_RDWR)
    try:
        fcntl.flock(handle, kind | fcntl.LOCK_NB)
        then()
    except BlockingIOError:
        return False
    finally:
        os.close(handle)
    return True
