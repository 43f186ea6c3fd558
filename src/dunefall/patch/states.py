"""Patches of the states of a family, and families with more of them."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import replace
from typing import cast

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.patch.changefiles import dump_change, raw_change
from dunefall.patch.changes import (
    Change,
    LayerGone,
    LayerPut,
    LinkGone,
    LinkPut,
    ModuleGone,
    ModulePut,
    ParamSet,
    SeriesSet,
    apply_changes,
    difference,
)
from dunefall.patch.compounds import modules_in
from dunefall.patch.family import NO_FAMILY, Family, State
from dunefall.patch.model import Patch

__all__ = ["again", "origin_of", "patch_of_state", "recalled", "rooted", "state_of", "within_part"]

LINES, BETWEEN = 100, "; "


def origin_of(family: Family) -> Patch:
    """The patch that all states of a family are changes of.

    Parameters
    ----------
    family : Family
        What is kept.

    Returns
    -------
    Patch

    Raises
    ------
    PatchError
        If the file that it came from holds what is no change.
    """
    origin = cast(Patch, family.origin) if family.origin is not None else Patch()
    return apply_changes(origin, [raw_change(item, "family.back") for item in family.back])


def patch_of_state(family: Family, state: State) -> Patch:
    """The patch of a state. Of a snapshot of a part, only that part counts.

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
        If the file that it came from holds what is no change; with its place.
    """
    place = f"family, {state.title}"
    values = [_value(value, place) for text in state.values for value in text.split(BETWEEN)]
    return apply_changes(origin_of(family), [*values, *(raw_change(item, place) for item in state.changes)])


def _value(line: str, place: str) -> ParamSet:
    at, _, number = line.rpartition(" ")
    module, dot, param = at.partition(".")
    try:
        value = float(number)
    except ValueError:
        value = math.nan
    if not (module and dot and param and math.isfinite(value)):
        raise PatchError(tr('needs "module.parameter value"; got "{line}"', line=line[:60]), place=place)
    return ParamSet(module, param, value)


def _texts(values: Sequence[ParamSet]) -> tuple[str, ...]:
    """Base values as lines, in texts that are not too long."""
    lines = [f"{value.module}.{value.param} {value.value!r}" for value in values]
    return tuple(BETWEEN.join(lines[k : k + LINES]) for k in range(0, len(lines), LINES))


def _on_a_line(change: Change) -> bool:
    return isinstance(change, ParamSet) and ";" not in change.module + change.param


def rooted(patch: Patch) -> Patch:
    """A patch whose family can take states: one without any has the patch itself as its origin.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.

    Returns
    -------
    Patch
    """
    if patch.family.origin is not None:
        return patch
    return replace(patch, family=replace(patch.family, origin=replace(patch, family=NO_FAMILY)))


def state_of(patch: Patch, then: Patch, state: State) -> State:
    """A state that holds a patch.

    Parameters
    ----------
    patch : Patch
        The document, whose family is ``rooted``.
    then : Patch
        What the state holds.
    state : State
        All else that is known of it.

    Returns
    -------
    State
    """
    changes = difference(origin_of(patch.family), then)
    if state.part:
        changes = within_part(changes, (patch, then), state.part)
    values = [change for change in changes if isinstance(change, ParamSet) and _on_a_line(change)]
    others = tuple(dump_change(change) for change in changes if not _on_a_line(change))
    return replace(state, values=_texts(values), changes=others)


def again(patch: Patch) -> tuple[dict[str, object], ...]:
    """What leads from a patch to the origin of its family, as in files.

    Parameters
    ----------
    patch : Patch
        The patch.

    Returns
    -------
    tuple of dict
    """
    family = patch.family
    if family.origin is None or not difference(cast(Patch, family.origin), patch):
        return tuple(dict(item) for item in family.back)
    return tuple(dump_change(change) for change in difference(patch, origin_of(family)))


def recalled(patch: Patch, then: Patch, part: str = "") -> Patch:
    """A patch as it was then, or a part of it; title, names of layers' groups and all that is kept stay.

    Parameters
    ----------
    patch : Patch
        The document.
    then : Patch
        How it was.
    part : str
        Layer, module or compound; "": the whole patch.

    Returns
    -------
    Patch
    """
    changes = difference(patch, then)
    return apply_changes(patch, within_part(changes, (patch, then), part) if part else changes)


def _modules_of(patch: Patch, part: str) -> set[str]:
    for layer in patch.layers:
        if layer.id == part:
            return {module.id for module in layer.modules}
    if patch.has(part):
        return {part}
    return set(modules_in(patch, (part,))) if any(x.id == part for x in patch.compounds) else set()


def within_part(changes: Sequence[Change], patches: Collection[Patch], part: str) -> tuple[Change, ...]:
    """Those changes that concern a part of a patch: its modules, what they take, and the layer itself.

    Parameters
    ----------
    changes : sequence of Change
        Of the first patch.
    patches : collection of Patch
        Before and after: a module belongs to the part that did so in either.
    part : str
        Layer, module or compound.

    Returns
    -------
    tuple of Change
    """
    modules = set().union(*(_modules_of(patch, part) for patch in patches))
    targets = {link.id: link.target.module for patch in patches for link in patch.links}

    def concerns(change: Change) -> bool:
        if isinstance(change, ParamSet | SeriesSet | ModuleGone):
            return change.module in modules
        if isinstance(change, ModulePut):
            return change.module.id in modules
        if isinstance(change, LinkPut):
            return change.link.target.module in modules
        if isinstance(change, LinkGone):
            return targets.get(change.link) in modules
        return isinstance(change, LayerPut) and change.layer.id == part

    return tuple(change for change in changes if concerns(change) and not isinstance(change, LayerGone))
