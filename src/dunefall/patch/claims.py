"""Which patch file is open in which program: a lock that ends with the process that holds it, whatever ends it."""

from __future__ import annotations

import fcntl
import hashlib
import os
from pathlib import Path

__all__ = ["Claim", "mark_of"]


def mark_of(path: Path | None) -> str:
    """What a file holds, in short: empty if there is none."""
    try:
        return hashlib.blake2b(path.read_bytes(), digest_size=16).hexdigest() if path is not None else ""
    except OSError:
        return ""


class Claim:
    """The one file that this program says it has open.

    Parameters
    ----------
    folder : Path
        Where programs of this user leave their locks.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._held: int | None = None

    def take(self, path: Path | None) -> bool:
        """Give up the file before, and claim another one.

        Parameters
        ----------
        path : Path or None
            The file; None: no file.

        Returns
        -------
        bool
            False if another program has it open; where locks cannot be kept, nobody is known to.
        """
        self.free()
        if path is None:
            return True
        name = hashlib.blake2b(os.fsencode(path.resolve()), digest_size=12).hexdigest()
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            self._held = os.open(self._folder / f"{name}.lock", os.O_RDWR | os.O_CREAT, 0o600)
            fcntl.flock(self._held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            self.free()
            return False
        except OSError:
            self.free()
        return True

    def free(self) -> None:
        """Claim nothing any more."""
        if self._held is not None:
            os.close(self._held)
            self._held = None
