"""Patches of what is kept, checked against the catalogue: a file may hold anything."""

from __future__ import annotations

from dunefall.catalogue.validate import check_patch
from dunefall.patch.family import Family, State
from dunefall.patch.files import check_parts
from dunefall.patch.model import Patch
from dunefall.patch.states import patch_of_state

__all__ = ["checked_patch_of"]


def checked_patch_of(family: Family, state: State) -> Patch:
    """The patch of a state, if it is one that can be opened.

    Parameters
    ----------
    family : Family
        To which it belongs.
    state : State
        One of its states.

    Returns
    -------
    Patch

    Raises
    ------
    PatchError
        With what is wrong.
    """
    patch = patch_of_state(family, state)
    check_parts(patch.layers, patch.links)
    check_patch(patch)
    return patch
