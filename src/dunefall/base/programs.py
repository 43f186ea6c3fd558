"""Dunefall as it runs now, among others of the same user: what it leaves behind bears its name.

Each program holds a lock for as long as it lives, whatever ends it. A process number would not do: after a crash
another program may have it, and in containers that share a home all may have the same. The lock lies where the things
lie that bear the name: whoever finds them finds it, too, even if other folders of that program are elsewhere.
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
FOLDER = "running"
TRIES = 10
_token = uuid.uuid4().hex[:8]
_locks = dict[Path, int | None]()
"""The file that is locked in each folder; None: no lock can be kept there."""
_part_of: list[str] = []
"""The name of the program that this process belongs to, if another one has begun it."""


def program_name(root: Path | None = None) -> str:
    """The name of this program, the same in all of its processes that know it: for files, and folders.

    Parameters
    ----------
    root : Path
        The folder of what is to bear the name; without one, the state folder.

    Returns
    -------
    str
        The number of its process, and, where locks can be kept, some more.
    """
    if _part_of:
        return _part_of[0]
    root, name = root or state_folder(), _own_name()
    if root not in _locks:
        try:
            _locks[root] = _locked(root / FOLDER / name)
        except OSError:
            _locks[root] = None
    return str(os.getpid()) if _locks[root] is None else name


def be_part_of(name: str) -> None:
    """This process belongs to a program that another process has begun.

    Parameters
    ----------
    name : str
        Its name, from there.
    """
    _part_of[:] = [name]


def program_runs(name: str, root: Path | None = None) -> bool:
    """Whether a program runs.

    Parameters
    ----------
    name : str
        As it stands in the name of a file; what is none runs not.
    root : Path
        The folder in which it was found; without one, the state folder.

    Returns
    -------
    bool
    """
    if name in (_own_name(), *_part_of):
        return True
    if not _NAME.fullmatch(name):
        return runs(name)
    try:
        return not _try_lock((root or state_folder()) / FOLDER / name, fcntl.LOCK_SH, lambda: None)
    except FileNotFoundError:
        return False
    except OSError:
        return True


def _own_name() -> str:
    return f"{os.getpid()}-{_token}"


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
