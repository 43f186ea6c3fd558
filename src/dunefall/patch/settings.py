"""Named settings of a compound: its snapshots, which travel with it into the user's library and out of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from dunefall.patch.changes import Change, ParamSet, SeriesSet, apply_changes, difference
from dunefall.patch.family import State
from dunefall.patch.model import Compound, Patch
from dunefall.patch.states import patch_of_state, rooted, state_of, within_part

__all__ = ["with_settings_from", "with_settings_of"]


def _values(changes: Sequence[Change]) -> list[ParamSet | SeriesSet]:
    """What a setting is made of: values and series."""
    return [change for change in changes if isinstance(change, ParamSet | SeriesSet)]


def with_settings_of(kept: Patch, patch: Patch, compound: Compound) -> Patch:
    """What a file of the library holds, with the snapshots of its compound.

    Parameters
    ----------
    kept : Patch
        The compound with what is in it.
    patch : Patch
        The patch that it comes from, whose family has its snapshots.
    compound : Compound
        The compound.

    Returns
    -------
    Patch
    """
    for state in patch.family.snapshots:
        if state.part == compound.id:
            then = patch_of_state(patch.family, state)
            values = _values(within_part(difference(patch, then), (patch, then), compound.id))
            kept = _with(kept, apply_changes(kept, values), State("", state.name, part=compound.id, made=state.made))
    return kept


def with_settings_from(patch: Patch, kept: Patch, names: Mapping[str, str]) -> Patch:
    """A patch into which a compound of the library was put, with its settings as snapshots; one of a name that it has
    already is left out.

    Parameters
    ----------
    patch : Patch
        With the compound.
    kept : Patch
        What the file of the library holds.
    names : mapping of str to str
        The id of each module and compound in the patch, by that in the file.

    Returns
    -------
    Patch
    """
    for state in kept.family.snapshots:
        part = names.get(state.part, "")
        if not part or any(known.part == part and known.name == state.name for known in patch.family.snapshots):
            continue
        values = _values(difference(kept, patch_of_state(kept.family, state)))
        renamed = [replace(value, module=names[value.module]) for value in values if value.module in names]
        patch = _with(patch, apply_changes(patch, renamed), State("", state.name, part=part, made=state.made))
    return patch


def _with(patch: Patch, then: Patch, state: State) -> Patch:
    patch = rooted(patch)
    state = state_of(patch, then, replace(state, id=patch.family.free_id()))
    return replace(patch, family=patch.family.with_state(state))
