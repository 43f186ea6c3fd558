"""Where a layer's events are found in a patch: the gates that start its sounds, and the notes that they play."""

from __future__ import annotations

from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Input, ModuleSpec, Param
from dunefall.patch.mixing import effect_lanes, mixed_layers
from dunefall.patch.model import Layer, Patch, Place

__all__ = ["heard_layers", "level_places", "pitch_places", "trigger_places"]


def heard_layers(patch: Patch) -> list[Layer]:
    """The layers that end in the mix, effect lanes last."""
    return [*mixed_layers(patch), *effect_lanes(patch)]


def level_places(layer: Layer) -> tuple[Place, Place]:
    """What a layer gives to the mix: left and right, or in front.

    Parameters
    ----------
    layer : Layer
        A layer that has an output.

    Returns
    -------
    (Place, Place)
    """
    return Place(layer.output_id, "left"), Place(layer.output_id, "right")


def trigger_places(patch: Patch, layer: Layer) -> tuple[Place, ...]:
    """The outputs whose triggers start something that is heard of a layer: a source, or an envelope.

    Parameters
    ----------
    patch : Patch
        The patch.
    layer : Layer
        One of its layers.

    Returns
    -------
    tuple of Place
    """
    found = dict[Place, None]()
    for module in layer.modules:
        spec = spec_for(module)
        if spec is None or not _sounds_by(spec):
            continue
        for link in patch.links_into(module.id):
            port = spec.target(link.target.port)
            if link.on and isinstance(port, Input) and port.starts and _gives(patch, link.source, "gate"):
                found[link.source] = None
    return tuple(found)


def pitch_places(patch: Patch, layer: Layer) -> tuple[Place, ...]:
    """The outputs that give the notes of a layer's sources.

    Parameters
    ----------
    patch : Patch
        The patch.
    layer : Layer
        One of its layers.

    Returns
    -------
    tuple of Place
    """
    found = dict[Place, None]()
    for module in layer.modules:
        spec = spec_for(module)
        if spec is None or spec.stage == "pitch":
            continue
        for link in patch.links_into(module.id):
            port = spec.target(link.target.port)
            takes = port.role == "pitch" if isinstance(port, Input) else isinstance(port, Param) and port.unit == "note"
            if link.on and takes and _gives(patch, link.source, "pitch"):
                found[link.source] = None
    return tuple(found)


def _sounds_by(spec: ModuleSpec) -> bool:
    """Whether a trigger of the module is heard: it sounds itself, or it opens and closes what does."""
    if spec.stage in ("source", "shape", "space"):
        return True
    output = spec.outputs[0]
    opens = output.role == "control" and output.low == 0.0 and spec.cycle.steps is None
    return spec.stage == "motion" and opens and "key" not in spec.asks


def _gives(patch: Patch, place: Place, role: str) -> bool:
    spec = spec_for(patch.module(place.module))
    output = spec.output(place.port) if spec else None
    return output is not None and output.role == role
