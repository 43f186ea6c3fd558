"""How two patches differ for a program: in values only, which glide, or in their structure."""

from __future__ import annotations

from collections.abc import Mapping

from dunefall.catalogue import spec_of
from dunefall.compiler.build import base_value
from dunefall.compiler.channels import widths
from dunefall.patch.mixing import heard
from dunefall.patch.model import Patch

__all__ = ["same_structure", "series_changes", "value_changes"]


def same_structure(a: Patch, b: Patch) -> bool:
    """Whether two patches differ in values only, so that a running program can glide from one to the other.

    Parameters
    ----------
    a : Patch
        A patch.
    b : Patch
        Another patch.

    Returns
    -------
    bool
    """

    def shape(patch: Patch) -> object:
        layers = tuple((layer.id, layer.voices, layer.spread, layer.meet) for layer in patch.layers)
        modules = tuple((layer.id, m.id, m.type, m.bypassed, m.sound) for layer in patch.layers for m in layer.modules)
        links = tuple((x.id, x.source, x.target, x.curve, x.on) for x in patch.links)
        return patch.seed, patch.layout, layers, modules, links, widths(patch), _chosen(patch)

    return shape(a) == shape(b)


def _chosen(patch: Patch) -> tuple[float, ...]:
    """What a program is made for beside its structure: memories of the size that a value asks for, computed places."""
    found = [(module, spec_of(module.type)) for module in patch.modules()]
    sizes = (spec.memory_size(module.params, 1.0) for module, spec in found if spec and callable(spec.memory_s))
    return (*sizes, *(m.params.get("place", 0.0) for m, spec in found if spec and spec.sound == "response"))


def value_changes(before: Patch, after: Patch) -> Mapping[tuple[str, str], float]:
    """Base values, in their domains, that differ between two patches of the same structure.

    Parameters
    ----------
    before : Patch
        How it was.
    after : Patch
        How it is to be.

    Returns
    -------
    Mapping[tuple[str, str], float]
    """
    changes: dict[tuple[str, str], float] = {}
    for old, new in zip(before.modules(), after.modules(), strict=True):
        if old is new and before.tempo_bpm == after.tempo_bpm and heard(before, old) == heard(after, new):
            continue
        spec = spec_of(new.type)
        for param in spec.params if spec else ():
            value = base_value(after, new, param)
            if value != base_value(before, old, param):
                changes[(new.id, param.id)] = param.to_domain(value)
    return changes


def series_changes(before: Patch, after: Patch) -> Mapping[tuple[str, str], tuple[float, ...]]:
    """Series that differ between two patches of the same structure."""
    return {
        (new.id, series.id): values
        for old, new in zip(before.modules(), after.modules(), strict=True)
        if old is not new and (spec := spec_of(new.type))
        for series in spec.series
        if (values := new.series.get(series.id, series.default)) != old.series.get(series.id, series.default)
    }
