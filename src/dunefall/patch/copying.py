"""Parts of a patch that are put into it again, or into another one: modules and layers with their links."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, replace

from dunefall.base.door import dump_json, parse_json
from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.patch.compounds import check_compounds, modules_in
from dunefall.patch.fields import objects
from dunefall.patch.model import MASTER_ID, SHARED_ID, Compound, Layer, Link, Module, Patch, Place
from dunefall.patch.partfiles import dump_compound, dump_layer, dump_link, raw_compound, raw_layer, raw_link

__all__ = [
    "Clip",
    "Copied",
    "clip_of",
    "clip_of_layer",
    "clip_text",
    "free_name",
    "parse_clip",
    "starter_clip",
    "with_copy",
    "with_sources",
]

MOST_MODULES, MOST_LINKS = 2_000, 10_000


@dataclass(frozen=True)
class Clip:
    """A part of a patch.

    Attributes
    ----------
    layers : tuple of Layer
        With the modules that belong to it.
    whole : frozenset of str
        Layers that are copied as layers; of the others only modules are.
    links : tuple of Link
        Those inside, those that come in, and those that go out: of modules, all; of a layer, what it sends to effect
        lanes.
    compounds : tuple of Compound
        Those of which every module belongs to it.
    """

    layers: tuple[Layer, ...]
    whole: frozenset[str]
    links: tuple[Link, ...]
    compounds: tuple[Compound, ...] = ()


@dataclass(frozen=True)
class Copied:
    """A patch with a copy in it; ``names`` tells the new id of each module and compound of the original."""

    patch: Patch
    names: Mapping[str, str]


def with_sources(patch: Patch, modules: Collection[str]) -> frozenset[str]:
    """These modules and all in their layers and in Shared that lead to them: their sources.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    modules : collection of str
        Ids of the modules.

    Returns
    -------
    frozenset[str]
        Ids of the modules, their sources included.
    """
    homes = {SHARED_ID} | {patch.layer_of(module).id for module in modules}
    near = {module.id for layer in patch.layers if layer.id in homes for module in layer.modules}
    found, todo = set(modules), list(modules)
    while todo:
        for link in patch.links_into(todo.pop()):
            source = link.source.module
            if source in near and source not in found:
                found.add(source)
                todo.append(source)
    return frozenset(found)


def clip_of(patch: Patch, modules: Collection[str], leading: Collection[str] | None = None) -> Clip:
    """Some modules with their links; layers' ends and the master stay.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    modules : collection of str
        Ids of the modules.
    leading : collection of str, optional
        Those whose copies also lead where they lead; all of them where it is not given. A source that is only taken
        along must not start or move everything else twice.

    Returns
    -------
    Clip
    """
    ends = {layer.output_id for layer in patch.layers} | {layer.sends_id for layer in patch.layers}
    chosen = {m for m in modules if m not in ends and patch.layer_of(m).id != MASTER_ID}
    layers = []
    for layer in patch.layers:
        inside = tuple(module for module in layer.modules if module.id in chosen)
        if inside:
            layers.append(replace(layer, modules=inside))
    out = chosen if leading is None else chosen & set(leading)
    links = tuple(x for x in patch.links if x.target.module in chosen or x.source.module in out)
    return Clip(tuple(layers), frozenset(), links, _whole_compounds(patch, chosen))


def clip_of_layer(patch: Patch, layer_id: str) -> Clip:
    """A layer with everything in it, what comes in, and what it sends.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    layer_id : str
        Id of the layer.

    Returns
    -------
    Clip
    """
    layer = patch.layer(layer_id)
    own = {module.id for module in layer.modules}
    lanes = {lane.sends_id for lane in patch.layers if lane.effects}
    links = tuple(
        x for x in patch.links
        if x.target.module in own or (x.source.module in own and x.target.module in lanes)
    )  # fmt: skip
    return Clip((layer,), frozenset({layer_id}), links, _whole_compounds(patch, own))


def _whole_compounds(patch: Patch, modules: Collection[str]) -> tuple[Compound, ...]:
    return tuple(x for x in patch.compounds if set(modules_in(patch, (x.id,))) <= set(modules))


def with_copy(patch: Patch, clip: Clip, layer_id: str = SHARED_ID) -> Copied:
    """A patch with a clip copied into it, under new ids.

    Modules go into the layer that they came from, if the patch has it, else into ``layer_id``; whole layers become new
    layers. The master holds no compounds: they go into Shared instead. A link whose other end is not there is left out.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    clip : Clip
        What was copied.
    layer_id : str
        Id of the layer.

    Returns
    -------
    Copied
        The changed patch, and the new ids.
    """
    names: dict[str, str] = {}
    layer_id = SHARED_ID if clip.compounds and layer_id == MASTER_ID else layer_id
    for layer in clip.layers:
        if layer.id in clip.whole:
            patch = _with_layer_copy(patch, layer, names)
            continue
        home = layer.id if any(known.id == layer.id for known in patch.layers) else layer_id
        for module in layer.modules:
            copy = _fresh(patch, module, names)
            patch = patch.with_new_module(home, copy)
    there = {module.id for module in patch.modules()}
    for link in clip.links:
        source, target = (replace(p, module=names.get(p.module, p.module)) for p in (link.source, link.target))
        copied = link.target.module in names or link.source.module in names
        if copied and source.module in there and target.module in there:
            patch = patch.with_link(replace(link, id=patch.free_id("link"), source=source, target=target))
    return Copied(_with_compound_copies(patch, clip.compounds, names), names)


def _with_compound_copies(patch: Patch, compounds: tuple[Compound, ...], names: dict[str, str]) -> Patch:
    for compound in compounds:  # names first: the parts of one may be others
        names[compound.id] = patch.free_id("compound")
        name = free_name(compound.name, (x.name for x in patch.compounds))
        patch = replace(patch, compounds=(*patch.compounds, replace(compound, id=names[compound.id], name=name)))
    copies = {names[compound.id] for compound in compounds}
    renamed = (_renamed(x, names) if x.id in copies else x for x in patch.compounds)
    return replace(patch, compounds=tuple(renamed))


def _renamed(compound: Compound, names: Mapping[str, str]) -> Compound:
    """A compound that holds the copies of its parts."""

    def moved(place: Place) -> Place:
        return replace(place, module=names[place.module])

    return replace(
        compound,
        parts=tuple(names[part] for part in compound.parts),
        controls=tuple(replace(x, place=moved(x.place)) for x in compound.controls),
        ports=tuple(replace(x, place=moved(x.place)) for x in compound.ports),
        resting=tuple(names[module] for module in compound.resting),
    )


def _with_layer_copy(patch: Patch, layer: Layer, names: dict[str, str]) -> Patch:
    new = replace(
        layer,
        id=patch.free_id(f"{layer.id}-copy"),
        name=free_name(layer.name, (x.name for x in patch.layers)),
        modules=(),
    )
    patch = patch.with_layer(new)
    ends = {layer.output_id: new.output_id, layer.sends_id: new.sends_id}
    for module in layer.modules:
        if module.id in ends:
            names[module.id] = ends[module.id]
            patch = patch.with_new_module(new.id, replace(module, id=ends[module.id], name=new.name))
        else:
            patch = patch.with_new_module(new.id, _fresh(patch, module, names))
    made = patch.layer(new.id)
    return patch.with_layer(replace(made, meet=names.get(layer.meet, "")))


def _fresh(patch: Patch, module: Module, names: dict[str, str]) -> Module:
    """The module under an id and a name that are free."""
    names[module.id] = patch.free_id(f"{module.id.rstrip('0123456789').rstrip('-')}")
    ends = {layer.output_id for layer in patch.layers}
    taken = (other.name for other in patch.modules() if other.id not in ends)
    return replace(module, id=names[module.id], name=free_name(module.name, taken))


def free_name(name: str, others: Iterable[str]) -> str:
    """An unused name such as ``Filter 2``.

    Parameters
    ----------
    name : str
        The name that is wanted.
    others : collection of str
        Names that are taken.

    Returns
    -------
    str

    Examples
    --------
    >>> free_name("Filter", ["Filter", "Gusts"])
    'Filter 2'
    >>> free_name("Filter 2", ["Filter", "Filter 2"])
    'Filter 3'
    """
    taken, made, number = set(others), name, 2
    stem = re.sub(r" [1-9]\d*$", "", name)
    while made in taken:
        made, number = f"{stem[:54]} {number}", number + 1
    return made


def clip_text(clip: Clip) -> str:
    """A clip as text, for the clipboard."""
    return dump_json({
        "dunefall_clip": 1,
        "whole": sorted(clip.whole),
        "layers": [dump_layer(layer) for layer in clip.layers],
        "links": [dump_link(link) for link in clip.links],
        "compounds": [dump_compound(compound) for compound in clip.compounds],
    })  # fmt: skip


def parse_clip(text: str) -> Clip:
    """The clip of a text; raises PatchError if it is none.

    Parameters
    ----------
    text : str
        Text of the clipboard.

    Returns
    -------
    Clip

    Raises
    ------
    PatchError
        If the text is no copied part of a patch.
    """
    raw: object = parse_json(text.encode())
    if not isinstance(raw, dict) or raw.get("dunefall_clip") != 1:
        raise PatchError(tr("the clipboard holds no modules and no layer"))
    layers = tuple(raw_layer(item, place) for item, place in objects(raw, "layers", "", MOST_MODULES))
    links = tuple(raw_link(item, place) for item, place in objects(raw, "links", "", MOST_LINKS))
    whole = raw.get("whole", [])
    if not isinstance(whole, list) or sum(len(layer.modules) for layer in layers) > MOST_MODULES:
        raise PatchError(tr("the clipboard holds more than can be pasted"))
    compounds = tuple(raw_compound(item, place) for item, place in objects(raw, "compounds", "", MOST_MODULES))
    check_compounds(Patch(layers=layers, compounds=compounds))
    return Clip(layers, frozenset(str(name) for name in whole), links, compounds)


def starter_clip(starter: Patch) -> Clip:
    """All of a starter: whole layers, and items in Shared as modules.

    Parameters
    ----------
    starter : Patch
        The starter.

    Returns
    -------
    Clip
    """
    layers = tuple(layer for layer in starter.layers if layer.modules and layer.id != MASTER_ID)
    whole = frozenset(x.id for x in layers if x.id != SHARED_ID)
    return Clip(layers, whole, starter.links, starter.compounds)
