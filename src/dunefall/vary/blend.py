"""Between two patches: a patch that is a share of the way from one to the other.

Values go in their own domain (frequencies and times in octaves), switches change half way, sequences step by step. What
only one of them has comes in, or goes, by the amounts of its links, and a layer by its level.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

from dunefall.catalogue.compounds import spec_for, target_of
from dunefall.catalogue.declare import ModuleSpec, Param
from dunefall.patch.model import Layer, Link, Module, Patch

__all__ = ["blended", "on_square"]

HALF = 0.5
LEVEL = "level_db"
SILENT_DB = -96.0


def blended(first: Patch, last: Patch, share: float) -> Patch:
    """A patch between two others.

    Parameters
    ----------
    first, last : Patch
        The ends; they are not changed. What is locked in the first one stays, and so does what is not heard.
    share : float [0, 1]
        How far: 0 is the first one, 1 the last one.

    Returns
    -------
    Patch
    """
    if share <= 0.0:
        return first
    layers = _layers(first, last, share)
    inside = {module.id for layer in layers for module in layer.modules}
    links = [link for link in _links(first, last, share) if {link.source.module, link.target.module} <= inside]
    late = share >= HALF
    tempo = math.exp((1.0 - share) * math.log(first.tempo_bpm) + share * math.log(last.tempo_bpm))
    return replace(
        first, layers=tuple(layers), links=tuple(links), tempo_bpm=last.tempo_bpm if share >= 1.0 else tempo,
        seed=last.seed if late else first.seed, layout=last.layout if late else first.layout,
    )  # fmt: skip


def on_square(corners: tuple[Patch, Patch, Patch, Patch], x: float, y: float) -> Patch:
    """A patch among four: those of the upper left, upper right, lower left and lower right corner.

    Parameters
    ----------
    corners : (Patch, Patch, Patch, Patch)
        The ends.
    x, y : float [0, 1]
        How far to the right, and down.

    Returns
    -------
    Patch
    """
    return blended(blended(corners[0], corners[1], x), blended(corners[2], corners[3], x), y)


def _layers(first: Patch, last: Patch, share: float) -> list[Layer]:
    """Those of both, in the order of the first one; at the end only what the last one has."""
    others = {layer.id: layer for layer in last.layers}
    modules = {module.id: module for module in last.modules()}
    known = {module.id for module in first.modules()}
    found = []
    for layer in first.layers:
        after = others.pop(layer.id, None)
        if after is None:
            if share < 1.0:
                found.append(replace(layer, modules=tuple(_faded(m, layer, 1.0 - share) for m in layer.modules)))
            continue
        kept = [
            _between(module, modules[module.id], share) if module.id in modules else module
            for module in layer.modules if module.id in modules or share < 1.0
        ]  # fmt: skip
        new = [module for module in after.modules if module.id not in known]
        voices = after if share >= HALF else layer
        ordered = _in_order([*kept, *new], after if share >= 1.0 else layer)
        found.append(replace(layer, modules=tuple(ordered), voices=voices.voices, spread=voices.spread,
                             meet=voices.meet))  # fmt: skip
    for layer in last.layers:
        if layer.id in others:
            found.append(
                replace(layer, modules=tuple(_faded(m, layer, share) for m in layer.modules if m.id not in known))
            )
    return found


def _in_order(modules: list[Module], layer: Layer) -> list[Module]:
    """Modules in the order of a layer; those that it does not have before its end."""
    place = {module.id: k for k, module in enumerate(layer.modules)}
    end = place.get(layer.output_id, len(place))
    return sorted(modules, key=lambda module: place.get(module.id, end - 0.5))


def _faded(module: Module, layer: Layer, share: float) -> Module:
    """A module of a layer that only one end has: its output is quieter."""
    if module.id != layer.output_id:
        return module
    level = module.params.get(LEVEL, 0.0) + 20.0 * math.log10(max(share, 1e-5))
    return replace(module, params={**module.params, LEVEL: max(SILENT_DB, level)})


def _between(first: Module, last: Module, share: float) -> Module:
    spec, late = spec_for(first), share >= HALF
    if spec is None or first.type != last.type or first.sound != last.sound:
        return replace(last, locked=first.locked) if late else first
    params = dict(first.params)
    for param in spec.params:
        a, b = (module.params.get(param.id, param.default) for module in (first, last))
        if a != b and param.id not in first.locked:
            params[param.id] = _value(param, a, b, share)
    series = _series(spec, first.series, last.series, share)
    return replace(first, params=params, series=series, bypassed=last.bypassed if late else first.bypassed)


def _value(param: Param, first: float, last: float, share: float) -> float:
    if share >= 1.0 or param.choices:
        return last if share >= HALF else first
    a, b = param.to_domain(first), param.to_domain(last)
    return param.from_domain(a + (b - a) * share)


def _series(
    spec: ModuleSpec, first: Mapping[str, tuple[float, ...]], last: Mapping[str, tuple[float, ...]], share: float
) -> dict[str, tuple[float, ...]]:
    """Step by step: one after the other is that of the last one; of two lengths the whole changes half way."""
    found = dict(first)
    for series in spec.series:
        a, b = (values.get(series.id, series.default) for values in (first, last))
        if a == b:
            continue
        if len(a) != len(b) or share >= 1.0:
            found[series.id] = b if share >= HALF else a
        else:
            done = round(share * len(a))
            found[series.id] = (*b[:done], *a[done:])
    return found


def _links(first: Patch, last: Patch, share: float) -> list[Link]:
    others = {link.id: link for link in last.links}
    found = []
    for link in first.links:
        after = others.pop(link.id, None)
        if after is not None and (after.source, after.target) != (link.source, link.target):
            others[link.id], after = after, None  # another link of the same name
        if after is not None:
            found.append(_link_between(first, link, after, share))
        elif share < 1.0:
            found.append(_weakened(link, 1.0 - share))
    used = {link.id for link in found}
    for link in last.links:
        if link.id in others:
            name = link.id if link.id not in used else f"{link.id}-b"
            found.append(replace(link if share >= 1.0 else _weakened(link, share), id=name))
    return found


def _link_between(patch: Patch, first: Link, last: Link, share: float) -> Link:
    """Amounts go from one to the other; a link that is off has none."""
    if share >= 1.0:
        return last
    if first == last or target_of(patch, first.target) is None:
        return first
    a, b = ((link.amount * link.on, link.offset * link.on) for link in (first, last))
    amount, offset = (x + (y - x) * share for x, y in zip(a, b, strict=True))
    curve = last.curve if share >= HALF else first.curve
    return replace(first, amount=amount, offset=offset, curve=curve, on=first.on or last.on)


def _weakened(link: Link, share: float) -> Link:
    return replace(link, amount=link.amount * share, offset=link.offset * share)
