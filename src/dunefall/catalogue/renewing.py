"""A compound becomes what a file of the user's library holds by now; what the patch did with it stays where it can."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from dunefall.catalogue import spec_of
from dunefall.catalogue.compounds import control_of, port_of
from dunefall.catalogue.declare import Param
from dunefall.patch.compounds import compound_of, modules_in, parent_of, with_parts
from dunefall.patch.copying import with_copy
from dunefall.patch.model import Compound, Patch, Place
from dunefall.patch.settings import with_settings_from
from dunefall.patch.userlibrary import compound_clip, main_compound

__all__ = ["Renewed", "renewed"]


class Renewed(NamedTuple):
    """A patch with a compound in its new form, and how many of its links to the outside found no place any more."""

    patch: Patch
    lost: int


def renewed(patch: Patch, old: Compound, kept: Patch) -> Renewed:
    """Replace a compound by its latest form from the library.

    Controls of the same name keep their values, controls and ports of the same name their links.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    old : Compound
        The compound in the patch.
    kept : Patch
        What the file holds.

    Returns
    -------
    Renewed
    """
    inside = modules_in(patch, (old.id,))
    home, parent = patch.layer_of(inside[0]), parent_of(patch, old.id)
    place = min(home.modules.index(patch.module(module)) for module in inside)
    bare = patch
    for module in inside:
        bare = bare.without_module(module)
    copied = with_copy(bare, compound_clip(kept), home.id)
    made, copy = copied.patch, copied.names[main_compound(kept).id]
    new = compound_of(made, copy)
    assert new is not None
    new = replace(new, id=old.id, name=old.name)
    made = replace(made, compounds=tuple(new if x.id == copy else x for x in made.compounds))
    if parent is not None:
        left = compound_of(made, parent.id)
        made = with_parts(made, parent.id, (old.id,)) if left else replace(
            made, compounds=(*made.compounds, replace(parent, parts=(old.id,), controls=(), ports=())))  # fmt: skip
    made = _with_values(patch, old, made, new)
    made, lost = _with_links(patch, old, made, new)
    made = with_settings_from(made, kept, {**copied.names, main_compound(kept).id: old.id})
    layer = made.layer(home.id)
    fresh = set(modules_in(made, (old.id,)))
    others = [module for module in layer.modules if module.id not in fresh]
    others[place:place] = [module for module in layer.modules if module.id in fresh]
    return Renewed(made.with_layer(replace(layer, modules=tuple(others))), lost)


def _with_values(patch: Patch, old: Compound, made: Patch, new: Compound) -> Patch:
    """The new form with the values of controls that the old one had under the same name and in the same unit."""
    before = {control.name: control.place for control in old.controls}
    for control in new.controls:
        source = before.get(control.name)
        param, was = _param(made, control.place), _param(patch, source) if source else None
        if source and param and was and param.unit == was.unit and param.choices == was.choices:
            value = patch.module(source.module).params.get(was.id, was.default)
            value = min(max(value, param.low), param.high)
            made = made.with_param(control.place.module, param.id, value)
    return made


def _param(patch: Patch, place: Place) -> Param | None:
    spec = spec_of(patch.module(place.module).type)
    target = spec.target(place.port) if spec else None
    return target if isinstance(target, Param) else None


def _with_links(patch: Patch, old: Compound, made: Patch, new: Compound) -> tuple[Patch, int]:
    """The new form with the links that led into the old one and out of it, at controls and ports of the same name."""
    inside, lost = set(modules_in(patch, (old.id,))), 0
    by_name = {name: place for place, name in new.names().items()}
    shown = old.names()
    for link in patch.links:
        if (link.source.module in inside) == (link.target.module in inside):
            continue
        outwards = link.source.module in inside
        end = link.source if outwards else link.target
        name = shown.get(end) or (control_of(patch, end) or port_of(patch, end)).name
        to = by_name.get(name)
        if to is None:
            lost += 1
        else:
            made = made.with_link(replace(link, source=to) if outwards else replace(link, target=to))
    return made, lost
