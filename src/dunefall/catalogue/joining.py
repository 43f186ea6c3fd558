"""Where a new module connects itself: to what a designer would expect beside what is selected.

An effect goes into the audio path behind the selection; an envelope to the layer's trigger and an amplifier; a source
to the layer's pitch and into what its other sources go into; a mover to the selected parameter; what changes pitches,
controls or triggers behind the one that is selected. The other ways are at hand, too (see ``joinings``).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import NamedTuple

from dunefall.base.language import tr, tr_count
from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.compounds import face_of, spec_for
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.catalogue.joiner import Joiner
from dunefall.catalogue.linking import free_module_name
from dunefall.patch.compounds import compound_of, modules_in
from dunefall.patch.copying import free_name, starter_clip, with_copy
from dunefall.patch.mixing import with_inserts, with_master
from dunefall.patch.model import MASTER_ID, Layer, Link, Module, Patch, Place
from dunefall.patch.settings import with_settings_from
from dunefall.patch.userlibrary import compound_clip, main_compound

__all__ = [
    "Joined", "inserted", "joined", "joinings", "kept_joinings", "movers_of", "swapped", "with_empty_layer",
    "with_starter",
]  # fmt: skip

Door = Input | Param | Output
USUAL_MOVERS = ("random-melody", "note-list", "lfo", "smooth-random", "sample-hold", "envelope")
"""What moves things most often (common practice); the first two play pitches."""


class Joined(NamedTuple):
    """A patch with a new module in it, the module's id, and what was linked, in words."""

    patch: Patch
    module: str
    told: str


def movers_of(target: Input | Param) -> tuple[str, ...]:
    """Types of the modules that `joined` can make to move a parameter: the usual ones first.

    Parameters
    ----------
    target : Input or Param
        What is to be moved; nothing can be made for an input or a choice.

    Returns
    -------
    tuple of str
    """
    if not isinstance(target, Param) or target.choices:
        return ()
    roles = ("control", "pitch") if target.id == "pitch_note" else ("control",)
    fit = [
        spec.id for spec in catalogue().values()
        if spec.outputs and spec.outputs[0].role in roles and not spec.passes and not spec.ends
        and all(port.role != "audio" for port in spec.inputs)
    ]  # fmt: skip
    return (*(name for name in USUAL_MOVERS if name in fit), *(name for name in fit if name not in USUAL_MOVERS))


def joined(patch: Patch, layer_id: str, type_id: str, beside: str = "", port: str = "") -> Joined:
    """A patch with a new module in a layer, connected in the usual way: the first of ``joinings``."""
    return next(joinings(patch, layer_id, type_id, beside, port))


def joinings(
    patch: Patch, layer_id: str, type_id: str, beside: str = "", port: str = "", preset: str = ""
) -> Iterator[Joined]:
    """Patches with a new module in a layer, connected in the usual way, then in every other one, at last unlinked.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    layer_id : str
        Id of the layer.
    type_id : str
        Type of the module.
    beside : str
        The module that is selected, if one is.
    port : str
        Its selected parameter, if one is.
    preset : str
        Name of one of its presets; "" for none.

    Yields
    ------
    Joined
    """
    spec = spec_of(type_id)
    assert spec is not None
    if layer_id == MASTER_ID:
        patch = with_inserts(patch) if spec.outputs and spec.outputs[0].role == "audio" else with_master(patch)
    module, output = _made(patch, spec, preset)
    added = patch.with_new_module(layer_id, module)
    yield from _each_way(lambda: Joiner(patch, added, layer_id, module, spec, beside, port, output), module.id)


def inserted(patch: Patch, link_id: str, type_id: str, preset: str = "") -> Joined | None:
    """A patch with a new module in a link: it takes what the link carried, and what it makes of that goes on with the
    link's amount. None where the module does not pass on what the link carries.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    link_id : str
        Id of the link.
    type_id, preset : str
        Type of the module, and the name of one of its presets or "".

    Returns
    -------
    Joined or None
    """
    link, spec = patch.link(link_id), spec_of(type_id)
    source = spec_for(patch.module(link.source.module))
    carried = source.output(link.source.port) if source else None
    takes = spec.target(spec.passes) if spec and spec.passes else None
    if spec is None or carried is None or not isinstance(takes, Input) or _sort(takes.role) != _sort(carried.role):
        return None
    module, output = _made(patch, spec, preset)
    made = patch.with_new_module(patch.layer_of(link.target.module).id, module)
    made = made.with_link(replace(link, source=Place(module.id, output or spec.outputs[0].id)))
    made = made.with_link(Link(made.free_id("link"), link.source, Place(module.id, spec.passes), 1.0))
    ends = patch.module(link.source.module).name, patch.module(link.target.module).name
    return Joined(
        made, module.id, tr("{name}: between {ends} and {ends_2}.", name=module.name, ends=ends[0], ends_2=ends[1])
    )


