"""Compounds of a patch: what contains what, and patches with changed compounds.

A compound is a way of seeing: its modules are in their layer like all others, so making one, opening it or taking it
apart does not change the sound.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace

from dunefall.base.door import MAX_TEXT, clean
from dunefall.base.errors import ParameterError, PatchError
from dunefall.base.language import tr
from dunefall.patch.model import MASTER_ID, MOST_NESTED, Compound, Control, Patch, Port

__all__ = [
    "check_compounds",
    "checked_compound",
    "compound_of",
    "compounds_in",
    "modules_in",
    "parent_of",
    "parents",
    "with_compound",
    "with_new_compound",
    "with_new_parts",
    "with_parts",
    "without_compound",
]

"""Characters of a name."""


def compound_of(patch: Patch, compound_id: str) -> Compound | None:
    """The compound of this id, or None."""
    return next((compound for compound in patch.compounds if compound.id == compound_id), None)


def parents(patch: Patch) -> dict[str, Compound]:
    """The compound that directly contains each module or compound."""
    return {part: compound for compound in patch.compounds for part in compound.parts}


def parent_of(patch: Patch, part: str) -> Compound | None:
    """The compound that directly contains a module or compound, or None."""
    return next((compound for compound in patch.compounds if part in compound.parts), None)


def modules_in(patch: Patch, chosen: Collection[str]) -> tuple[str, ...]:
    """The modules of these ids, in the order of the patch; a compound means everything in it.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    chosen : collection of str
        Ids of modules and compounds.

    Returns
    -------
    tuple[str, ...]
    """
    known = {compound.id: compound for compound in patch.compounds}
    found: set[str] = set()
    todo = list(chosen)
    while todo:
        part = todo.pop()
        if part in known:
            todo += known[part].parts
        else:
            found.add(part)
    return tuple(module.id for module in patch.modules() if module.id in found)


def compounds_in(patch: Patch, compound_id: str) -> tuple[Compound, ...]:
    """The compounds inside one, at any depth.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    compound_id : str
        Id of the compound.

    Returns
    -------
    tuple[Compound, ...]
    """
    here = compound_of(patch, compound_id)
    direct = [x for x in patch.compounds if here is not None and x.id in here.parts]
    return tuple(x for inner in direct for x in (inner, *compounds_in(patch, inner.id)))


def with_compound(patch: Patch, compound: Compound) -> Patch:
    """A patch with a compound replaced by the one of the same id."""
    return replace(patch, compounds=tuple(compound if x.id == compound.id else x for x in patch.compounds))


def with_new_compound(patch: Patch, compound: Compound) -> Patch:
    """A patch with its parts made into one compound in their place.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    compound : Compound
        The compound.

    Returns
    -------
    Patch
        The changed patch.

    Raises
    ------
    PatchError
        If they are in different layers or compounds, or would be nested too deeply.
    """
    within = {parent.id if (parent := parent_of(patch, part)) else "" for part in compound.parts}
    if len(within) > 1:
        raise PatchError(tr("these modules are in different compounds: select modules of one compound, or of none"))
    home = compound_of(patch, within.pop()) if within else None
    compounds = (*patch.compounds, compound)
    if home is not None:
        outer = replace(home, parts=(*(x for x in home.parts if x not in compound.parts), compound.id))
        compounds = tuple(outer if x.id == outer.id else x for x in compounds)
    made = replace(patch, compounds=compounds)
    check_compounds(made)
    return made


def with_new_parts(before: Patch, after: Patch, compound_id: str) -> Patch:
    """``after`` with everything new since ``before`` that is in no compound, and in this one's layer, put into it.

    Parameters
    ----------
    before : Patch
        The patch without the new modules.
    after : Patch
        The patch with them.
    compound_id : str
        Id of the compound.

    Returns
    -------
    Patch
        The changed patch.
    """
    known, home = {*_ids(before), *parents(after)}, after.layer_of(modules_in(after, (compound_id,))[0]).id
    new = [part for part in _ids(after) if part not in known]
    here = [part for part in new if after.layer_of(modules_in(after, (part,))[0]).id == home]
    return with_parts(after, compound_id, here)


def _ids(patch: Patch) -> dict[str, None]:
    """All modules and compounds, in their order."""
    return dict.fromkeys([*(module.id for module in patch.modules()), *(compound.id for compound in patch.compounds)])


def with_parts(patch: Patch, compound_id: str, parts: Collection[str]) -> Patch:
    """A patch in which some modules outside compounds are put into this one.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    compound_id : str
        Id of the compound.
    parts : collection of str
        Ids of modules and compounds.

    Returns
    -------
    Patch
        The changed patch.
    """
    compound = compound_of(patch, compound_id)
    return with_compound(patch, replace(compound, parts=(*compound.parts, *parts))) if compound else patch


def without_compound(patch: Patch, compound_id: str) -> Patch:
    """A patch in which a compound's parts replace it.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    compound_id : str
        Id of the compound.

    Returns
    -------
    Patch
        The changed patch.
    """
    gone, home = compound_of(patch, compound_id), parent_of(patch, compound_id)
    if gone is None:
        return patch
    compounds = tuple(x for x in patch.compounds if x.id != compound_id)
    if home is not None:
        outer = replace(home, parts=(*(x for x in home.parts if x != compound_id), *gone.parts))
        compounds = tuple(outer if x.id == outer.id else x for x in compounds)
    return replace(patch, compounds=compounds)


def check_compounds(patch: Patch) -> None:
    """Check that compounds hold together.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.

    Raises
    ------
    PatchError
        If an id is used twice or missing, something is in two compounds, or in itself, or the modules of one are in
        different layers or are a layer's output; with the place in the file.
    """
    layers = {module.id: layer for layer in patch.layers for module in layer.modules}
    names = set(layers) | {layer.id for layer in patch.layers}
    within: dict[str, str] = {}
    for k, compound in enumerate(patch.compounds):
        if not compound.id or "." in compound.id or "#" in compound.id or compound.id in names:
            raise PatchError(
                tr('the id "{id}" is used already, or is none', id=compound.id), place=f"compounds[{k}].id"
            )
        names.add(compound.id)
        for part in compound.parts:
            if part in within:
                raise PatchError(tr('"{part}" is in two compounds', part=part), place=f"compounds[{k}].parts")
            within[part] = compound.id
    known = {compound.id for compound in patch.compounds}
    for k, compound in enumerate(patch.compounds):
        missing = next((part for part in compound.parts if part not in layers and part not in known), None)
        if missing is not None or not compound.parts:
            text = (
                tr('there is no module "{missing}"', missing=missing)
                if missing is not None
                else tr("a compound needs at least one module")
            )
            raise PatchError(text, place=f"compounds[{k}].parts")
        _check_depth(within, compound.id, f"compounds[{k}]")
    for k, compound in enumerate(patch.compounds):
        _check_inside(patch, compound, f"compounds[{k}]")


def _check_depth(within: Mapping[str, str], name: str, place: str) -> None:
    depth = 1
    while name in within:
        name, depth = within[name], depth + 1
        if depth > MOST_NESTED:
            raise PatchError(tr("compounds nest at most {MOST_NESTED} deep", MOST_NESTED=MOST_NESTED), place=place)


def _check_inside(patch: Patch, compound: Compound, place: str) -> None:
    inside = modules_in(patch, (compound.id,))
    layers = {patch.layer_of(module).id: patch.layer_of(module) for module in inside}
    if len(layers) > 1:
        raise PatchError(tr("the modules of a compound must be in one layer"), place=f"{place}.parts")
    for layer in layers.values():
        if layer.id == MASTER_ID or {layer.output_id, layer.sends_id} & set(inside):
            raise PatchError(
                tr("a layer's output and the master cannot be in a compound: leave them out"), place=f"{place}.parts"
            )
    shown: list[Control | Port] = [*compound.controls, *compound.ports]
    stray = next((x for x in shown if x.place.module not in inside), None)
    if stray is not None:
        raise PatchError(
            tr('"{name}" is of a module that is not in it: "{place}"', name=stray.name, place=stray.place), place=place
        )
    if len({str(x.place) for x in shown}) < len(shown):
        raise PatchError(tr("it lists a control or port twice"), place=place)


def checked_compound(compound: Compound) -> Compound:
    """A compound with its texts trimmed; raises ParameterError where a name is missing or used twice, or a range is
    empty.

    Parameters
    ----------
    compound : Compound
        The compound.

    Returns
    -------
    Compound

    Raises
    ------
    ParameterError
        If a name is missing or used twice, or a range is empty.
    """
    names = [clean(x.name) for x in compound.controls] + [clean(x.name) for x in compound.ports]
    if not clean(compound.name) or not all(names):
        raise ParameterError(tr("a compound, and each of its controls and ports, needs a name"))
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise ParameterError(
            tr("the name “{twice}” stands there twice: a control or port is known by its name", twice=twice)
        )
    empty = next((x.name for x in compound.controls if x.low >= x.high), None)
    if empty is not None:
        raise ParameterError(tr("the range of “{empty}” is empty: its lowest must be below its highest", empty=empty))
    return replace(
        compound, name=clean(compound.name), about=clean(compound.about, MAX_TEXT),
        controls=tuple(_trimmed(x) for x in compound.controls),
        ports=tuple(Port(x.place, clean(x.name)) for x in compound.ports),
    )  # fmt: skip


def _trimmed(control: Control) -> Control:
    return replace(control, name=clean(control.name))
