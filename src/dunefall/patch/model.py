"""The patch: an immutable tree that the engine, the window and the command line share.

An edit returns a new patch that shares all unchanged parts with the old one, so comparing two patches by
identity tells what changed, and undo is the old patch itself.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from typing import Any

from dunefall.base.errors import PatchError

__all__ = [
    "CURVES",
    "MASTER_ID",
    "MOST_NESTED",
    "MOST_VOICES",
    "OUTPUT_ID",
    "SENDS_ID",
    "SHARED_ID",
    "UNTITLED",
    "Compound",
    "Control",
    "Layer",
    "Link",
    "Module",
    "Patch",
    "Place",
    "Port",
    "SoundRef",
]

SHARED_ID = "shared"
MASTER_ID = "master"
UNTITLED = "Untitled"
OUTPUT_ID = "output"
SENDS_ID = "sends"
MOST_VOICES = 16
MOST_NESTED = 4
"""Compounds within compounds, the outermost one counted."""
CURVES = ("straight", "late", "early", "smooth")
"""Response curves of a link: as it is; slow start; fast start; slow at both ends."""


@dataclass(frozen=True)
class SoundRef:
    """A sound file that a module plays.

    Attributes
    ----------
    path : str
        Where it lies: absolute in an open patch, relative to the patch in a file.
    digest : str
        Of its bytes: tells whether it is still the same sound.
    """

    path: str
    digest: str


@dataclass(frozen=True)
class Module:
    """One processing unit.

    Attributes
    ----------
    id : str
        Unique in the patch and never changed: the module's random numbers are keyed by it.
    type : str
        The id of its declaration in the catalogue.
    name : str
        The user's name for it.
    params : mapping of str to float
        Base values that differ from the declared defaults; choices by index.
    bypassed : bool
        Passes its sound on unchanged, or rests.
    sound : SoundRef or None
        The file that it plays.
    series : mapping of str to tuple of float
        Series of numbers that differ from the declared defaults: steps, points, lists.
    locked : frozenset of str
        Parameters that chance leaves alone when values are randomised.
    extra : mapping
        Fields of the file that this version does not know; kept and saved again.
    """

    id: str
    type: str
    name: str
    params: Mapping[str, float] = field(default_factory=dict)
    bypassed: bool = False
    sound: SoundRef | None = None
    series: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    locked: frozenset[str] = frozenset()
    extra: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Place:
    """A port or parameter of a module."""

    module: str
    port: str

    def __str__(self) -> str:
        return f"{self.module}.{self.port}"

    @property
    def inner(self) -> Place:
        """The place itself; where it is a port of a closed compound (named ``module.port``), that module's port."""
        module, dot, port = self.port.partition(".")
        return Place(module, port) if dot else self


@dataclass(frozen=True)
class Link:
    """A connection from an output to an input or parameter.

    Attributes
    ----------
    amount : float
        Change of the target, in its own domain and unit, per 1.0 of the source.
    offset : float
        Added to the target in the same unit, whatever the source does.
    curve : str
        One of ``CURVES``, applied to the source.
    on : bool
        A link that is off changes nothing.
    """

    id: str
    source: Place
    target: Place
    amount: float = 1.0
    offset: float = 0.0
    curve: str = "straight"
    on: bool = True
    extra: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Layer:
    """One voice of the soundscape, or Shared. Every layer but Shared ends in an output module.

    Attributes
    ----------
    voices : int
        How often its modules stand side by side (1 to ``MOST_VOICES``), each with random numbers of its own.
    spread : float [0, 1]
        How far its voices stand apart in pitch, frequencies and times.
    meet : str
        Module at which the voices meet: it and what follows run once. Empty: the layer's output.
    effects : bool
        A shared effect lane: it takes what the layers send.
    group : str
        Layers of the same name here are moved, muted and soloed together in the mix; empty: none.
    """

    id: str
    name: str
    modules: tuple[Module, ...] = ()
    folded: bool = False
    voices: int = 1
    spread: float = 0.5
    meet: str = ""
    effects: bool = False
    group: str = ""
    extra: Mapping[str, Any] = field(default_factory=dict)

    @property
    def output_id(self) -> str:
        """Id of the module in which the layer's sound ends."""
        return f"{self.id}-{OUTPUT_ID}"

    @property
    def sends_id(self) -> str:
        """Id of the module in which an effect lane takes what is sent to it."""
        return f"{self.id}-{SENDS_ID}"


