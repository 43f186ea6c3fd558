"""Where a new module connects itself: to what a designer would expect beside what is selected.

An effect goes into the audio path behind the selection; an envelope to the layer's trigger and an amplifier; a source
to the layer's pitch and into what its other sources go into; a mover to the selected parameter; what changes pitches,
controls or triggers behind the one that is selected. The other ways are at hand, too (see ``joinings``).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import NamedTuple

from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.compounds import face_of
from dunefall.catalogue.declare import Input, Param
from dunefall.catalogue.joiner import Joiner
from dunefall.catalogue.linking import free_module_name
from dunefall.patch.compounds import compound_of
from dunefall.patch.copying import free_name, starter_clip, with_copy
from dunefall.patch.model import Layer, Module, Patch
from dunefall.patch.userlibrary import compound_clip, main_compound

__all__ = ["Joined", "joined", "joinings", "kept_joinings", "movers_of", "with_empty_layer", "with_starter"]

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
        if spec.outputs and spec.outputs[0].role in roles and not spec.passes and not spec.lane_end
        and not spec.closes and all(port.role != "audio" for port in spec.inputs)
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
    chosen = next((x for x in spec.presets if x.name == preset), None)
    module = Module(patch.free_id(type_id), type_id, free_module_name(patch, spec.name), dict(spec.begins))
    if chosen:
        name, values = free_module_name(patch, chosen.name), chosen.numbers(spec.params)
        module = replace(module, name=name, params={**module.params, **values}, series=dict(chosen.series))
    output = chosen.output if chosen else ""
    added = patch.with_new_module(layer_id, module)
    yield from _each_way(lambda: Joiner(patch, added, layer_id, module, spec, beside, port, output), module.id)


def kept_joinings(patch: Patch, layer_id: str, kept: Patch, beside: str = "", port: str = "") -> Iterator[Joined]:
    """As ``joinings``, for a compound of the user's library; ``kept`` is what the file of the library holds."""
    copied = with_copy(patch, compound_clip(kept), layer_id)
    compound = compound_of(copied.patch, copied.names[main_compound(kept).id])
    assert compound is not None
    face = face_of(copied.patch, compound)
    spec = face.spec
    assert spec is not None
    yield from _each_way(lambda: Joiner(patch, copied.patch, layer_id, face, spec, beside, port), compound.id)


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
    return Joined(patch.with_layer(layer), layer.output_id, f"{layer.name}: an empty layer.")


def with_starter(patch: Patch, starter: Patch) -> Joined:
    """A patch with the layers of a starter; its clocks go to Shared, and keep the patch's tempo."""
    copied = with_copy(patch, starter_clip(starter))
    layers = [layer for layer in copied.patch.layers if not any(layer.id == old.id for old in patch.layers)]
    ends = [layer.output_id for layer in layers if not layer.effects]
    told = f"{starter.title}: {', '.join(layer.name for layer in layers)}"
    return Joined(copied.patch, ends[-1] if ends else "", f"{told}.")
