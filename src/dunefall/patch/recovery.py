"""Copies of unsaved patches, written now and then, and found again after a crash."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from pathlib import Path

from dunefall.base.door import dump_json, parse_json, path_of, read_file
from dunefall.base.errors import DunefallError, PatchError
from dunefall.base.folders import data_folder
from dunefall.base.language import tr
from dunefall.base.programs import program_name, program_runs
from dunefall.base.storage import write_file
from dunefall.patch.fields import get
from dunefall.patch.files import patch_of, raw_patch
from dunefall.patch.model import Patch

__all__ = ["Recovered", "Recovery", "recovery_folder"]

SUFFIX = ".recovery"


def recovery_folder() -> Path:
    """The folder of the copies."""
    return data_folder() / "recovery"


@dataclass(frozen=True)
class Recovered:
    """An unsaved patch that was left behind: the copy, the patch, and the file that it belongs to, if it had one."""

    copy: Path
    patch: Patch
    path: Path | None


class Recovery:
    """The copy of this program's unsaved patch, one file."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._file = folder / f"{program_name(data_folder())}{SUFFIX}"

    def keep(self, patch: Patch, path: Path | None) -> None:
        """Rewrite the copy; raises StorageError if that is not possible.

        Parameters
        ----------
        patch : Patch
            The patch; it is not changed.
        path : Path
            The file.
        """
        with contextlib.suppress(OSError):
            self._folder.mkdir(parents=True, exist_ok=True)
        raw = {"path": str(path.absolute()) if path else "", "patch": raw_patch(patch)}
        write_file(dump_json(raw), self._file)

    def forget(self) -> None:
        """The patch is saved, or given up: the copy goes."""
        with contextlib.suppress(OSError):
            self._file.unlink(missing_ok=True)

    def left_behind(self) -> list[Recovered]:
        """Copies left by programs that have ended, the newest first; unreadable ones are skipped."""
        found = []
        with contextlib.suppress(OSError):
            for file in sorted(self._folder.glob(f"*{SUFFIX}"), key=lambda file: -file.stat().st_mtime):
                if not program_runs(file.stem, data_folder()):
                    with contextlib.suppress(DunefallError):
                        found.append(_read(file))
        return found


def _read(file: Path) -> Recovered:
    raw = parse_json(read_file(file))
    if not isinstance(raw, dict):
        raise PatchError(tr("needs an object"), place=tr("the recovery copy"))
    path = get(raw, "path", str, "", "")
    patch = patch_of(get(raw, "patch", dict, ""))
    try:
        return Recovered(file, patch, path_of(path) if path else None)
    except PatchError:  # the patch is what counts
        return Recovered(file, patch, None)
