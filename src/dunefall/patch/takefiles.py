"""Take files, ``.dunetake``: one JSON document beside the patch, with the patch at the take's start in it.

Layout: ``format``, ``kind`` ("take"), ``rate_hz``, ``start`` (a patch as in its own file) and ``entries``, each with
``at`` (sample) and ``do`` (a list of one or more actions such as ``{"set": "m.cutoff_hz", "to": 500}``).
"""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path

from dunefall.base.door import dump_json, parse_json, read_file
from dunefall.base.errors import PatchError, StorageError
from dunefall.base.storage import write_file
from dunefall.patch.changefiles import dump_change, raw_change
from dunefall.patch.family import NO_FAMILY
from dunefall.patch.fields import get, objects, within
from dunefall.patch.files import (
    FORMAT,
    patch_of,
    raw_patch,
    with_sounds_beside,
    with_sounds_in,
)
from dunefall.patch.partfiles import MAX_LINKS, split_place
from dunefall.patch.take import Clear, Edit, Entry, Heard, Note, Press, Take

__all__ = ["TAKE_SUFFIX", "dump_take", "load_take", "parse_take", "raw_take", "save_take", "take_of"]

TAKE_SUFFIX = ".dunetake"
MAX_ENTRIES = 20 * MAX_LINKS
LOWEST_NOTE, HIGHEST_NOTE = -128.0, 256.0


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
        return replace(take, entries=tuple(_found(entry, path.parent) for entry in take.entries))
    except PatchError as error:
        raise PatchError(f"{path.name} cannot be opened: {error}") from error


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
    raw = raw_take(replace(take, entries=tuple(_kept(entry, path) for entry in take.entries)))
    write_file(dump_json(with_sounds_beside(raw, path.parent)), path)


def _found(entry: Entry, folder: Path) -> Entry:
    """An entry of a file, its recording looked up beside the file."""
    if not isinstance(entry.what, Heard):
        return entry
    name = entry.what.recording
    if Path(name).name != name:
        raise PatchError(f'the recording "{name}" must be beside the take: a file name without a folder')
    recording = folder / name
    if not recording.is_file():
        raise PatchError(f'its recording "{name}" is missing; put it in {folder}')
    return replace(entry, what=Heard(str(recording)))


def _kept(entry: Entry, take: Path) -> Entry:
    """An entry for the file, its recording copied beside the take."""
    if not isinstance(entry.what, Heard):
        return entry
    recording = Path(entry.what.recording)
    beside = take.with_name(f"{take.stem} live {entry.at}{recording.suffix}")
    try:
        if not (beside.exists() and beside.samefile(recording)):
            shutil.copyfile(recording, beside)
    except OSError as error:
        raise StorageError(f"cannot copy {recording} to {beside}: {error.strerror}") from error
    return replace(entry, what=Heard(beside.name))


def dump_take(take: Take) -> str:
    """Text of a take; sounds and recordings by absolute paths."""
    return dump_json(raw_take(take))


def raw_take(take: Take) -> dict[str, object]:
    """A take as objects and lists, in the order of its file."""
    return {
        "format": FORMAT,
        "kind": "take",
        "rate_hz": take.rate_hz,
        "start": raw_patch(replace(take.start, family=NO_FAMILY)),
        "entries": [{"at": entry.at, "do": _dump(entry)} for entry in take.entries],
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
        raise PatchError("the file does not hold a take")
    rate = within(raw, "rate_hz", float, "", (8000, 192000), unit="Hz")
    try:
        start = patch_of(raw.get("start"))
    except PatchError as error:
        raise PatchError(str(error), place="start") from error
    entries, before = [], 0
    for item, place in objects(raw, "entries", "", MAX_ENTRIES):
        at = get(item, "at", int, place)
        if at < before:
            raise PatchError(f"must not be earlier than the entry before it ({before}); got {at}", place=f"{place}.at")
        entries.append(_entry(at, objects(item, "do", place, MAX_ENTRIES), place))
        before = at
    return Take(start, rate, tuple(entries))


def _dump(entry: Entry) -> list[dict[str, object]]:
    what = entry.what
    if isinstance(what, Note):
        return [{"note": what.module, "pitch": what.note, "velocity": what.velocity}]
    if isinstance(what, Press):
        return [{"press": f"{what.module}.{what.port}", "high": what.high}]
    if isinstance(what, Clear):
        return [{"clear": what.module}]
    if isinstance(what, Heard):
        return [{"live": what.recording}]
    return [dump_change(change) for change in what.changes]


def _entry(at: int, actions: list[tuple[dict[str, object], str]], place: str) -> Entry:
    if len(actions) == 1:
        item, where = actions[0]
        if "note" in item:
            pitch, velocity = get(item, "pitch", float, where), get(item, "velocity", float, where)
            if not LOWEST_NOTE <= pitch <= HIGHEST_NOTE or not 0 <= velocity <= 1:
                raise PatchError(f"no key plays note {pitch:g} at velocity {velocity:g}", place=where)
            return Entry(at, Note(get(item, "note", str, where), pitch, velocity))
        if "press" in item:
            target = split_place(item["press"], f"{where}.press")
            return Entry(at, Press(target.module, target.port, get(item, "high", bool, where)))
        if "clear" in item:
            return Entry(at, Clear(get(item, "clear", str, where)))
        if "live" in item:
            return Entry(at, Heard(get(item, "live", str, where)))
    if not actions:
        raise PatchError("needs at least one action", place=f"{place}.do")
    return Entry(at, Edit(tuple(raw_change(item, where) for item, where in actions)))
