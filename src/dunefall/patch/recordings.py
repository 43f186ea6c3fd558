"""The recordings of the live input that takes name: in files by a name alone, beside the file."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from dunefall.base.errors import PatchError, StorageError
from dunefall.base.language import tr
from dunefall.patch.take import Entry, Heard, Take

__all__ = ["with_recordings_beside", "with_recordings_in"]


def with_recordings_in(take: Take, folder: Path, *, there: bool) -> Take:
    """A take of a file in a folder, its recordings looked up beside the file.

    Parameters
    ----------
    take : Take
        As it is in the file.
    folder : Path
        Of the file.
    there : bool
        Whether they must be there.

    Returns
    -------
    Take

    Raises
    ------
    PatchError
        If a recording is anywhere else, or missing where it must be there.
    """
    return _with_recordings(take, lambda entry, name: _found(name, folder, there))


def with_recordings_beside(take: Take, file: Path, name: str = "") -> Take:
    """A take for a file, its recordings copied beside it.

    Parameters
    ----------
    take : Take
        As it was played.
    file : Path
        Where it is going to be.
    name : str
        Of the take, where the file holds several; there, a recording that is gone does not hinder saving.

    Returns
    -------
    Take

    Raises
    ------
    StorageError
        If one cannot be copied.
    """
    part = "".join(letter if letter.isalnum() else "-" for letter in name)
    stem = f"{file.stem} {part}".rstrip()
    return _with_recordings(take, lambda entry, recording: _copied(
        Path(recording), file.with_name(f"{stem} live {entry.at}{Path(recording).suffix}"), needed=not name
    ))  # fmt: skip


def _with_recordings(take: Take, change: Callable[[Entry, str], str]) -> Take:
    if not any(isinstance(entry.what, Heard) for entry in take.entries):
        return take
    return replace(take, entries=tuple(
        replace(entry, what=Heard(change(entry, entry.what.recording))) if isinstance(entry.what, Heard) else entry
        for entry in take.entries
    ))  # fmt: skip


def _found(name: str, folder: Path, there: bool) -> str:
    if Path(name).name != name:
        raise PatchError(tr('the recording "{name}" must be beside the take: a file name without a folder', name=name))
    recording = folder / name
    if there and not recording.is_file():
        raise PatchError(tr('its recording "{name}" is missing; put it in {folder}', name=name, folder=folder))
    return str(recording)


def _copied(recording: Path, beside: Path, needed: bool) -> str:
    if not needed and not recording.is_file():
        return recording.name
    try:
        if not (beside.exists() and beside.samefile(recording)):
            shutil.copyfile(recording, beside)
    except OSError as error:
        raise StorageError(tr("cannot copy {recording} to {beside}: {reason}", recording=recording, beside=beside,
                              reason=error.strerror)) from error  # fmt: skip
    return beside.name
