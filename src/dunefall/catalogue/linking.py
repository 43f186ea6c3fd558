"""Where links between modules usually begin and end: a new link's amount, and what starts and plays a layer."""

from __future__ import annotations

from collections import Counter

from dunefall.catalogue.compounds import output_of, spec_for, target_of
from dunefall.catalogue.declare import Input, Param
from dunefall.patch.copying import free_name
from dunefall.patch.model import SHARED_ID, Link, Patch, Place

__all__ = ["free_module_name", "is_trigger", "main_pitch", "main_trigger", "new_link"]


def free_module_name(patch: Patch, name: str) -> str:
    """A module name that no module of the patch has yet; the outputs of layers, called like these, do not count."""
    ends = {layer.output_id for layer in patch.layers}
    return free_name(name, (module.name for module in patch.modules() if module.id not in ends))


def is_trigger(patch: Patch, place: Place) -> bool:
    """Whether a place is an input for triggers and gates."""
    target = target_of(patch, place)
    return isinstance(target, Input) and target.role == "gate"


def new_link(patch: Patch, source: Place, target: Place) -> Link:
    """A link that begins with a sensible, audible amount."""
    port, output = target_of(patch, target), output_of(patch, source)
    amount, offset = (port.amount or 1.0, 0.0) if isinstance(port, Param) else (1.0, 0.0)
    if isinstance(port, Param) and output and output.role == "pitch" and port.unit == "note":
        amount, offset = 1.0, -60.0  # a pitch is counted from C4
    if isinstance(port, Input) and port.role == "pitch" and output and output.role != "pitch":
        amount, offset = 12.0, 60.0  # an octave either way of it
    return Link(patch.free_id("link"), source, target, amount, offset)


def _role_of(patch: Patch, place: Place) -> str:
    output = output_of(patch, place)
    return output.role if output else ""


def _most_used(patch: Patch, layer_id: str, role: str) -> Place | None:
    """The output of a role that most links into a layer come from; else the first one in the layer, else in Shared."""
    own = {module.id for module in patch.layer(layer_id).modules}
    used = Counter(x.source for x in patch.links if x.target.module in own and _role_of(patch, x.source) == role)
    if used:
        return used.most_common(1)[0][0]
    for layer in dict.fromkeys((layer_id, SHARED_ID)):
        for module in patch.layer(layer).modules:
            spec = spec_for(module)
            for output in spec.outputs if spec else ():
                if output.role == role:
                    return Place(module.id, output.id)
    return None


def main_trigger(patch: Patch, layer_id: str) -> Place | None:
    """What starts things in a layer: the trigger that most of its modules listen to."""
    return _most_used(patch, layer_id, "gate")


def main_pitch(patch: Patch, layer_id: str) -> Place | None:
    """What a layer plays: the pitch that most of its modules follow."""
    return _most_used(patch, layer_id, "pitch")
