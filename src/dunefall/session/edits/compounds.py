"""Edits of compounds.

Each function is one undo step of a document, or part of one.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from dunefall.base.door import clean
from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.catalogue.compounds import face_of, proposed
from dunefall.catalogue.renewing import renewed
from dunefall.patch.compounds import (
    checked_compound,
    compound_of,
    modules_in,
    with_compound,
    with_new_compound,
    without_compound,
)
from dunefall.patch.copying import free_name
from dunefall.patch.document import Document
from dunefall.patch.model import Compound
from dunefall.patch.userlibrary import TinyPicture, UserLibrary

__all__ = [
    "change_compound",
    "keep_compound",
    "make_compound",
    "new_compound",
    "rename_compound",
    "renew_compounds",
    "take_apart",
    "toggle_compound_bypass",
]


def new_compound(document: Document, parts: Collection[str]) -> Compound:
    """The compound that some modules and compounds would make, in the order of the patch; nothing is edited.

    Parameters
    ----------
    document : Document
        The open document.
    parts : collection of str
        Ids of modules and compounds.

    Returns
    -------
    Compound

    Raises
    ------
    PatchError
        If they cannot be one: see ``patch.compounds``.
    """
    patch = document.patch
    order = [module.id for module in patch.modules()]
    placed = sorted(parts, key=lambda part: min(map(order.index, modules_in(patch, (part,))), default=0))
    if not placed:
        raise PatchError(tr("select what is to be one compound: Shift-click marks several cards"))
    controls, ports = proposed(patch, placed)
    compound = Compound(patch.free_id("compound"), tr("New"), "", tuple(placed), controls, ports)
    with_new_compound(patch, compound)
    output = face_of(patch, compound).output
    gives = output.module if output else placed[-1]
    name = tr("{name} group", name=patch.module(gives).name) if patch.has(gives) else tr("Group")
    return replace(compound, name=free_name(clean(name), (x.name for x in patch.compounds)))


def make_compound(document: Document, compound: Compound) -> None:
    """Make a compound of its parts."""
    document.edit(tr("Make {name}", name=compound.name), with_new_compound(document.patch, checked_compound(compound)))


def change_compound(document: Document, compound: Compound) -> None:
    """Give a compound another name, other controls or ports.

    Raises
    ------
    ParameterError
        If a name is missing or used twice, or a range is empty.
    """
    document.edit(tr("Change {name}", name=compound.name), with_compound(document.patch, checked_compound(compound)))


def rename_compound(document: Document, compound_id: str, name: str) -> None:
    """Give a compound another name.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    compound_id : str
        Id of the compound.
    name : str
        The new name.
    """
    compound, name = _compound(document, compound_id), clean(name)
    if name:
        document.edit(
            tr("Rename {name}", name=compound.name), with_compound(document.patch, replace(compound, name=name))
        )


def take_apart(document: Document, compound_id: str) -> None:
    """Take a compound apart; its modules stay.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    compound_id : str
        Id of the compound.
    """
    compound = _compound(document, compound_id)
    document.edit(tr("Take {name} apart", name=compound.name), without_compound(document.patch, compound_id))


def toggle_compound_bypass(document: Document, compound_id: str) -> None:
    """Bypass everything in a compound, or bring back what was not bypassed before.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    compound_id : str
        Id of the compound.
    """
    patch, compound = document.patch, _compound(document, compound_id)
    on = not compound.bypassed
    inside = modules_in(patch, (compound_id,))
    resting = tuple(m for m in inside if patch.module(m).bypassed) if on else ()
    for module in inside:
        bypassed = on or module in compound.resting
        patch = patch.with_module(replace(patch.module(module), bypassed=bypassed))
    patch = with_compound(patch, replace(compound, bypassed=on, resting=resting))
    document.edit(tr("Bypass {name}", name=compound.name) if on else tr("Use {name}", name=compound.name), patch)


def keep_compound(document: Document, compound_id: str, library: UserLibrary, picture: TinyPicture | None) -> None:
    """Save a compound to the user's library, with a tiny picture of what it gives; raises StorageError if the
    folder cannot be written.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    compound_id : str
        Id of the compound.
    library : UserLibrary
        The user's own compounds.
    picture : TinyPicture or None
        What it looks like in the palette.
    """
    kept = library.save(document.patch, _compound(document, compound_id), picture)
    document.edit(tr("Keep {name}", name=kept.name), with_compound(document.patch, kept))


def renew_compounds(document: Document, compounds: Collection[str], library: UserLibrary) -> int:
    """Let compounds become what the library has under their names now: values of controls and links to controls
    and ports of the same name stay; returns how many links found no place any more.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    compounds : collection of str
        Ids of the compounds.
    library : UserLibrary
        The user's own compounds.

    Returns
    -------
    int

    Raises
    ------
    PatchError, StorageError
        If a file of the library cannot be used.
    """
    patch, lost = document.patch, 0
    for compound_id in compounds:
        old = _compound(document, compound_id)
        made = renewed(patch, old, library.load(old.library))
        patch, lost = made.patch, lost + made.lost
    document.edit(tr("Take changes from the library"), patch)
    return lost


def _compound(document: Document, compound_id: str) -> Compound:
    found = compound_of(document.patch, compound_id)
    if found is None:
        raise PatchError(tr('there is no compound "{compound_id}"', compound_id=compound_id))
    return found
