"""Take files, ``.dunetake``: one JSON document beside the patch, with the patch at the take's start in it.

Layout: ``format``, ``kind`` ("take"), ``rate_hz``, ``start`` (a patch as in its own file) and ``entries`` (see
``patch.entryfiles``).
"""

from __future__ import annotations

from pathlib import Path

from dunefall.base.door import dump_json, parse_json, read_file
from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.base.storage import write_file
from dunefall.patch.entryfiles import dump_entries, only_sound, raw_entries, raw_rate
from dunefall.patch.files import (
    FORMAT,
    patch_of,
    raw_patch,
    with_sounds_beside,
    with_sounds_in,
)
from dunefall.patch.recordings import with_recordings_beside, with_recordings_in
from dunefall.patch.take import Take

__all__ = ["TAKE_SUFFIX", "dump_take", "load_take", "parse_take", "raw_take", "save_take", "take_of"]

TAKE_SUFFIX = ".dunetake"


def load_take(path: Path) -> Take:
    """Read a take file; raises StorageError if it cannot be read and PatchError with the place if it is no take.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    Take

    Raises
    ------
    PatchError
        If the file is no take; with the place of the first fault.
    """
    data = read_file(path)
    try:
        take = take_of(with_sounds_in(parse_json(data), path.parent))
        return with_recordings_in(take, path.parent, there=True)
    except PatchError as error:
        raise PatchError(tr("{name} cannot be opened: {error}", name=path.name, error=error)) from error


def save_take(take: Take, path: Path) -> None:
    """Write a take, and its recordings beside it; raises StorageError and leaves an old file whole if it cannot be
    written.

    Parameters
    ----------
    take : Take
        What was played.
    path : Path
        The file.
    """
    raw = raw_take(with_recordings_beside(take, path))
    write_file(dump_json(with_sounds_beside(raw, path.parent)), path)


def dump_take(take: Take) -> str:
    """Text of a take; sounds and recordings by absolute paths."""
    return dump_json(raw_take(take))


def raw_take(take: Take) -> dict[str, object]:
    """A take as objects and lists, in the order of its file."""
    return {
        "format": FORMAT,
        "kind": "take",
        "rate_hz": take.rate_hz,
        "start": raw_patch(only_sound(take.start)),
        "entries": dump_entries(take.entries),
    }


def parse_take(data: bytes) -> Take:
    """Take of a file's bytes; raises PatchError with the place of the first fault."""
    return take_of(parse_json(data))


def take_of(raw: object) -> Take:
    """Take of its objects and lists.

    Parameters
    ----------
    raw : object
        What the file holds.

    Returns
    -------
    Take

    Raises
    ------
    PatchError
        With the place of the first fault.
    """
    if not isinstance(raw, dict) or raw.get("kind") != "take":
        raise PatchError(tr("the file does not hold a take"))
    rate = raw_rate(raw, "")
    try:
        start = patch_of(raw.get("start"))
    except PatchError as error:
        raise PatchError(str(error), place="start") from error
    return Take(start, rate, raw_entries(raw, ""))
