"""The difference between two patches as a short list of changes, and patches made of a patch and such a list.

Only what is heard counts: titles, pins, folds and groups are left out. A list can be applied to another patch
than the one it was made from; what refers to a module that is not there changes nothing.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

from dunefall.patch.model import Layer, Link, Module, Patch

__all__ = [
    "Change",
    "LayerGone",
    "LayerPut",
    "LayoutSet",
    "LinkGone",
    "LinkPut",
    "ModuleGone",
    "ModulePut",
    "ParamSet",
    "SeedSet",
    "SeriesSet",
    "TempoSet",
    "apply_changes",
    "difference",
]


@dataclass(frozen=True)
class ParamSet:
    """A base value is now this."""

    module: str
    param: str
    value: float


@dataclass(frozen=True)
class SeriesSet:
    """A series of a module is now this."""

    module: str
    series: str
    values: tuple[float, ...]


@dataclass(frozen=True)
class TempoSet:
    """The tempo is now this."""

    bpm: float


@dataclass(frozen=True)
class SeedSet:
    """The seed is now this."""

    seed: int


@dataclass(frozen=True)
class LayoutSet:
    """The loudspeakers are now these."""

    layout: str


@dataclass(frozen=True)
class ModulePut:
    """A module is now at this place in a layer, whatever it was before."""

    layer: str
    index: int
    module: Module


@dataclass(frozen=True)
class ModuleGone:
    """A module is no longer there."""

    module: str


@dataclass(frozen=True)
class LinkPut:
    """A link is now at this place in the patch."""

    index: int
    link: Link


@dataclass(frozen=True)
class LinkGone:
    """A link is no longer there."""

    link: str


@dataclass(frozen=True)
class LayerPut:
    """A layer is now at this place; its modules are reported one by one."""

    index: int
    layer: Layer


@dataclass(frozen=True)
class LayerGone:
    """A layer is no longer there."""

    layer: str


Change = (
    ParamSet | SeriesSet | TempoSet | SeedSet | LayoutSet
    | ModulePut | ModuleGone | LinkPut | LinkGone | LayerPut | LayerGone
)  # fmt: skip
T = TypeVar("T", Module, Link, Layer)


def difference(before: Patch, after: Patch) -> tuple[Change, ...]:
    """What must change for ``before`` to sound as ``after``; empty if nothing.

    Parameters
    ----------
    before : Patch
        How it was.
    after : Patch
        How it is to be.

    Returns
    -------
    tuple[Change, ...]

    Examples
    --------
    >>> difference(Patch(tempo_bpm=90), Patch(tempo_bpm=92))
    (TempoSet(bpm=92),)
    """
    changes: list[Change] = []
    if after.tempo_bpm != before.tempo_bpm:
        changes.append(TempoSet(after.tempo_bpm))
    if after.seed != before.seed:
        changes.append(SeedSet(after.seed))
    if after.layout != before.layout:
        changes.append(LayoutSet(after.layout))
    if before.links is not after.links:
        gone, put, _ = _moved(before.links, after.links)
        changes += [LinkGone(link.id) for link in gone]
    else:
        put = []
    changes += _layer_changes(before, after)
    return (*changes, *(LinkPut(k, link) for k, link in put))


def _layer_changes(before: Patch, after: Patch) -> list[Change]:
    if before.layers is after.layers:
        return []
    there = {module.id for module in after.modules()}
    changes: list[Change] = [ModuleGone(module.id) for module in before.modules() if module.id not in there]
    heads = [
        [replace(layer, modules=(), folded=False, group="") for layer in patch.layers] for patch in (before, after)
    ]
    gone, put, _ = _moved(heads[0], heads[1])
    changes += [LayerGone(layer.id) for layer in gone]
    changes += [LayerPut(k, layer) for k, layer in put]
    old_layers = {layer.id: layer for layer in before.layers}
    for layer in after.layers:
        old = old_layers.get(layer.id)
        if old is not layer:
            changes += _module_changes(old.modules if old else (), layer, there)
    return changes


def _module_changes(before: Sequence[Module], layer: Layer, there: set[str]) -> list[Change]:
    changes: list[Change] = []
    old = {module.id: module for module in before}
    _, put, ordered = _moved([module for module in before if module.id in there], layer.modules)
    for k, module in put:
        known = old.get(module.id)
        if ordered and known is not None and _only_values(known, module):
            changes += [
                ParamSet(module.id, name, value)
                for name, value in module.params.items()
                if known.params.get(name) != value
            ]
            changes += [
                SeriesSet(module.id, name, values)
                for name, values in module.series.items()
                if known.series.get(name) != values
            ]
        else:
            changes.append(ModulePut(layer.id, k, module))
    return changes


def _only_values(before: Module, after: Module) -> bool:
    same = replace(before, params=after.params, series=after.series, locked=after.locked) == after
    return same and set(before.params) <= set(after.params) and set(before.series) <= set(after.series)


def _moved(before: Sequence[T], after: Sequence[T]) -> tuple[list[T], list[tuple[int, T]], bool]:
    """Removed items; those that are new, different or, if the order changed, all of them; whether it did not."""
    old = {item.id: item for item in before}
    ids = {item.id for item in after}
    stay = [item.id for item in before if item.id in ids]
    ordered = stay == [item.id for item in after if item.id in old]
    put = [(k, item) for k, item in enumerate(after) if not ordered or old.get(item.id) != item]
    return [item for item in before if item.id not in ids], put, ordered


def apply_changes(patch: Patch, changes: Sequence[Change]) -> Patch:
    """The patch with the changes made one after the other.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    changes : Changes
        What `difference` gave.

    Returns
    -------
    Patch
        A new patch.
    """
    values: list[ParamSet] = []
    for change in changes:
        if isinstance(change, ParamSet):
            values.append(change)
            continue
        patch, values = _with_values(patch, values), []
        patch = _apply(patch, change)
    return _with_values(patch, values)


def _with_values(patch: Patch, changes: Sequence[ParamSet]) -> Patch:
    """The patch with some base values set, all at once: a journal has thousands."""
    if not changes:
        return patch
    values = dict[str, dict[str, float]]()
    for change in changes:
        values.setdefault(change.module, {})[change.param] = change.value
    return replace(patch, layers=tuple(_layer_with(layer, values) for layer in patch.layers))


def _layer_with(layer: Layer, values: Mapping[str, Mapping[str, float]]) -> Layer:
    if not any(module.id in values for module in layer.modules):
        return layer
    return replace(layer, modules=tuple(
        replace(module, params={**module.params, **values[module.id]}) if module.id in values else module
        for module in layer.modules
    ))  # fmt: skip


def _apply(patch: Patch, change: Change) -> Patch:
    assert not isinstance(change, ParamSet)
    if isinstance(change, SeriesSet):
        known = _has(patch, change.module)
        return patch.with_series(change.module, {change.series: change.values}) if known else patch
    if isinstance(change, TempoSet):
        return replace(patch, tempo_bpm=change.bpm)
    if isinstance(change, SeedSet):
        return replace(patch, seed=change.seed)
    if isinstance(change, LayoutSet):
        return replace(patch, layout=change.layout)
    if isinstance(change, ModulePut):
        return _put_module(patch, change)
    if isinstance(change, ModuleGone):
        return patch.without_module(change.module) if _has(patch, change.module) else patch
    if isinstance(change, LinkPut):
        ends = _has(patch, change.link.source.module) and _has(patch, change.link.target.module)
        return replace(patch, links=_inserted(patch.links, change.link, change.index)) if ends else patch
    if isinstance(change, LinkGone):
        return patch.without_link(change.link)
    if isinstance(change, LayerPut):
        old = next((layer for layer in patch.layers if layer.id == change.layer.id), None)
        layer = replace(change.layer, modules=old.modules, folded=old.folded, group=old.group) if old else change.layer
        return replace(patch, layers=_inserted(patch.layers, layer, change.index))
    return patch.without_layer(change.layer) if any(x.id == change.layer for x in patch.layers) else patch


def _has(patch: Patch, module: str) -> bool:
    return patch.has(module)


def _inserted(items: tuple[T, ...], item: T, index: int) -> tuple[T, ...]:
    others = [other for other in items if other.id != item.id]
    others.insert(index, item)
    return tuple(others)


def _put_module(patch: Patch, change: ModulePut) -> Patch:
    if not any(layer.id == change.layer for layer in patch.layers):
        return patch
    layers = []
    for layer in patch.layers:
        if layer.id == change.layer:
            layer = replace(layer, modules=_inserted(layer.modules, change.module, change.index))
        elif any(module.id == change.module.id for module in layer.modules):
            layer = replace(layer, modules=tuple(m for m in layer.modules if m.id != change.module.id))
        layers.append(layer)
    return replace(patch, layers=tuple(layers))
