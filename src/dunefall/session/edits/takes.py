"""Edits of the takes that a patch keeps, and of their entries. Each function is one undo step of a document."""

from __future__ import annotations

from dataclasses import replace

from dunefall.base.door import clean
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.patch.document import Document
from dunefall.patch.entryfiles import MAX_TAKES, only_sound
from dunefall.patch.model import KeptTake, Patch
from dunefall.patch.take import Entry, Take
from dunefall.session.opening import check_entry

__all__ = ["correct_take", "free_take_name", "keep_take", "kept_take", "remove_take", "rename_take"]


def kept_take(patch: Patch, name: str) -> KeptTake | None:
    """The take of a name that a patch keeps; None where there is none."""
    return next((kept for kept in patch.takes if kept.name == name), None)


def free_take_name(patch: Patch, name: str = "") -> str:
    """A name that no take has yet: the one wanted, numbered where it must be.

    Parameters
    ----------
    patch : Patch
        The patch.
    name : str
        What is wanted; "": ``Take 1`` and so on.

    Returns
    -------
    str
    """
    wanted, taken = clean(name), {kept.name for kept in patch.takes}
    if wanted and wanted not in taken:
        return wanted
    first = 2 if wanted else 1
    names = (f"{wanted or tr('Take')} {number}" for number in range(first, len(taken) + first + 1))
    return next(name for name in names if name not in taken)


def keep_take(document: Document, take: Take, name: str = "") -> KeptTake:
    """Keep a take with the patch.

    Parameters
    ----------
    document : Document
        The open document.
    take : Take
        What was played.
    name : str
        What it is called; "" for a number.

    Returns
    -------
    KeptTake

    Raises
    ------
    ParameterError
        If there are too many.
    """
    kept = _new(document.patch, take, name)
    document.edit(tr("Keep {name}", name=kept.name), replace(document.patch, takes=(*document.patch.takes, kept)))
    return kept


def _new(patch: Patch, take: Take, name: str) -> KeptTake:
    if len(patch.takes) >= MAX_TAKES:
        raise ParameterError(tr("a patch keeps at most {MAX_TAKES} takes; remove some first", MAX_TAKES=MAX_TAKES))
    return KeptTake(free_take_name(patch, name), replace(take, start=only_sound(take.start)))


def correct_take(document: Document, label: str, take: Take, entry: Entry, name: str) -> None:
    """Put something right in a take: the kept one of this name, or a new one that is kept from now on.

    Parameters
    ----------
    document : Document
        The open document.
    label : str
        What is done, as it reads after "Undo".
    take : Take
        As it is to be.
    entry : Entry
        The entry that is concerned, as it was or is to be.
    name : str
        Of the take.

    Raises
    ------
    ParameterError
        If there are too many takes.
    PatchError
        If the take makes something of the patch that cannot be.
    """
    check_entry(take, entry)
    patch = document.patch
    if kept_take(patch, name) is None:
        takes = (*patch.takes, _new(patch, take, name))
    else:
        takes = tuple(replace(kept, take=take) if kept.name == name else kept for kept in patch.takes)
    document.edit(label, replace(patch, takes=takes))


def rename_take(document: Document, name: str, wanted: str) -> str:
    """Call a take otherwise; an empty name changes nothing.

    Parameters
    ----------
    document : Document
        The open document.
    name : str
        Its name.
    wanted : str
        The new name.

    Returns
    -------
    str
        What it is called now.
    """
    wanted = clean(wanted)
    if not wanted or wanted == name:
        return name
    wanted = free_take_name(document.patch, wanted)
    takes = tuple(replace(kept, name=wanted) if kept.name == name else kept for kept in document.patch.takes)
    document.edit(tr("Rename {name}", name=name), replace(document.patch, takes=takes))
    return wanted


def remove_take(document: Document, name: str) -> None:
    """Keep a take no more.

    Parameters
    ----------
    document : Document
        The open document.
    name : str
        Its name.
    """
    left = tuple(kept for kept in document.patch.takes if kept.name != name)
    document.edit(tr("Remove {name}", name=name), replace(document.patch, takes=left))
