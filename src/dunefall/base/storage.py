"""Writing files so that nothing that fails half-way costs the user one."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from dunefall.base.errors import StorageError

__all__ = ["write_file"]


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
    data = text.encode("utf-8")
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
            Path(temporary).unlink(missing_ok=True)
        raise StorageError(f"cannot save {path}: {error.strerror or error}; the old file is unchanged") from error
