"""A take's journal as lanes, one for each thing that was moved by hand: who, when, and how far."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

from dunefall.base.language import tr, tr_count
from dunefall.base.units import note_name
from dunefall.base.words import time_told
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Param
from dunefall.patch.changes import (
    Change,
    LayerGone,
    LayerPut,
    LayoutSet,
    LinkGone,
    LinkPut,
    ModuleGone,
    ModulePut,
    ParamSet,
    SeedSet,
    SeriesSet,
    TempoSet,
)  # fmt: skip
from dunefall.patch.model import Layer
from dunefall.patch.take import Clear, Edit, Entry, Heard, Note, Press, Take, first_difference
from dunefall.vary.differences import differences

__all__ = ["Lane", "Lanes", "Mark", "compared", "told"]

_Key = tuple[str, str, str]
"""Name, part and module of a lane."""

MOST_TOLD = 3
PATCH = tr("Patch")
LINKS = tr("Links")


class Mark(NamedTuple):
    """Something that happened, in its lane.

    Attributes
    ----------
    number : int
        Of the entry in its take, from 0 on.
    at : int
        Sample.
    share : float or None
        How high within its range the value went, 0 to 1; None: it has none.
    muted : bool
    """

    number: int
    at: int
    share: float | None
    muted: bool


@dataclass
class Lane:
    """What happened to one thing.

    Attributes
    ----------
    name, part : str
        The module and its parameter, or what else it is.
    module : str
        Id of the module, or "".
    marks : list of Mark
        In order of time.
    """

    name: str
    part: str
    module: str = ""
    marks: list[Mark] = field(default_factory=list)


class _Parts:
    """The modules and layers that a take ever has, by id."""

    def __init__(self, take: Take) -> None:
        self._values = dict[tuple[str, str], tuple[_Key, Param | None]]()
        self._modules = {module.id: module for module in take.start.modules()}
        self._layers = {layer.id: layer for layer in take.start.layers}
        for entry in take.entries:
            for change in entry.what.changes if isinstance(entry.what, Edit) else ():
                if isinstance(change, ModulePut):
                    self._modules[change.module.id] = change.module
                elif isinstance(change, LayerPut):
                    self._layers[change.layer.id] = change.layer

    @property
    def names(self) -> object:
        """What lanes are called by, and measured by."""
        modules = {name: (module.type, module.name) for name, module in self._modules.items()}
        return modules, {name: layer.name for name, layer in self._layers.items()}

    def name(self, module: str) -> str:
        found = self._modules.get(module)
        return found.name if found else module

    def layer(self, layer: str) -> str:
        found: Layer | None = self._layers.get(layer)
        return found.name if found else layer

    def value(self, module: str, name: str) -> tuple[_Key, Param | None]:
        """The lane of a base value, and its parameter: a journal has thousands of the same few."""
        if (module, name) not in self._values:
            found = self._modules.get(module)
            spec = spec_for(found) if found else None
            param = spec.target(name) if spec else None
            param = param if isinstance(param, Param) else None
            self._values[(module, name)] = (self.name(module), param.name if param else name, module), param
        return self._values[(module, name)]


class Lanes:
    """Sorts takes into lanes; what was found of an entry is remembered while the same names hold, as corrections change
    one of thousands."""

    def __init__(self) -> None:
        self._names: object = None
        self._found: dict[int, tuple[Entry, dict[_Key, float | None]]] = {}

    def of(self, take: Take) -> list[Lane]:
        """The lanes of a take, in the order in which they were first used.

        Parameters
        ----------
        take : Take
            What was played.

        Returns
        -------
        list of Lane
        """
        parts, lanes, found = _Parts(take), dict[_Key, Lane](), {}
        known = self._found if parts.names == self._names else {}
        for number, entry in enumerate(take.entries):
            places = known.get(id(entry)) or (entry, dict(_places(entry, parts)))
            found[id(entry)] = places
            for key, share in places[1].items():
                lane = lanes.get(key)
                if lane is None:
                    lane = lanes[key] = Lane(*key)
                lane.marks.append(Mark(number, entry.at, share, entry.muted))
        self._names, self._found = parts.names, found
        return list(lanes.values())


def _places(entry: Entry, parts: _Parts) -> Iterator[tuple[_Key, float | None]]:
    """The lanes of an entry, each by name, part and module, with the height in it."""
    what = entry.what
    if isinstance(what, Note):
        yield (parts.name(what.module), "keys", what.module), min(max((what.note - 24.0) / 84.0, 0.0), 1.0)
    elif isinstance(what, Press):
        yield (parts.name(what.module), tr("press {port}", port=what.port), what.module), float(what.high)
    elif isinstance(what, Clear):
        yield (parts.name(what.module) if what.module else PATCH, "silence", what.module), None
    elif isinstance(what, Heard):
        yield (PATCH, tr("live input"), ""), None
    else:
        for change in what.changes:
            yield _place(change, parts)


def _place(change: Change, parts: _Parts) -> tuple[_Key, float | None]:
    if isinstance(change, ParamSet):
        key, param = parts.value(change.module, change.param)
        return key, min(max(param.to_rail(change.value), 0.0), 1.0) if param else None
    if isinstance(change, SeriesSet):
        return (parts.name(change.module), change.series.replace("_", " "), change.module), None
    if isinstance(change, ModulePut | ModuleGone):
        module = change.module.id if isinstance(change, ModulePut) else change.module
        return (parts.name(module), "module", module), None
    if isinstance(change, LinkPut | LinkGone):
        return (LINKS, "", ""), None
    if isinstance(change, LayerPut | LayerGone):
        layer = change.layer.id if isinstance(change, LayerPut) else change.layer
        return (parts.layer(layer), "layer", ""), None
    kinds = {TempoSet: "tempo", SeedSet: "seed", LayoutSet: "layout"}
    return (PATCH, kinds[type(change)], ""), None


def told(take: Take, index: int) -> str:
    """An entry in words: when, who, from what to what.

    Parameters
    ----------
    take : Take
        The take.
    index : int
        Of the entry.

    Returns
    -------
    str
    """
    entry = take.entries[index]
    told = f"{time_told(entry.at / take.rate_hz)}  {_what_told(take, entry)}"
    return tr("{name}, muted", name=told) if entry.muted else told


def _what_told(take: Take, entry: Entry) -> str:
    parts, what = _Parts(take), entry.what
    if isinstance(what, Note):
        action = (
            tr("plays {note_name}", note_name=note_name(what.note))
            if what.velocity
            else tr("lets go of {note_name}", note_name=note_name(what.note))
        )
        return f"{parts.name(what.module)} {action}"
    if isinstance(what, Press):
        return f"{parts.name(what.module)}: {what.port} {tr('pressed') if what.high else tr('let go')}"
    if isinstance(what, Clear):
        return tr("{name} starts afresh", name=parts.name(what.module)) if what.module else tr("everything is silenced")
    if isinstance(what, Heard):
        return tr("the live input is recorded")
    before = take.patch_at(entry.at)
    found = differences(before, Take(before, take.rate_hz, (Entry(0, what),)).patch_at(1))
    lines = "; ".join(f"{one.where} {one.before} \u2192 {one.after}" for one in found[:MOST_TOLD])
    if len(found) > MOST_TOLD:
        return tr_count("{lines} and {count} more change", "{lines} and {count} more changes", len(found) - MOST_TOLD,
                        lines=lines)  # fmt: skip
    return lines or tr("nothing that is heard")


def compared(one: Take, other: Take) -> tuple[int, list[str], list[str]]:
    """What differs between two takes.

    Parameters
    ----------
    one, other : Take
        Both, counted in the same rate.

    Returns
    -------
    sample : int
        From which on they may sound otherwise; ``END``: never.
    only_one, only_other : list of str
        The entries that only one of them has, in words.
    """
    ours, theirs = list[int](), list[int]()
    a = b = 0
    while a < len(one.entries) or b < len(other.entries):
        first = one.entries[a] if a < len(one.entries) else None
        second = other.entries[b] if b < len(other.entries) else None
        if first is not None and first == second:
            a, b = a + 1, b + 1
        elif second is None or (first is not None and first.at <= second.at):
            ours.append(a)
            a += 1
        else:
            theirs.append(b)
            b += 1
    return (
        first_difference(one, other), [told(one, index) for index in ours], [told(other, index) for index in theirs],
    )  # fmt: skip
