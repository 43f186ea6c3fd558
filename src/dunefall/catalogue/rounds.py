"""Feedback loops of a patch: through which modules they go, and how much the links pass on."""

from __future__ import annotations

from collections import deque
from typing import NamedTuple

from dunefall.base.language import tr
from dunefall.base.words import listed
from dunefall.catalogue.compounds import spec_for
from dunefall.patch.model import Layer, Link, Patch

__all__ = ["Round", "loops_of"]


class Round(NamedTuple):
    """The shortest way round of a loop.

    Attributes
    ----------
    modules : tuple of str
        Ids, in the order in which the sound goes through them.
    gain : float
        What links, and the feedback of a delay that it returns to, pass on each time.
    """

    modules: tuple[str, ...]
    gain: float

    def told(self, patch: Patch) -> str:
        """In a sentence."""
        names = [patch.module(module).name for module in self.modules]
        if len(names) == 1:
            return tr("{names} feeds itself, {gain:.2f} each time.", names=names[0], gain=self.gain)
        return tr("A loop goes round through {names}, {gain:.2f} each time.", names=listed(names), gain=self.gain)


def loops_of(patch: Patch, layer: Layer) -> list[Round]:
    """The loops that begin in a layer, each told once; links that are off, or move a value, make none.

    Parameters
    ----------
    patch : Patch
        The patch.
    layer : Layer
        One of its layers.

    Returns
    -------
    list of Round
    """
    ways: dict[str, list[Link]] = {}
    for link in patch.links:
        if link.on and _is_fed(patch, link):
            ways.setdefault(link.source.module, []).append(link)
    found: dict[frozenset[str], Round] = {}
    for module in layer.modules:
        way = _back_to(module.id, ways)
        if way:
            gain = 1.0
            for link in way:
                gain *= link.amount * _own_gain(patch, link)
            found.setdefault(
                frozenset(link.source.module for link in way), Round(tuple(link.source.module for link in way), gain)
            )
    return list(found.values())


def _is_fed(patch: Patch, link: Link) -> bool:
    """Whether a link leads into an input, and not to a value."""
    spec = spec_for(patch.module(link.target.module))
    return spec is not None and any(port.id == link.target.port for port in spec.inputs)


def _own_gain(patch: Patch, link: Link) -> float:
    """What the module itself does to what comes back to it."""
    module = patch.module(link.target.module)
    spec = spec_for(module)
    if spec is None or not spec.loop or link.target.port != spec.loop[1]:
        return 1.0
    return module.params.get("feedback", spec.param("feedback").default)


def _back_to(start: str, ways: dict[str, list[Link]]) -> list[Link]:
    """The shortest way from a module back to itself; empty where there is none."""
    came: dict[str, Link] = {}
    todo = deque([start])
    while todo:
        here = todo.popleft()
        for link in ways.get(here, ()):
            there = link.target.module
            if there == start:
                way = [link]
                while way[0].source.module != start:
                    way.insert(0, came[way[0].source.module])
                return way
            if there not in came:
                came[there] = link
                todo.append(there)
    return []
