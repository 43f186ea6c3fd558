"""Edits of the mix: groups, sends, ducking, effect lanes, master, places.

Each function is one undo step of a document, or part of one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from dunefall.base.door import clean
from dunefall.base.language import tr
from dunefall.catalogue import spec_of
from dunefall.patch import mixing
from dunefall.patch.document import Document
from dunefall.patch.model import Link, Place

__all__ = ["add_effect_lane", "add_key", "move_along", "set_group", "set_key", "set_master", "set_send"]


def set_group(document: Document, layer: str, group: str) -> None:
    """Put a layer's row into a group of this name, or into none.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layer : str
        Id of the layer.
    group : str
        Name of the group; "" for none.
    """
    found = document.patch.layer(layer)
    label = (
        tr("Group {name} with {group}", name=found.name, group=group)
        if group
        else tr("Ungroup {name}", name=found.name)
    )
    document.edit(label, document.patch.with_layer(replace(found, group=clean(group))))


def set_send(document: Document, layer: str, lane: str, gain: float, *, before: bool = False) -> None:
    """Let a layer send so much, linear, to an effect lane; 0 takes the send away.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layer : str
        Id of the layer.
    lane : str
        Id of the effect lane.
    gain : float
        Linear gain; 0 takes it away.
    before : bool
        Whether it is taken before the level.
    """
    a, b = document.patch.layer(layer), document.patch.layer(lane)
    changed = mixing.with_send(document.patch, a, b, gain, before=before)
    document.edit(tr("Send {name} to {name_2}", name=a.name, name_2=b.name), changed, merge=f"send {layer} {lane}")


def set_key(document: Document, layer: str, source: Place | None) -> None:
    """Let a layer make way for an output, or for nothing.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layer : str
        Id of the layer.
    source : Place or None
        What it makes way for; None: nothing.
    """
    found = document.patch.layer(layer)
    document.edit(tr("Duck {name}", name=found.name), mixing.with_key(document.patch, found, source))


def add_key(document: Document, layer: str, source: Place) -> None:
    """Let a layer make way for one more output, beside those that it makes way for already.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layer : str
        Id of the layer.
    source : Place
        What it makes way for, too.
    """
    patch, found = document.patch, document.patch.layer(layer)
    target = Place(found.output_id, "duck")
    if all(link.source != source for link in patch.links_into(target.module, target.port)):
        document.edit(tr("Duck {name}", name=found.name), patch.with_link(Link(patch.free_id("duck"), source, target)))


def add_effect_lane(document: Document, name: str, types: tuple[str, ...]) -> None:
    """Add a shared effect lane of modules in a row.

    Raises
    ------
    PatchError
        If there are as many as there can be.
    """
    document.edit(tr("Add effect lane {name}", name=name), mixing.with_effect_lane(document.patch, name, types))


def set_master(document: Document, values: Mapping[str, float]) -> None:
    """Set values of the master, which is added if it is not there.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    values : mapping
        Values by parameter.

    Raises
    ------
    ParameterError
        If a value is out of range.
    """
    patch = mixing.with_master(document.patch)
    master, spec = mixing.master_of(patch), spec_of("master")
    assert master is not None
    assert spec is not None
    for name, value in values.items():
        patch = patch.with_param(master.id, name, spec.param(name).check(value, '"Master"'))
    document.edit(tr("Change Master"), patch, merge=f"master {','.join(values)}")


def move_along(document: Document, layer: str, loop: Sequence[tuple[float, float, float]]) -> None:
    """Let a layer go round a drawn loop of (seconds, degrees, metres).

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layer : str
        Id of the layer.
    loop : sequence of (float, float, float)
        Seconds, degrees and metres along the way.
    """
    found = document.patch.layer(layer)
    document.edit(tr("Loop of {name}", name=found.name), mixing.with_loop(document.patch, found, loop))
