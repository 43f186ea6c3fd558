"""What makes two patches differ: each change with its values, and how much of it is heard."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.descriptors import audible_difference_db
from dunefall.base.language import tr, tr_count
from dunefall.base.units import format_amount, format_value
from dunefall.base.words import listed
from dunefall.catalogue.compounds import spec_for, target_of
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
    apply_changes,
    difference,
)  # fmt: skip
from dunefall.patch.model import Layer, Link, Module, Patch
from dunefall.render.offline import render_to_array
from dunefall.vary.variations import RATE, by_itself

__all__ = ["GROUPS", "Difference", "Effect", "differences", "effect_of", "effects", "touched_by"]

GROUPS = ((3.0, tr("plainly heard")), (0.7, tr("heard side by side")), (0.0, tr("hardly heard")))
"""From so many dB on (see ``audible_difference_db``; the project's own rule) a change is called so."""
THERE, NOT_THERE = tr("there"), tr("not there")
ON_OFF = (tr("off"), tr("on"))


@dataclass(frozen=True)
class Difference:
    """One thing that differs.

    Attributes
    ----------
    where, before, after : str
        Its place, such as ``Low-pass · Cutoff``, and its values in words.
    changes : tuple of Change
        What makes it so, and nothing else, in the patch of before.
    """

    where: str
    before: str
    after: str
    changes: tuple[Change, ...]


@dataclass(frozen=True)
class Effect:
    """A difference with what is heard of it, in dB, and its group's name."""

    difference: Difference
    size_db: float
    group: str


def differences(before: Patch, after: Patch) -> list[Difference]:
    """Everything that differs in what is heard, in the order of the patch.

    Parameters
    ----------
    before, after : Patch
        The patches; they are not changed.

    Returns
    -------
    list of Difference
    """
    changes = difference(before, after)
    new = {c.module.id for c in changes if isinstance(c, ModulePut) and not before.has(c.module.id)}
    gone = {c.module for c in changes if isinstance(c, ModuleGone)}
    found = [*_coming(after, changes, new), *_going(before, changes, gone)]
    for change in changes:
        if isinstance(change, ModulePut) and change.module.id not in new:
            found += _in_module(before, change)
        elif isinstance(change, LinkPut) and not {change.link.source.module, change.link.target.module} & new:
            found += _in_link(before, after, change)
        elif isinstance(change, LinkGone) and not _ends(before, change.link) & gone:
            link = before.link(change.link)
            found.append(Difference(_link_told(before, link), THERE, NOT_THERE, (change,)))
        else:
            found += _simple(before, change)
    return found


def _ends(patch: Patch, link_id: str) -> set[str]:
    link = patch.link(link_id)
    return {link.source.module, link.target.module}


def _coming(after: Patch, changes: Sequence[Change], new: Collection[str]) -> list[Difference]:
    """What is new, layer by layer, with its links."""
    found = []
    for layer in after.layers:
        modules = [module for module in layer.modules if module.id in new]
        if modules:
            names = {module.id for module in modules}
            parts = tuple(c for c in changes if _brings(c, names, layer.id, new))
            what = f"{layer.name} · {_names(modules)}"
            found.append(Difference(what, NOT_THERE, THERE, parts))
    return found


def _brings(change: Change, names: Collection[str], layer: str, new: Collection[str]) -> bool:
    """Whether a change belongs to what is new in a layer; links among new things belong to the one that is fed."""
    if isinstance(change, LayerPut):
        return change.layer.id == layer
    if isinstance(change, ModulePut):
        return change.module.id in names
    if not isinstance(change, LinkPut):
        return False
    source, target = change.link.source.module, change.link.target.module
    return target in names or (source in names and target not in new)


def _going(before: Patch, changes: Sequence[Change], gone: Collection[str]) -> list[Difference]:
    found = []
    for layer in before.layers:
        modules = [module for module in layer.modules if module.id in gone]
        if modules:
            names = {module.id for module in modules}
            parts = tuple(
                c for c in changes if (isinstance(c, ModuleGone) and c.module in names)
                or (isinstance(c, LayerGone) and c.layer == layer.id)
            )  # fmt: skip
            found.append(Difference(f"{layer.name} · {_names(modules)}", THERE, NOT_THERE, parts))
    return found


def _names(modules: Sequence[Module]) -> str:
    return (
        listed([module.name for module in modules])
        if len(modules) <= 4
        else tr_count("{count} module", "{count} modules", len(modules))
    )


def _in_module(before: Patch, change: ModulePut) -> list[Difference]:
    """A module that stays: its values, series, bypass, and whatever else it is made of."""
    old, new = before.module(change.module.id), change.module
    spec, found = spec_for(new), list[Difference]()
    if spec is not None and old.type == new.type:
        for param in spec.params:
            found += _value_told(old, param, ParamSet(new.id, param.id, new.params.get(param.id, param.default)))
        for series in spec.series:
            values, changed = (module.series.get(series.id, series.default) for module in (old, new))
            if values != changed:
                found.append(_series_told(new, series.name, values, changed, SeriesSet(new.id, series.id, changed)))
    if old.bypassed != new.bypassed:
        put = replace(change, module=replace(old, bypassed=new.bypassed))
        found.append(
            Difference(tr("{name} · Bypass", name=new.name), ON_OFF[old.bypassed], ON_OFF[new.bypassed], (put,))
        )
    if (old.type, old.sound) != (new.type, new.sound):
        found.append(Difference(new.name, _kind(old), _kind(new), (change,)))
    return found


def _value_told(module: Module, param: Param, change: ParamSet) -> list[Difference]:
    now = module.params.get(param.id, param.default)
    if now == change.value:
        return []
    return [Difference(f"{module.name} · {param.name}", param.format(now), param.format(change.value), (change,))]


def _kind(module: Module) -> str:
    spec = spec_for(module)
    kind = spec.name if spec else module.type
    return f"{kind}, {module.sound.path}" if module.sound else kind


def _series_told(
    module: Module, name: str, before: Sequence[float], after: Sequence[float], change: Change
) -> Difference:
    def told(values: Sequence[float]) -> str:
        shown = " ".join(f"{value:g}" for value in values[:6])
        return f"{shown} …" if len(values) > 6 else shown

    return Difference(f"{module.name} · {name}", told(before), told(after), (change,))


def _link_told(patch: Patch, link: Link) -> str:
    target = target_of(patch, link.target)
    source, into = patch.module(link.source.module).name, patch.module(link.target.module).name
    return f"{source} → {into}{f' · {target.name}' if target else ''}"


def _in_link(before: Patch, after: Patch, change: LinkPut) -> list[Difference]:
    new, target = change.link, target_of(after, change.link.target)
    unit, where = target.unit if target else "none", _link_told(after, change.link)
    old = next((link for link in before.links if link.id == new.id), None)
    if old is None:
        return [Difference(where, NOT_THERE, THERE, (change,))]
    if old.on and new.on and (old.amount, old.offset) != (new.amount, new.offset):
        return [Difference(where, _amount_told(old, unit), _amount_told(new, unit), (change,))]
    if old.on != new.on:
        return [Difference(where, ON_OFF[old.on], ON_OFF[new.on], (change,))]
    if (old.source, old.target, old.curve) == (new.source, new.target, new.curve):
        return []  # it only stands elsewhere in the list
    return [Difference(where, f"{_link_told(before, old)}, {old.curve}", new.curve, (change,))]


def _amount_told(link: Link, unit: str) -> str:
    amount, added = format_amount(link.amount, unit), format_amount(link.offset, unit)
    return tr("{amount}, {added} added", amount=amount, added=added) if link.offset else amount


def _simple(before: Patch, change: Change) -> list[Difference]:
    """Values, and what is the patch's own."""
    if isinstance(change, ParamSet):
        module = before.module(change.module)
        spec = spec_for(module)
        return _value_told(module, spec.param(change.param), change) if spec else []
    if isinstance(change, SeriesSet):
        module = before.module(change.module)
        spec = spec_for(module)
        found = next((series for series in spec.series if series.id == change.series), None) if spec else None
        now_drawn = module.series.get(change.series, found.default if found else ())
        return [_series_told(module, found.name, now_drawn, change.values, change)] if found else []
    if isinstance(change, TempoSet):
        return [
            Difference(tr("Tempo"), format_value(before.tempo_bpm, "bpm"), format_value(change.bpm, "bpm"), (change,))
        ]
    if isinstance(change, SeedSet):
        return [Difference(tr("Seed"), f"{before.seed:04d}", f"{change.seed:04d}", (change,))]
    if isinstance(change, LayoutSet):
        return [Difference(tr("Loudspeakers"), before.layout, change.layout, (change,))]
    if isinstance(change, LayerPut):
        return _in_layer(before, change)
    return []


def _in_layer(before: Patch, change: LayerPut) -> list[Difference]:
    new = change.layer
    old = next((layer for layer in before.layers if layer.id == new.id), new)
    if (old.voices, old.spread, old.meet) == (new.voices, new.spread, new.meet):
        return []
    return [Difference(tr("{name} · Voices", name=old.name), _voices_told(old), _voices_told(new), (change,))]


def _voices_told(layer: Layer) -> str:
    return tr("{voices}, {format_value} apart", voices=layer.voices, format_value=format_value(layer.spread, "ratio"))


def _touched(patch: Patch, found: Sequence[Difference]) -> set[str]:
    """Ids of the modules that differ, of those that the patch has; empty where the whole patch is another."""
    touched = set[str]()
    for change in (change for one in found for change in one.changes):
        if isinstance(change, TempoSet | SeedSet | LayoutSet):
            return set()
        if isinstance(change, LinkPut):
            touched.add(change.link.target.module)
        elif isinstance(change, LinkGone):
            touched.add(patch.link(change.link).target.module)
        elif isinstance(change, ModulePut):
            layers = [layer for layer in patch.layers if layer.id == change.layer]
            touched |= {module.id for layer in layers for module in layer.modules}
        elif isinstance(change, ParamSet | SeriesSet | ModuleGone):
            touched.add(change.module)
    return {module for module in touched if patch.has(module)}


def touched_by(before: Patch, found: Sequence[Difference]) -> frozenset[str]:
    """Modules whose layers are listened to, alone, to tell how much is heard of what differs.

    Parameters
    ----------
    before : Patch
        The patch; it is not changed.
    found : sequence of Difference
        What differs.

    Returns
    -------
    frozenset of str
    """
    return frozenset(_touched(before, found))


_last: list[tuple[Patch, float, NDArray[np.float64]]] = []


def _sound_of(patch: Patch, seconds: float) -> NDArray[np.float64]:
    """The sound of a patch; that of the last one is at hand."""
    if not _last or _last[0][:2] != (patch, seconds):
        _last[:] = [(patch, seconds, render_to_array(patch, seconds=seconds, rate=RATE))]
    return _last[0][2]


def effect_of(before: Patch, one: Difference, touched: frozenset[str], seconds: float) -> Effect:
    """How much of a difference is heard: the patch with that one change against the patch without.

    Parameters
    ----------
    before : Patch
        The patch; it is not changed.
    one : Difference
        What differs.
    touched : frozenset of str
        See ``touched_by``.
    seconds : float
        So long it is listened to.

    Returns
    -------
    Effect
    """
    first = _sound_of(by_itself(before, touched), seconds)
    sound = render_to_array(by_itself(apply_changes(before, one.changes), touched), seconds=seconds, rate=RATE)
    size = audible_difference_db(first, sound, RATE)
    return Effect(one, size, next(name for least, name in GROUPS if size >= least))


def effects(before: Patch, found: Sequence[Difference], seconds: float) -> Iterator[Effect]:
    """How much of each difference is heard, of all layers that differ, alone.

    Parameters
    ----------
    before : Patch
        The patch; it is not changed.
    found : sequence of Difference
        What differs.
    seconds : float
        So long each is listened to.

    Yields
    ------
    Effect
        In the order of the differences.
    """
    touched = touched_by(before, found)
    for one in found:
        yield effect_of(before, one, touched, seconds)
