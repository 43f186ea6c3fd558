"""Edits of links: making, changing, ranges, movements; the slew that softens clicks.

Each function is one undo step of a document, or part of one.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.linking import is_trigger, new_link
from dunefall.catalogue.reach import with_range
from dunefall.patch.document import Document
from dunefall.patch.model import Link, Module, Patch, Place

__all__ = [
    "add_link",
    "change_link",
    "paste_movement",
    "remove_link",
    "scale_reach",
    "set_link_range",
    "soften",
    "softened",
]

SOFT_S = 0.005
"""A few milliseconds of slew on a level remove its clicks (common practice)."""


def add_link(document: Document, source: Place, target: Place) -> str:
    """Link an output to a port with an audible amount; returns the link's id. The same link twice is refused.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    source : Place
        The output that moves or feeds.
    target : Place
        The port that is moved or fed.

    Returns
    -------
    str

    Raises
    ------
    PatchError
        If this link is there already.
    """
    patch = document.patch
    if any(link.source == source and link.target == target for link in patch.links):
        raise PatchError(
            tr("{name} moves this already: change its amount instead", name=patch.module(source.module).name)
        )
    link = new_link(patch, source, target)
    document.edit(tr("Link {name}", name=patch.module(source.module).name), patch.with_link(link))
    return link.id


def change_link(document: Document, link: Link) -> None:
    """Give a link other values.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    link : Link
        The link with its new values.
    """
    name = document.patch.module(link.source.module).name
    document.edit(tr("Change link from {name}", name=name), document.patch.with_link(link), merge=f"link {link.id}")


def set_link_range(document: Document, link: Link, first: float, last: float) -> None:
    """Let a link move its target from one value to another, in the target's unit, as its source goes from its lowest to
    its highest.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    link : Link
        The link.
    first : float
        The target's value at the source's lowest, in its unit.
    last : float
        The target's value at the source's highest.

    Raises
    ------
    ParameterError
        If a value is out of the target's range, or the target is a sound or a gate.
    """
    change_link(document, with_range(document.patch, link, first, last))
    document.end_merge()


def scale_reach(document: Document, place: Place, factor: float) -> None:
    """Scale the amounts of everything that moves a parameter; one drag becomes one undo step.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    place : Place
        Module and port.
    factor : float
        How many times as far.
    """
    patch = document.patch
    for link in patch.links_into(place.module, place.port):
        if link.on:
            patch = patch.with_link(replace(link, amount=link.amount * factor, offset=link.offset * factor))
    document.edit(tr("Reach of {name}", name=patch.module(place.module).name), patch, merge=f"reach {place}")


def remove_link(document: Document, link: str) -> None:
    """Take a link away.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    link : str
        Id of the link.
    """
    name = document.patch.module(document.patch.link(link).source.module).name
    document.edit(tr("Remove link from {name}", name=name), document.patch.without_link(link))


def paste_movement(document: Document, links: Collection[Link], target: Place) -> None:
    """Let a parameter be moved as another one is: the same sources, amounts and curves.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    links : collection of Link
        The links.
    target : Place
        The port that is moved or fed.
    """
    patch = document.patch
    there = {module.id for module in patch.modules()}
    known = {link.source for link in patch.links_into(target.module, target.port)}
    for link in links:
        if link.source.module in there and link.source not in known:
            patch = patch.with_link(replace(link, id=patch.free_id("link"), target=target))
    document.edit(tr("Movement of {name}", name=patch.module(target.module).name), patch)


def softened(patch: Patch, module: str) -> tuple[Patch, str] | None:
    """A patch with a slew of a few milliseconds after a module, before everything but triggers that it moves.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    module : str
        Id of the module.

    Returns
    -------
    (Patch, str) or None
        The patch and the slew's id; None where the module moves no such thing.
    """
    found = patch.module(module)
    spec = spec_for(found)
    first = spec.outputs[0].id if spec else ""
    moved = [
        link for link in patch.links_from(module) if link.source.port == first and not is_trigger(patch, link.target)
    ]
    if not moved:
        return None
    slew = Module(
        patch.free_id("slew"), "slew", tr("Soft {name}", name=found.name)[:60], {"rise_s": SOFT_S, "fall_s": SOFT_S}
    )
    changed = patch.with_new_module(patch.layer_of(module).id, slew)
    for link in moved:
        changed = changed.with_link(replace(link, source=Place(slew.id, "out")))
    into = Link(changed.free_id("link"), Place(module, first), Place(slew.id, "signal"))
    return changed.with_link(into), slew.id


def soften(document: Document, module: str) -> str:
    """Soften a module's jumps, see ``softened``; returns the slew's id, or nothing.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    module : str
        Id of the module.

    Returns
    -------
    str
    """
    made = softened(document.patch, module)
    if made is None:
        return ""
    document.edit(tr("Soften {name}", name=document.patch.module(module).name), made[0])
    return made[1]
