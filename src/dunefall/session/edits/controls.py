"""Edits through Named controls: turning, learning MIDI controllers, gathering.

Each function is one undo step of a document, or part of one.
"""

from __future__ import annotations

from dunefall.base.door import clean
from dunefall.base.errors import ParameterError
from dunefall.base.language import inline, tr
from dunefall.catalogue.compounds import spec_for, target_of
from dunefall.catalogue.linking import new_link
from dunefall.engine.devices.keys import PRESSURE, WHEEL
from dunefall.engine.devices.osc import osc_name
from dunefall.patch.changes import ParamSet, difference
from dunefall.patch.compounds import parent_of, with_parts
from dunefall.patch.document import Document
from dunefall.patch.model import SHARED_ID, Link, Module, Patch, Place

__all__ = ["blend_control", "gather", "kinds_of_layer", "learn", "turn_control", "turn_controller", "turn_named"]


def turn_control(document: Document, module: str, share: float) -> None:
    """Set a Named control to a share of its range, 0 to 1; a turn of a knob becomes one undo step.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    module : str
        Id of the module.
    share : float [0, 1]
        Place in its range.
    """
    name = document.patch.module(module).name
    changed = document.patch.with_param(module, "value", min(max(share, 0.0), 1.0))
    document.edit(tr("Move {name}", name=name), changed, merge=f"control {module}")


def turn_named(document: Document, name: str, share: float) -> bool:
    """Set all Named controls whose name matches an address to a share of their range; whether there is one.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    name : str
        Name of the controls, as an OSC address writes it.
    share : float [0, 1]
        Place in its range.

    Returns
    -------
    bool
    """
    found = [m for m in document.patch.modules() if m.type == "named-control" and osc_name(m.name) == name]
    for module in found:
        turn_control(document, module.id, share)
    return bool(found)


def turn_controller(document: Document, controller: int, place: float) -> None:
    """A MIDI controller moved: Named controls bound to it follow; wheel and pressure go to the keyboards.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    controller : int [0, 129]
        Number of the MIDI controller; 128 and 129 are the wheel and the pressure.
    place : float [0, 1]
        The controller's position.
    """
    ports = {WHEEL: "wheel", PRESSURE: "pressure"}
    changed = document.patch
    for module in document.patch.modules():
        if module.type == "named-control" and module.params.get("controller", -1.0) == controller:
            changed = changed.with_param(module.id, "value", min(max(place, 0.0), 1.0))
        elif module.type == "keyboard" and controller in ports:
            changed = changed.with_param(module.id, ports[controller], place)
    document.edit(tr("Move a controller"), changed, merge=f"controller {controller}")


def learn(document: Document, place: Place, controller: int) -> str:
    """Let a MIDI controller (0 to 127) move a value: a Named control's own, or by the Named control that moves the
    value, or by a new one. Returns the control's id.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    place : Place
        Module and port.
    controller : int [0, 129]
        Number of the MIDI controller; 128 and 129 are the wheel and the pressure.

    Returns
    -------
    str
    """
    patch, module = document.patch, document.patch.module(place.module)
    sources = [patch.module(link.source.module) for link in patch.links_into(place.module, place.port)]
    control = next((m for m in (module, *sources) if m.type == "named-control"), None)
    if control is None:
        param = target_of(document.patch, place)
        name = tr("{name} of {name_2}", name=param.name if param else place.port, name_2=module.name)
        control = Module(patch.free_id("named-control"), "named-control", clean(name))
        patch = patch.with_new_module(patch.layer_of(module.id).id, control)
        home = parent_of(patch, module.id)
        patch = with_parts(patch, home.id, (control.id,)) if home else patch
        patch = patch.with_link(new_link(patch, Place(control.id, "out"), place))
    document.edit(
        tr("Learn a controller for {name}", name=module.name),
        patch.with_param(control.id, "controller", float(controller)),
    )
    return control.id


def kinds_of_layer(document: Document, layer: str) -> dict[str, list[str]]:
    """Parameters of a layer's modules by their name in words, and which modules have them: those that can be
    gathered under one control.

    Parameters
    ----------
    document : Document
        The open document.
    layer : str
        Id of the layer.

    Returns
    -------
    dict[str, list[str]]
    """
    kinds: dict[str, list[str]] = {}
    for module in document.patch.layer(layer).modules:
        spec = spec_for(module)
        for param in spec.params if spec and not spec.lane_end and module.type != "named-control" else ():
            if not param.choices and not param.follows and param.amount:
                kinds.setdefault(param.name, []).append(module.id)
    return kinds


def gather(document: Document, layer: str, kind: str) -> str:
    """Put all parameters of a kind in a layer under a new Named control, at its neutral position; returns its id.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layer : str
        Id of the layer.
    kind : str
        Name of the parameters, as the window shows it.

    Returns
    -------
    str
    """
    patch = document.patch
    found = patch.layer(layer)
    control = Module(
        patch.free_id("named-control"), "named-control", tr("{kind} of {name}", kind=kind, name=found.name)[:60]
    )
    changed = patch.with_new_module(layer, control)
    for module_id in kinds_of_layer(document, layer)[kind]:
        spec = spec_for(patch.module(module_id))
        param = next(param for param in (spec.params if spec else ()) if param.name == kind)
        target = Place(module_id, param.id)
        changed = changed.with_link(Link(changed.free_id("link"), Place(control.id, "out"), target, param.amount))
    document.edit(tr("Gather {kind}", kind=inline(kind)), changed)
    return control.id


def blend_control(document: Document, first: Patch, last: Patch, name: str) -> int:
    """Let a new Named control go from one patch to another: the patch is the first one then, and every value that can
    glide is moved by it as far as the other one needs; returns how many there are.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    first, last : Patch
        Both ends.
    name : str
        Of the control.

    Returns
    -------
    int

    Raises
    ------
    ParameterError
        If no value that can glide differs.
    """
    control = Module(first.free_id("named-control"), "named-control", name[:60], {"value": 0.0})
    changed, count = first.with_new_module(SHARED_ID, control), 0
    for change in difference(first, last):
        spec = spec_for(first.module(change.module)) if isinstance(change, ParamSet) else None
        if not isinstance(change, ParamSet) or spec is None:
            continue
        module, param = first.module(change.module), spec.param(change.param)
        if param.choices or param.follows or change.param in module.locked:
            continue
        way = param.to_domain(change.value) - param.to_domain(module.params.get(param.id, param.default))
        target = Place(module.id, param.id)
        changed = changed.with_link(Link(changed.free_id("link"), Place(control.id, "out"), target, way))
        count += 1
    if not count:
        raise ParameterError(tr("no value that can glide differs between the two"))
    document.edit(tr("Make {name} a Named control", name=name), changed)
    return count
