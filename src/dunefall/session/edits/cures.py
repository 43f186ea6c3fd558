"""The cure of a finding, as one undo step."""

from __future__ import annotations

from dunefall.patch.changes import apply_changes
from dunefall.patch.document import Document
from dunefall.patch.model import Patch
from dunefall.session.edits.links import softened
from dunefall.survey.findings import Cure

__all__ = ["apply_cure", "cured"]


def cured(patch: Patch, cure: Cure) -> tuple[Patch, str] | None:
    """A patch with what a cure proposes, where its modules are still there.

    Parameters
    ----------
    patch : Patch
        The patch.
    cure : Cure
        The cure.

    Returns
    -------
    tuple of Patch and str, or None
        Another patch, and the id of the module that is changed or new; None where nothing is to be done.
    """
    if cure.softened:
        return softened(patch, cure.softened) if patch.has(cure.softened) else None
    changes = tuple(one for one in cure.changes if patch.has(one.module))
    return (apply_changes(patch, changes), changes[0].module) if changes else None


def apply_cure(document: Document, cure: Cure) -> str:
    """Do what a cure proposes, where its modules are still there.

    Parameters
    ----------
    document : Document
        The open document.
    cure : Cure
        The cure.

    Returns
    -------
    str
        Id of the module that it changed or made; empty where nothing was to be done.
    """
    made = cured(document.patch, cure)
    if made is None:
        return ""
    document.edit(cure.text, made[0])
    return made[1]
