"""Entries of takes in files: ``at`` (sample), ``do`` (a list of one or more actions such as ``{"set": "m.cutoff_hz",
"to": 500}``) and, where it does nothing, ``muted``; and takes in the file of the patch that keeps them.

A kept take is written as the changes that lead from the patch of the file to the take's ``start``, and its entries.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.patch.changefiles import dump_change, raw_change
from dunefall.patch.changes import apply_changes, difference
from dunefall.patch.family import NO_FAMILY
from dunefall.patch.fields import get, objects, within
from dunefall.patch.model import KeptTake, Patch
from dunefall.patch.partfiles import MAX_LINKS, split_place
from dunefall.patch.take import Clear, Edit, Entry, Heard, Note, Press, Take

__all__ = ["MAX_TAKES", "dump_entries", "dump_kept_take", "only_sound", "raw_entries", "raw_kept_take", "raw_rate"]

MAX_TAKES = 100
MAX_ENTRIES = 20 * MAX_LINKS
LOWEST_NOTE, HIGHEST_NOTE = -128.0, 256.0


def only_sound(patch: Patch) -> Patch:
    """A patch without what is kept beside it: the start of a take."""
    return replace(patch, family=NO_FAMILY, takes=())


def dump_kept_take(kept: KeptTake, patch: Patch) -> dict[str, object]:
    """A kept take as an object of the file of a patch.

    Parameters
    ----------
    kept : KeptTake
        The take and its name.
    patch : Patch
        The patch of the file.

    Returns
    -------
    dict
    """
    start = [dump_change(change) for change in difference(patch, kept.take.start)]
    return {
        "name": kept.name,
        "rate_hz": kept.take.rate_hz,
        **({"start": start} if start else {}),
        "entries": dump_entries(kept.take.entries),
    }


def raw_kept_take(raw: Mapping[str, object], place: str, patch: Patch) -> KeptTake:
    """Kept take of its object.

    Parameters
    ----------
    raw : mapping
        The object's fields in the file.
    place : str
        Its place in the file, such as `takes[2]`.
    patch : Patch
        The patch of the file.

    Returns
    -------
    KeptTake

    Raises
    ------
    PatchError
        If a field is missing, of another kind or out of range.
    """
    changes = [raw_change(item, where) for item, where in objects(raw, "start", place, MAX_ENTRIES)]
    take = Take(only_sound(apply_changes(patch, changes)), raw_rate(raw, place), raw_entries(raw, place))
    return KeptTake(get(raw, "name", str, place), take)


def raw_rate(raw: Mapping[str, object], place: str) -> float:
    """The sample rate in which a take counts; raises PatchError where there is none."""
    return within(raw, "rate_hz", float, place, (8000, 192000), unit="Hz")


def dump_entries(entries: Iterable[Entry]) -> list[dict[str, object]]:
    """The entries of a take as objects."""
    return [{"at": entry.at, "do": _dump(entry), **({"muted": True} if entry.muted else {})} for entry in entries]


def raw_entries(raw: Mapping[str, object], place: str) -> tuple[Entry, ...]:
    """Entries of the object that holds them.

    Parameters
    ----------
    raw : mapping
        The object's fields in the file.
    place : str
        Its place in the file; "" is the outermost.

    Returns
    -------
    tuple of Entry

    Raises
    ------
    PatchError
        With the place of the first fault.
    """
    entries, before = list[Entry](), 0
    for item, where in objects(raw, "entries", place, MAX_ENTRIES):
        at = get(item, "at", int, where)
        if at < before:
            raise PatchError(
                tr("must not be earlier than the entry before it ({before}); got {at}", before=before, at=at),
                place=f"{where}.at",
            )
        entry = _entry(at, objects(item, "do", where, MAX_ENTRIES), where)
        entries.append(replace(entry, muted=True) if get(item, "muted", bool, where, False) else entry)
        before = at
    return tuple(entries)


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
                raise PatchError(
                    tr("no key plays note {pitch:g} at velocity {velocity:g}", pitch=pitch, velocity=velocity),
                    place=where,
                )
            return Entry(at, Note(get(item, "note", str, where), pitch, velocity))
        if "press" in item:
            target = split_place(item["press"], f"{where}.press")
            return Entry(at, Press(target.module, target.port, get(item, "high", bool, where)))
        if "clear" in item:
            return Entry(at, Clear(get(item, "clear", str, where)))
        if "live" in item:
            return Entry(at, Heard(get(item, "live", str, where)))
    if not actions:
        raise PatchError(tr("needs at least one action"), place=f"{place}.do")
    return Entry(at, Edit(tuple(raw_change(item, where) for item, where in actions)))
