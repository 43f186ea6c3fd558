"""Random values, with taste: near to what is there, in musical steps, never louder, locks respected."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace
from random import Random

from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import ModuleSpec, Param
from dunefall.patch.model import Module, Patch

__all__ = ["KINDS", "is_free", "kind_of", "varied"]

KINDS = ("pitch", "rhythm", "tone", "space", "chance", "choices")
"""What can be left as it is or varied."""
_PITCHES, _RATES = ("note", "st", "cents"), ("hz", "beats", "bpm")
_BY_CHANCE = frozenset((
    "probability", "jitter", "humanise", "surprise", "chance", "unevenness", "scatter", "scatter_ct", "scatter_st",
    "leaps", "repeats", "heat", "drift", "drift_ct", "drift_level", "spray_s", "unlike", "backwards",
))  # fmt: skip
"""Ids of values that tell how much is left to chance."""
WIDEST = 0.35
"""Standard deviation at full strength, as a share of a rail, of what declares no amount of its links."""
EDGE = 0.02
"""Values stay so far from the ends of their rails: nothing falls silent or runs wild by chance."""
CHOICE_CHANCE, WAKE_CHANCE = 0.5, 0.5
"""How often, at full strength, another choice is made, and a value leaves the end of its rail: what is off, or fully
open, mostly stays so."""


def kind_of(spec: ModuleSpec, param: Param) -> str:
    """Which of ``KINDS`` a parameter is.

    Parameters
    ----------
    spec : ModuleSpec
        The module's declaration.
    param : Param
        One of its parameters.

    Returns
    -------
    str
    """
    if param.choices:
        return "choices"
    if param.id in _BY_CHANCE:
        return "chance"
    if param.unit in _PITCHES:
        return "pitch"
    if spec.stage == "space":
        return "space"
    moves = spec.stage == "motion" and (param.unit in _RATES or spec.cycle.steps is not None)
    return "rhythm" if spec.stage == "time" or moves else "tone"


def is_free(spec: ModuleSpec, param: Param, locked: Collection[str], values: Mapping[str, float]) -> bool:
    """Whether chance may change a parameter of a module: not what is locked, follows from the patch, does
    not count now, tells how the module is set up, or belongs to the end of a layer or the master.

    Parameters
    ----------
    spec : ModuleSpec
        The module's declaration.
    param : Param
        One of its parameters.
    locked : collection of str
        Ids of those that are locked.
    values : mapping of str to float
        The module's base values.

    Returns
    -------
    bool
    """
    return not (spec.needed or param.follows or param.set_up or param.id in locked) and spec.counts(param, values)


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

    Levels in dB only go down, pitches in whole semitones; see ``is_free`` for what stays.

    Returns
    -------
    Patch
    """
    chance = Random(seed)
    for name in sorted(modules):
        module = patch.module(name)
        spec = spec_for(module)
        if spec is None:
            continue
        params = dict(module.params)
        for param in spec.params:
            if kind_of(spec, param) in kinds and is_free(spec, param, module.locked, params):
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
    far, wakes = chance.gauss(0.0, strength), chance.random() < WAKE_CHANCE * strength
    if not (0.0 < param.to_rail(now) < 1.0 or wakes):
        return now
    if param.amount:  # what a link moves it by is a musical distance
        low, high = param.domain
        place = param.to_rail(param.from_domain(min(high, max(low, param.to_domain(now) + far * abs(param.amount)))))
    else:
        place = param.to_rail(now) + far * WIDEST
    place = abs(place)
    place = 2.0 - place if place > 1.0 else place
    value = param.from_rail(min(max(place, EDGE), 1.0 - EDGE))
    if param.unit == "db":
        value = min(value, now)
    if param.unit in ("note", "st") or param.whole:
        value = round(value)
    return round(min(max(value, param.low), param.high), 5)
