"""Where a layer's events are found in a patch: the gates that start its sounds, and the notes that they play."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from dunefall.catalogue.compounds import output_of, spec_for
from dunefall.catalogue.declare import Input, ModuleSpec, Param
from dunefall.catalogue.ports import Role
from dunefall.patch.mixing import effect_lanes, mixed_layers
from dunefall.patch.model import Layer, Patch, Place

__all__ = [
    "Step", "heard_layers", "level_places", "pitch_places", "step_of_note", "step_places",
    "trigger_places",
]  # fmt: skip


class Step(NamedTuple):
    """A number of a series, by its place from 0 on."""

    module: str
    series: str
    number: int


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
    return _sources(patch, layer, "gate", _is_started)


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
    return _sources(patch, layer, "pitch", _is_played)


def step_places(patch: Patch) -> tuple[Place, ...]:
    """The outputs that tell where in its series a module is, of those that are computed.

    Parameters
    ----------
    patch : Patch
        The patch.

    Returns
    -------
    tuple of Place
    """
    found = []
    for module in patch.modules():
        spec = spec_for(module)
        if spec and spec.series and spec.output("place") and patch.links_from(module.id) and not module.bypassed:
            found.append(Place(module.id, "place"))
    return tuple(found)


def _sources(
    patch: Patch, layer: Layer, role: Role, takes: Callable[[ModuleSpec, Input | Param | None], bool]
) -> tuple[Place, ...]:
    """The outputs of a role that are linked to where the layer's modules take such a thing, each once."""
    found = dict[Place, None]()
    for module in layer.modules:
        spec = spec_for(module)
        for link in patch.links_into(module.id) if spec else ():
            if spec and link.on and takes(spec, spec.target(link.target.port)) and _gives(patch, link.source, role):
                found[link.source] = None
    return tuple(found)


def _is_started(spec: ModuleSpec, port: Input | Param | None) -> bool:
    return isinstance(port, Input) and port.starts and _sounds_by(spec)


def _is_played(spec: ModuleSpec, port: Input | Param | None) -> bool:
    takes = port.role == "pitch" if isinstance(port, Input) else isinstance(port, Param) and port.unit == "note"
    return takes and spec.stage != "pitch"


def _sounds_by(spec: ModuleSpec) -> bool:
    """Whether a trigger of the module is heard: it sounds itself, or it opens and closes what does."""
    if spec.stage in ("source", "shape", "space"):
        return True
    output = spec.outputs[0]
    opens = output.role == "control" and output.low == 0.0 and spec.cycle.steps is None
    return spec.stage == "motion" and opens and "key" not in spec.asks


def _gives(patch: Patch, place: Place, role: Role) -> bool:
    output = output_of(patch, place)
    return output is not None and output.role == role


def step_of_note(patch: Patch, module: str, note: float, within: float = 0.05) -> Step | None:
    """The step that makes a note: of a module itself, or of one that it follows.

    Parameters
    ----------
    patch : Patch
        The patch.
    module : str
        Id of the module that gives the note, or sounds it.
    note : float
        As a MIDI note number.
    within : float
        So many semitones the step's own note may be away.

    Returns
    -------
    Step or None
    """
    todo, seen = [module], {module}
    while todo:
        here = todo.pop(0)
        spec = spec_for(patch.module(here))
        for series in spec.series if spec else ():
            values = patch.module(here).series.get(series.id, series.default)
            nearest = min(range(len(values)), key=lambda k: abs(values[k] - note), default=-1)
            if series.unit == "note" and nearest >= 0 and abs(values[nearest] - note) < within:
                return Step(here, series.id, nearest)
        for link in patch.links_into(here):
            if link.on and link.source.module not in seen and link.amount:
                seen.add(link.source.module)
                todo.append(link.source.module)
    return None