@dataclass(frozen=True)
class Control:
    """A parameter of a module in a compound, under a name and within a range of the compound's own."""

    place: Place
    name: str
    low: float
    high: float


@dataclass(frozen=True)
class Port:
    """An input or output of a module in a compound, under a name of the compound's own."""

    place: Place
    name: str


@dataclass(frozen=True)
class Compound:
    """Some modules of one layer that are shown and used as one. What sounds is the modules: a compound changes nothing.

    Attributes
    ----------
    id : str
        Unique among modules, layers and compounds.
    parts : tuple of str
        The modules, and the compounds, that stand directly in it; each stands in one compound at most.
    controls : tuple of Control
        The first one's value stands on its card.
    ports : tuple of Port
        Inputs and outputs in their order; the first output is the one that its card shows.
    bypassed : bool
        All its modules are; ``resting`` are those that were before.
    library : str
        The file in the user's library that it came from or went to last; empty: none.
    digest : str
        Of that file's bytes.
    """

    id: str
    name: str
    about: str = ""
    parts: tuple[str, ...] = ()
    controls: tuple[Control, ...] = ()
    ports: tuple[Port, ...] = ()
    bypassed: bool = False
    resting: tuple[str, ...] = ()
    library: str = ""
    digest: str = ""
    extra: Mapping[str, Any] = field(default_factory=dict)

    def names(self) -> dict[Place, str]:
        """The names of its controls and ports, by the places inside."""
        return {x.place: x.name for x in self.controls} | {x.place: x.name for x in self.ports}

    def without(self, gone: Collection[str]) -> Compound:
        """This compound without some of its modules and compounds."""
        kept = tuple(part for part in self.parts if part not in gone)
        controls = tuple(control for control in self.controls if control.place.module not in gone)
        ports = tuple(port for port in self.ports if port.place.module not in gone)
        resting = tuple(module for module in self.resting if module not in gone)
        return replace(self, parts=kept, controls=controls, ports=ports, resting=resting)