def swapped(patch: Patch, module_id: str, type_id: str, preset: str = "") -> Joined | None:
    """A patch with another kind of module in the place of one: links go to ports of the same name, or of the same kind.
    None where it gives another kind of signal.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    module_id : str
        Id of the module that is replaced; the new one keeps it.
    type_id, preset : str
        Type of the new module, and the name of one of its presets or "".

    Returns
    -------
    Joined or None
    """
    old, spec = patch.module(module_id), spec_of(type_id)
    before = spec_for(old)
    if spec is None or before is None or not before.outputs or before.ends or before.brings_mix:
        return None
    if _sort(spec.outputs[0].role) != _sort(before.outputs[0].role):
        return None
    new, output = _made(patch, spec, preset)
    shared = {x.id: old.params[x.id] for x in spec.params if x.id in old.params and x.id not in new.params}
    made = patch.with_module(replace(new, id=old.id, params={**new.params, **shared}))
    lost = 0
    for link in (*patch.links_into(old.id), *patch.links_from(old.id)):
        source, target = link.source, link.target
        if target.module == old.id:
            target = Place(old.id, _alike(before.targets, spec.targets, target.port))
        if source.module == old.id:
            source = Place(old.id, _alike(before.outputs, spec.outputs, source.port, output))
        if source.port and target.port:
            made = made.with_link(replace(link, source=source, target=target))
        else:
            made, lost = made.without_link(link.id), lost + 1
    made = _without_lost_places(made, old.id, spec)
    told = [tr("{name}: in the place of {name_2}.", name=new.name, name_2=old.name)]
    told += [tr_count("{count} link has no place in it.", "{count} links have no place in it.", lost)] if lost else []
    return Joined(made, old.id, " ".join(told))


def _without_lost_places(patch: Patch, module: str, spec: ModuleSpec) -> Patch:
    """A patch in which compounds and Watch show only what a module that was swapped has."""
    doors = {door.id for door in (*spec.targets, *spec.outputs)}

    def there(place: Place) -> bool:
        return place.module != module or place.port in doors

    compounds = tuple(
        replace(
            compound, controls=tuple(x for x in compound.controls if there(x.place)),
            ports=tuple(x for x in compound.ports if there(x.place)),
        )
        for compound in patch.compounds
    )  # fmt: skip
    return replace(patch, compounds=compounds, pins=tuple(pin for pin in patch.pins if there(pin)))


def _sort(role: str) -> str:
    """Controls and pitches are of one sort."""
    return "control" if role == "pitch" else role


def _alike(before: Sequence[Door], after: Sequence[Door], port: str, output: str = "") -> str:
    """The port of the same id, or the first of the same kind; "" where there is none."""
    old = next(door for door in before if door.id == port)
    if any(door.id == port for door in after) and not output:
        return port
    same = [x.id for x in after if getattr(x, "role", "") == getattr(old, "role", "") and not getattr(x, "choices", ())]
    if isinstance(old, Param):
        return next((x.id for x in after if isinstance(x, Param) and x.name == old.name), "")
    return output if output in same else next(iter(same), "")


def _made(patch: Patch, spec: ModuleSpec, preset: str) -> tuple[Module, str]:
    """A new module as it begins, or as a preset has it, and the output that the preset is about."""
    module = Module(patch.free_id(spec.id), spec.id, free_module_name(patch, spec.name), dict(spec.begins))
    chosen = next((x for x in spec.presets if x.name == preset), None)
    if chosen is None:
        return module, ""
    name, values = free_module_name(patch, chosen.name), chosen.numbers(spec.params)
    return replace(module, name=name, params={**module.params, **values}, series=dict(chosen.series)), chosen.output


def kept_joinings(patch: Patch, layer_id: str, kept: Patch, beside: str = "", port: str = "") -> Iterator[Joined]:
    """As ``joinings``, for a compound of the user's library; ``kept`` is what the file of the library holds."""
    copied = with_copy(patch, compound_clip(kept), layer_id)
    copied = replace(copied, patch=with_settings_from(copied.patch, kept, copied.names))
    compound = compound_of(copied.patch, copied.names[main_compound(kept).id])
    assert compound is not None
    face = face_of(copied.patch, compound)
    spec = face.spec
    assert spec is not None
    home = copied.patch.layer_of(
        modules_in(copied.patch, (compound.id,))[0]
    ).id  # not always the one that was asked for
    yield from _each_way(lambda: Joiner(patch, copied.patch, home, face, spec, beside, port), compound.id)


def _each_way(fresh: Callable[[], Joiner], module: str) -> Iterator[Joined]:
    """What comes out of each way, once."""
    known = set()
    for k in range(len(fresh().ways())):
        joiner = fresh()
        joiner.ways()[k]()
        links = frozenset((x.source, x.target) for x in joiner.patch.links)
        if links not in known:
            known.add(links)
            yield Joined(joiner.patch, module, joiner.told)


def with_empty_layer(patch: Patch, name: str) -> Joined:
    """A patch with a new layer that holds its output only, which is ``module``."""
    layer_id = patch.free_id("layer")
    layer = Layer(layer_id, free_name(name, (layer.name for layer in patch.layers)))
    layer = replace(layer, modules=(Module(layer.output_id, "output", layer.name),))
    return Joined(patch.with_layer(layer), layer.output_id, tr("{name}: an empty layer.", name=layer.name))


def with_starter(patch: Patch, starter: Patch) -> Joined:
    """A patch with the layers of a starter; its clocks go to Shared, and keep the patch's tempo."""
    copied = with_copy(patch, starter_clip(starter))
    layers = [layer for layer in copied.patch.layers if not any(layer.id == old.id for old in patch.layers)]
    ends = [layer.output_id for layer in layers if not layer.effects]
    told = f"{starter.title}: {', '.join(layer.name for layer in layers)}"
    return Joined(copied.patch, ends[-1] if ends else "", f"{told}.")
