"""Writing files so that nothing that fails half-way costs the user one."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from dunefall.base.errors import StorageError
from dunefall.base.language import tr

__all__ = ["PART", "synced", "whole", "write_file"]

PART = ".part"
"""Ending of a file that is not whole yet."""


@contextmanager
def whole(path: Path) -> Iterator[Path]:
    """A hidden file beside a path, to be written: it takes its place when the block has ended without an error.

    Parameters
    ----------
    path : Path
        The file; an old one stays until then.

    Yields
    ------
    Path

    Raises
    ------
    StorageError
        If it cannot be written; nothing is left behind.
    """
    part = path.with_name(f".{path.name}{PART}")
    try:
        yield part
        os.replace(part, path)
    except OSError as error:
        raise StorageError(tr("cannot write {path}: {reason}", path=path, reason=error.strerror or error)) from error
    finally:
        part.unlink(missing_ok=True)


def synced(path: Path) -> None:
    """Have a file that was written put on the disk, so that it outlives a power cut.

    Parameters
    ----------
    path : Path
        The file.

    Raises
    ------
    StorageError
        If the disk does not take it.
    """
    try:
        with path.open("rb") as file:
            os.fsync(file.fileno())
    except OSError as error:
        raise StorageError(tr("cannot write {path}: {reason}", path=path, reason=error.strerror or error)) from error


def write_file(text: str, path: Path) -> None:
    """Write text to a file by way of a temporary one; raises StorageError.

    Parameters
    ----------
    text : str
        What to write.
    path : Path
        The file.

    Raises
    ------
    StorageError
        If the file cannot be written; the old one stays whole.
    """
    data = text.encode("utf-8", errors="replace")  # better a wrong character than a file that is not saved
    temporary = None
    try:
        target = path.resolve()
        handle, temporary = tempfile.mkstemp(prefix=f".{target.name}.", suffix=".part", dir=target.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        mode = target.stat().st_mode & 0o777 if target.exists() else 0o644
        os.chmod(temporary, mode)
        os.replace(temporary, target)
    except OSError as error:
        if temporary is not None:
            with suppress(OSError):
                Path(temporary).unlink(missing_ok=True)
        raise StorageError(
            tr("cannot save {path}: {reason}; the old file is unchanged", path=path, reason=error.strerror or error)
        ) from error
    with suppress(OSError):
        _sync_folder(target.parent)


def _sync_folder(folder: Path) -> None:
    """Have the name of a new file put on the disk as well."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