@dataclass(frozen=True)
class Patch:
    """The document. Layers in their order, Shared first; ``layout`` is one of ``base.layouts``; ``about`` says in a
    sentence what is heard."""

    title: str = UNTITLED
    seed: int = 1
    tempo_bpm: float = 92.0
    layout: str = "stereo"
    about: str = ""
    layers: tuple[Layer, ...] = (Layer(SHARED_ID, "Shared"),)
    links: tuple[Link, ...] = ()
    compounds: tuple[Compound, ...] = ()
    pins: tuple[Place, ...] = ()
    extra: Mapping[str, Any] = field(default_factory=dict)

    def modules(self) -> Iterator[Module]:
        """All modules, layer by layer."""
        for layer in self.layers:
            yield from layer.modules

    @cached_property
    def _places(self) -> dict[str, tuple[Module, Layer]]:
        """Each module by its id, with its layer."""
        return {module.id: (module, layer) for layer in self.layers for module in layer.modules}

    @cached_property
    def _ends(self) -> tuple[dict[str, list[Link]], dict[str, list[Link]]]:
        """Links by the module in which they end, and by the one where they start."""
        into: dict[str, list[Link]] = {}
        start: dict[str, list[Link]] = {}
        for link in self.links:
            into.setdefault(link.target.module, []).append(link)
            start.setdefault(link.source.module, []).append(link)
        return into, start

    def __getstate__(self) -> dict[str, Any]:
        """What is sent to another process: the fields alone."""
        return {entry.name: getattr(self, entry.name) for entry in fields(self)}

    def has(self, module_id: str) -> bool:
        """Whether there is a module of this id."""
        return module_id in self._places

    def module(self, module_id: str) -> Module:
        """The module of this id; raises PatchError if there is none."""
        return self._place(module_id)[0]

    def layer_of(self, module_id: str) -> Layer:
        """The layer in which a module stands; raises PatchError if there is none."""
        return self._place(module_id)[1]

    def _place(self, module_id: str) -> tuple[Module, Layer]:
        if module_id not in self._places:
            raise PatchError(f'there is no module "{module_id}"')
        return self._places[module_id]

    def layer(self, layer_id: str) -> Layer:
        """The layer of this id; raises PatchError if there is none."""
        for layer in self.layers:
            if layer.id == layer_id:
                return layer
        raise PatchError(f'there is no layer "{layer_id}"')

    def link(self, link_id: str) -> Link:
        """The link of this id; raises PatchError if there is none."""
        for link in self.links:
            if link.id == link_id:
                return link
        raise PatchError(f'there is no link "{link_id}"')

    def links_into(self, module_id: str, port: str | None = None) -> tuple[Link, ...]:
        """Links that end in a module, or in one of its ports."""
        return tuple(link for link in self._ends[0].get(module_id, ()) if port in (None, link.target.port))

    def links_from(self, module_id: str) -> tuple[Link, ...]:
        """Links that start at a module."""
        return tuple(self._ends[1].get(module_id, ()))

    def free_id(self, stem: str) -> str:
        """An id that no module, layer or link has yet, such as ``filter-3``."""
        used = {module.id for module in self.modules()}
        used |= {item.id for items in (self.layers, self.links, self.compounds) for item in items}
        number = 1
        while f"{stem}-{number}" in used:
            number += 1
        return f"{stem}-{number}"

    def with_layer(self, layer: Layer) -> Patch:
        """This patch with a layer replaced by the one of the same id, or added at the end."""
        if any(old.id == layer.id for old in self.layers):
            return replace(self, layers=tuple(layer if old.id == layer.id else old for old in self.layers))
        return replace(self, layers=(*self.layers, layer))

    def without_layer(self, layer_id: str) -> Patch:
        """This patch without a layer, its modules and all their links."""
        gone = {module.id for module in self.layer(layer_id).modules}
        layers = tuple(layer for layer in self.layers if layer.id != layer_id)
        return replace(self, layers=layers)._without_loose_ends(gone)

    def with_module(self, module: Module) -> Patch:
        """This patch with a module replaced by the one of the same id."""
        layer = self.layer_of(module.id)
        modules = tuple(module if old.id == module.id else old for old in layer.modules)
        return self.with_layer(replace(layer, modules=modules))

    def with_new_module(self, layer_id: str, module: Module) -> Patch:
        """This patch with a module added to a layer."""
        layer = self.layer(layer_id)
        return self.with_layer(replace(layer, modules=(*layer.modules, module)))

    def without_module(self, module_id: str) -> Patch:
        """This patch without a module and all its links."""
        layer = self.layer_of(module_id)
        kept = tuple(module for module in layer.modules if module.id != module_id)
        return self.with_layer(replace(layer, modules=kept))._without_loose_ends({module_id})

    def with_param(self, module_id: str, param: str, value: float) -> Patch:
        """This patch with one base value changed."""
        module = self.module(module_id)
        return self.with_module(replace(module, params={**module.params, param: value}))

    def with_series(self, module_id: str, series: Mapping[str, tuple[float, ...]]) -> Patch:
        """This patch with some series of a module changed."""
        module = self.module(module_id)
        return self.with_module(replace(module, series={**module.series, **series}))

    def with_link(self, link: Link) -> Patch:
        """This patch with a link replaced by the one of the same id, or added."""
        if any(old.id == link.id for old in self.links):
            return replace(self, links=tuple(link if old.id == link.id else old for old in self.links))
        return replace(self, links=(*self.links, link))

    def without_link(self, link_id: str) -> Patch:
        """This patch without a link."""
        return replace(self, links=tuple(link for link in self.links if link.id != link_id))

    def _without_loose_ends(self, gone: set[str]) -> Patch:
        links = tuple(x for x in self.links if x.source.module not in gone and x.target.module not in gone)
        pins = tuple(pin for pin in self.pins if pin.module not in gone)
        return replace(self, links=links, pins=pins, compounds=_left_of(self.compounds, gone))


def _left_of(compounds: tuple[Compound, ...], gone: set[str]) -> tuple[Compound, ...]:
    """Compounds without what is gone; one that nothing is left of is gone, too."""
    while compounds and gone:
        left = tuple(compound.without(gone) for compound in compounds)
        gone = {compound.id for compound in left if not compound.parts}
        compounds = tuple(compound for compound in left if compound.parts)
    return compounds
