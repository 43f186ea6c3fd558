"""The patch: an immutable tree that the engine, the window and the command line share.

An edit returns a new patch that shares all unchanged parts with the old one, so comparing two patches by
identity tells what changed, and undo is the old patch itself.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, fields, replace
from functools import cached_property

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.patch.family import NO_FAMILY, Family
from dunefall.patch.parts import (
    CURVES,
    MASTER_ID,
    MOST_NESTED,
    MOST_VOICES,
    OUTPUT_ID,
    SENDS_ID,
    SHARED_ID,
    UNTITLED,
    Compound,
    Control,
    KeptTake,
    Layer,
    Link,
    Module,
    Moment,
    Place,
    Port,
    SoundRef,
)  # fmt: skip

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
    "KeptTake",
    "Layer",
    "Link",
    "Module",
    "Moment",
    "Patch",
    "Place",
    "Port",
    "SoundRef",
    "same_parts",
]


@dataclass(frozen=True)
class Patch:
    """The document. Layers in their order, Shared first; ``layout`` is one of ``base.layouts``; ``about`` says in a
    sentence what is heard; ``family`` is what is kept of it beside how it is now; ``moments`` are marked in time;
    ``takes`` of it are kept."""

    title: str = UNTITLED
    seed: int = 1
    tempo_bpm: float = 92.0
    layout: str = "stereo"
    about: str = ""
    layers: tuple[Layer, ...] = (Layer(SHARED_ID, tr("Shared")),)
    links: tuple[Link, ...] = ()
    compounds: tuple[Compound, ...] = ()
    pins: tuple[Place, ...] = ()
    family: Family = NO_FAMILY
    moments: tuple[Moment, ...] = ()
    takes: tuple[KeptTake, ...] = ()
    extra: Mapping[str, object] = field(default_factory=dict)

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

    def forget_indexes(self) -> None:
        """Let go of what is worked out again when it is needed: they are most of a patch that is only kept."""
        for name in self.__dict__.keys() - {entry.name for entry in fields(self)}:
            del self.__dict__[name]

    def __getstate__(self) -> dict[str, object]:
        """What is sent to another process: the fields alone, and of what is kept nothing; it is not heard there."""
        return {entry.name: getattr(self, entry.name) for entry in fields(self)} | {"family": NO_FAMILY, "takes": ()}

    def has(self, module_id: str) -> bool:
        """Whether there is a module of this id."""
        return module_id in self._places

    def module(self, module_id: str) -> Module:
        """The module of this id; raises PatchError if there is none."""
        return self._place(module_id)[0]

    def layer_of(self, module_id: str) -> Layer:
        """The layer that contains a module; raises PatchError if there is none."""
        return self._place(module_id)[1]

    def _place(self, module_id: str) -> tuple[Module, Layer]:
        if module_id not in self._places:
            raise PatchError(tr('there is no module "{module_id}"', module_id=module_id))
        return self._places[module_id]

    def layer(self, layer_id: str) -> Layer:
        """The layer of this id; raises PatchError if there is none.

        Parameters
        ----------
        layer_id : str
            Id of the layer.

        Returns
        -------
        Layer

        Raises
        ------
        PatchError
            If there is no such layer.
        """
        for layer in self.layers:
            if layer.id == layer_id:
                return layer
        raise PatchError(tr('there is no layer "{layer_id}"', layer_id=layer_id))

    def link(self, link_id: str) -> Link:
        """The link of this id; raises PatchError if there is none.

        Parameters
        ----------
        link_id : str
            Id of the link.

        Returns
        -------
        Link

        Raises
        ------
        PatchError
            If there is no such link.
        """
        for link in self.links:
            if link.id == link_id:
                return link
        raise PatchError(tr('there is no link "{link_id}"', link_id=link_id))

    def links_into(self, module_id: str, port: str | None = None) -> tuple[Link, ...]:
        """Links that end in a module, or in one of its ports."""
        return tuple(link for link in self._ends[0].get(module_id, ()) if port in (None, link.target.port))

    def links_from(self, module_id: str) -> tuple[Link, ...]:
        """Links that start at a module."""
        return tuple(self._ends[1].get(module_id, ()))

    def free_id(self, stem: str) -> str:
        """An unused id such as ``filter-3``.

        Parameters
        ----------
        stem : str
            How it begins.

        Returns
        -------
        str

        Examples
        --------
        >>> Patch().free_id("link")
        'link-1'
        """
        used = {module.id for module in self.modules()}
        used |= {item.id for items in (self.layers, self.links, self.compounds) for item in items}
        number = 1
        while f"{stem}-{number}" in used:
            number += 1
        return f"{stem}-{number}"

    def with_layer(self, layer: Layer) -> Patch:
        """This patch with a layer replaced by the one of the same id, or added at the end.

        Parameters
        ----------
        layer : Layer
            The layer; one of the same id is replaced.

        Returns
        -------
        Patch
            The changed patch.
        """
        if any(old.id == layer.id for old in self.layers):
            return replace(self, layers=tuple(layer if old.id == layer.id else old for old in self.layers))
        return replace(self, layers=(*self.layers, layer))

    def without_layer(self, layer_id: str) -> Patch:
        """This patch without a layer, its modules and all their links.

        Parameters
        ----------
        layer_id : str
            Id of the layer.

        Returns
        -------
        Patch
            The changed patch.
        """
        gone = {module.id for module in self.layer(layer_id).modules}
        layers = tuple(layer for layer in self.layers if layer.id != layer_id)
        return replace(self, layers=layers)._without_loose_ends(gone)

    def with_module(self, module: Module) -> Patch:
        """This patch with a module replaced by the one of the same id.

        Parameters
        ----------
        module : Module
            The module; one of the same id is replaced.

        Returns
        -------
        Patch
            The changed patch.
        """
        layer = self.layer_of(module.id)
        modules = tuple(module if old.id == module.id else old for old in layer.modules)
        return self.with_layer(replace(layer, modules=modules))

    def with_new_module(self, layer_id: str, module: Module) -> Patch:
        """This patch with a module added to a layer.

        Parameters
        ----------
        layer_id : str
            Id of the layer.
        module : Module
            The new module.

        Returns
        -------
        Patch
            The changed patch.
        """
        layer = self.layer(layer_id)
        return self.with_layer(replace(layer, modules=(*layer.modules, module)))

    def without_module(self, module_id: str) -> Patch:
        """This patch without a module and all its links.

        Parameters
        ----------
        module_id : str
            Id of the module.

        Returns
        -------
        Patch
            The changed patch.
        """
        layer = self.layer_of(module_id)
        kept = tuple(module for module in layer.modules if module.id != module_id)
        return self.with_layer(replace(layer, modules=kept))._without_loose_ends({module_id})

    def with_param(self, module_id: str, param: str, value: float) -> Patch:
        """This patch with one base value changed.

        Parameters
        ----------
        module_id : str
            Id of the module.
        param : str
            Id of the parameter.
        value : float
            The value, in its unit.

        Returns
        -------
        Patch
            The changed patch.
        """
        module = self.module(module_id)
        return self.with_module(replace(module, params={**module.params, param: value}))

    def with_series(self, module_id: str, series: Mapping[str, tuple[float, ...]]) -> Patch:
        """This patch with some series of a module changed.

        Parameters
        ----------
        module_id : str
            Id of the module.
        series : mapping of str to tuple of float
            Numbers by the id of the series.

        Returns
        -------
        Patch
            The changed patch.
        """
        module = self.module(module_id)
        return self.with_module(replace(module, series={**module.series, **series}))

    def with_link(self, link: Link) -> Patch:
        """This patch with a link replaced by the one of the same id, or added.

        Parameters
        ----------
        link : Link
            The link; one of the same id is replaced.

        Returns
        -------
        Patch
            The changed patch.
        """
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
    """Compounds without removed items; an emptied one is removed, too."""
    while compounds and gone:
        left = tuple(compound.without(gone) for compound in compounds)
        gone = {compound.id for compound in left if not compound.parts}
        compounds = tuple(compound for compound in left if compound.parts)
    return compounds


def same_parts(a: Patch, b: Patch) -> bool:
    """Whether two patches have the same layers, modules and links, whatever their values.

    Parameters
    ----------
    a, b : Patch
        Both.

    Returns
    -------
    bool
    """

    def parts(patch: Patch) -> object:
        layers = [(layer.id, [module.id for module in layer.modules]) for layer in patch.layers]
        return layers, [(link.id, link.source, link.target) for link in patch.links]

    return parts(a) == parts(b)
