"""All modules, found by looking into the folders of the stages: one file each, declaration beside kernel."""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache
from types import MappingProxyType

import dunefall.dsp  # noqa: F401 - says how kernels are compiled
from dunefall.catalogue.declare import STAGES, ModuleSpec
from dunefall.catalogue.wording import in_words

__all__ = ["catalogue", "spec_of"]


@cache
def catalogue() -> MappingProxyType[str, ModuleSpec]:
    """Declarations by id, in the order of stages and names."""
    found: dict[str, ModuleSpec] = {}
    for stage in STAGES:
        package = importlib.import_module(f"{__name__}.{stage}")
        specs = [
            importlib.import_module(f"{package.__name__}.{entry.name}").MODULE
            for entry in pkgutil.iter_modules(package.__path__)
        ]
        for spec in sorted(specs, key=lambda spec: spec.name):
            if spec.stage != stage or spec.id in found:
                raise ValueError(f'module "{spec.id}" is declared twice or in the wrong folder "{stage}"')
            found[spec.id] = in_words(spec)
    return MappingProxyType(found)


def spec_of(type_id: str) -> ModuleSpec | None:
    """Declaration of a module type, or None for one that this version does not know."""
    return catalogue().get(type_id)
