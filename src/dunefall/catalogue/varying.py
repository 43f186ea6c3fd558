"""Random values, with taste: near to what is there, in musical steps, never louder, locks respected."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace
from random import Random

from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Param
from dunefall.patch.model import Module, Patch

__all__ = ["KINDS", "kind_of", "varied"]

KINDS = ("pitches", "times", "frequencies", "amounts", "choices")
"""What can be left as it is or varied, by the unit of a value."""
_UNITS = {
    "note": "pitches", "st": "pitches", "cents": "pitches", "s": "times", "beats": "times", "bpm": "times",
    "hz": "frequencies", "shift": "frequencies", "choice": "choices",
}  # fmt: skip
WIDEST = 0.35
"""Standard deviation at full strength, as a share of a rail."""
EDGE = 0.02
"""Values stay so far from the ends of their rails: nothing falls silent or runs wild by chance."""
CHOICE_CHANCE = 0.5


def kind_of(param: Param) -> str:
    """Which of ``KINDS`` a parameter is."""
    return _UNITS.get(param.unit, "amounts")


def varied(
    patch: Patch, modules: Collection[str], strength: float, kinds: Collection[str] = KINDS, *, seed: int
) -> Patch:
    """A patch with some modules' values randomised.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    modules : collection of str
        Ids of the modules.
    strength : float (0, 1]
        How far they go.
    kinds : collection of str
        Which kinds of values.
    seed : int
        The same seed gives the same values.

    Levels in dB only go down, pitches in whole semitones; layers' ends and the master stay, and so do values that are
    locked, follow from the patch or do not count.

    Returns
    -------
    Patch
    """
    chance = Random(seed)
    for name in sorted(modules):
        module = patch.module(name)
        spec = spec_for(module)
        if spec is None or spec.ends:
            continue
        params = dict(module.params)
        for param in spec.params:
            free = not param.follows and param.id not in module.locked and spec.counts(param, params)
            if free and kind_of(param) in kinds:
                params[param.id] = _other(param, params.get(param.id, param.default), strength, chance)
        if params != module.params:
            patch = patch.with_module(_without_defaults(module, params))
    return patch


def _without_defaults(module: Module, params: dict[str, float]) -> Module:
    """The module with values that were given before, or are not the declared ones."""
    spec = spec_for(module)
    assert spec is not None
    kept = {k: v for k, v in params.items() if k in module.params or v != spec.param(k).default}
    return replace(module, params=kept)


def _other(param: Param, now: float, strength: float, chance: Random) -> float:
    if param.unit == "choice":
        change = chance.random() < CHOICE_CHANCE * strength
        return float(chance.randint(round(param.low), round(param.high))) if change else now
    place = param.to_rail(now) + chance.gauss(0.0, WIDEST * strength)
    place = abs(place)
    place = 2.0 - place if place > 1.0 else place
    value = param.from_rail(min(max(place, EDGE), 1.0 - EDGE))
    if param.unit == "db":
        value = min(value, now)
    if param.unit in ("note", "st") or param.whole:
        value = round(value)
    return round(min(max(value, param.low), param.high), 5)
