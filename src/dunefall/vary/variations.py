"""Variations of a patch: other values near the present ones, each with a number that makes it again."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from random import Random

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.descriptors import Descriptors, described
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.varying import KINDS, is_free, kind_of, varied
from dunefall.deliver.rendering import alone
from dunefall.patch.model import Patch
from dunefall.render.offline import render_to_array
from dunefall.vary.words import Chance, chance_of, words_of

__all__ = [
    "Listened",
    "Variation",
    "by_chance",
    "by_itself",
    "described_patch",
    "free_values",
    "listened",
    "numbers_of",
    "seeded",
    "variations",
]

RATE = 48000
MOST = 1000
LARGEST_NUMBER = 9999
SEEDS = 8
"""So many seeds of the parent tell how much chance alone makes of it."""
USUAL_KINDS = tuple(kind for kind in KINDS if kind != "choices")


@dataclass(frozen=True)
class Variation:
    """A variation: its number, from which it can be made again, and its patch."""

    number: int
    patch: Patch


@dataclass(frozen=True)
class Listened:
    """A patch that was listened to: what it is like, and how it differs from its parent."""

    descriptors: Descriptors
    words: tuple[str, ...]


def free_values(patch: Patch, modules: Collection[str], kinds: Collection[str] = USUAL_KINDS) -> int:
    """How many values chance may change.

    Parameters
    ----------
    patch : Patch
        The patch.
    modules : collection of str
        Ids of the modules that may change.
    kinds : collection of str
        Of values, see ``catalogue.varying.KINDS``.

    Returns
    -------
    int
    """
    count = 0
    for name in modules:
        module = patch.module(name)
        spec = spec_for(module)
        if spec is not None:
            count += sum(
                kind_of(spec, param) in kinds and is_free(spec, param, module.locked, module.params)
                for param in spec.params
            )
    return count


def numbers_of(seed: int, count: int) -> tuple[int, ...]:
    """Numbers of so many variations, all different: the first ones stay when there are more.

    Parameters
    ----------
    seed : int
        Where chance begins.
    count : int
        How many.

    Returns
    -------
    tuple of int
    """
    return tuple(Random(f"variations of {seed}").sample(range(1, LARGEST_NUMBER + 1), MOST)[:count])


def variations(
    patch: Patch, modules: Collection[str], strength: float, kinds: Collection[str], *, seed: int, count: int
) -> Iterator[Variation]:
    """So many variations, one after the other. Scales and locks hold, see ``catalogue.varying``.

    Parameters
    ----------
    patch : Patch
        The parent; it is not changed.
    modules : collection of str
        Ids of the modules that may change.
    strength : float (0, 1]
        How far values go.
    kinds : collection of str
        Which kinds of values.
    seed : int
        The same seed gives the same variations.
    count : int
        How many.

    Yields
    ------
    Variation

    Raises
    ------
    ParameterError
        If there is nothing that may change, or a number is out of range.
    """
    if not 0.0 < strength <= 1.0:
        raise ParameterError(tr("the strength must be above 0 and at most 1; got {strength:g}", strength=strength))
    if not 1 <= count <= MOST:
        raise ParameterError(tr("there can be 1 to {MOST} variations; got {count}", MOST=MOST, count=count))
    if not free_values(patch, modules, kinds):
        raise ParameterError(tr("nothing may change: all values of these kinds are locked, or there are none"))
    for number in numbers_of(seed, count):
        yield Variation(number, varied(patch, modules, strength, kinds, seed=number))


def described_patch(patch: Patch, seconds: float) -> tuple[NDArray[np.float64], Descriptors]:
    """The first seconds of a patch at 48 kHz, and what they are like.

    Parameters
    ----------
    patch : Patch
        The patch.
    seconds : float
        How long.

    Returns
    -------
    (ndarray [shape=(n, channels)], Descriptors)
    """
    sound = render_to_array(patch, seconds=seconds, rate=RATE)
    return sound, described(sound, RATE)


def by_itself(patch: Patch, modules: Collection[str]) -> Patch:
    """A patch of which only the layers are heard that have some modules; as it is if that would mute every layer.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    modules : collection of str
        Ids of modules.

    Returns
    -------
    Patch
    """
    chosen = {patch.layer_of(module).id for module in modules if patch.has(module)}
    ends = {layer.id: layer.output_id for layer in patch.layers if patch.has(layer.output_id)}
    if chosen.isdisjoint(ends):
        return patch
    patch = alone(patch, sorted(chosen))
    for layer, end in ends.items():
        if layer not in chosen and patch.has(end):  # it moves something there
            patch = patch.with_param(end, "mute", 1.0)
    return patch


def seeded(patch: Patch) -> list[Patch]:
    """A patch, and the same with other seeds: together they tell how much chance alone makes of it.

    Parameters
    ----------
    patch : Patch
        The patch; it is the first one.

    Returns
    -------
    list of Patch
    """
    return [patch, *(replace(patch, seed=(patch.seed + k) % 2**32) for k in range(1, SEEDS))]


def by_chance(patch: Patch, seconds: float) -> tuple[Descriptors, Chance]:
    """What a patch is like, and what chance alone makes of it: told by other seeds.

    Parameters
    ----------
    patch : Patch
        The patch.
    seconds : float
        How long each is listened to.

    Returns
    -------
    (Descriptors, Chance)
        See ``words.chance_of``.
    """
    others = [described_patch(other, seconds)[1] for other in seeded(patch)]
    return others[0], chance_of(others)


def listened(
    parent: Patch, children: Sequence[Patch], seconds: float, modules: Collection[str]
) -> tuple[Listened, Iterator[Listened]]:
    """Listen to a patch, and then to its children, one after the other: to the layers that vary, alone.

    Parameters
    ----------
    parent : Patch
        What they are compared with; some other seeds of it tell how much chance alone makes of it.
    children : sequence of Patch
        Variations of it.
    seconds : float
        Of each.
    modules : collection of str
        Ids of the modules that vary.

    Returns
    -------
    (Listened, iterator of Listened)
    """
    first, chance = by_chance(by_itself(parent, modules), seconds)

    def rest() -> Iterator[Listened]:
        for child in children:
            found = described_patch(by_itself(child, modules), seconds)[1]
            yield Listened(found, words_of(first, found, chance))

    return Listened(first, ()), rest()
