"""The cure of a finding, as one undo step."""

from __future__ import annotations

from dunefall.patch.changes import apply_changes
from dunefall.patch.document import Document
from dunefall.session.edits.links import softened
from dunefall.survey.findings import Cure

__all__ = ["apply_cure"]


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
    patch = document.patch
    if cure.softened:
        made = softened(patch, cure.softened) if patch.has(cure.softened) else None
        if made is None:
            return ""
        document.edit(cure.text, made[0])
        return made[1]
    changes = tuple(one for one in cure.changes if patch.has(one.module))
    if not changes:
        return ""
    document.edit(cure.text, apply_changes(patch, changes))
    return changes[0].module
