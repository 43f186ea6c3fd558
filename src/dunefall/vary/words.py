"""How one sound differs from another, in plain words.

A difference is told where it is larger than what the ear would notice, and larger than what another seed of the same
patch makes by itself.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.descriptors import Descriptors
from dunefall.base.language import tr

__all__ = ["DIMENSIONS", "NEARLY", "Chance", "Dimension", "chance_of", "difference_of", "in_units", "words_of"]

NEARLY = tr("nearly the same")
SPREADS = 2.6
"""So many standard deviations are told, from the parent and from the mean of its seeds: of 60 pairs that differ by
their seed only none was (`python -m bench.pairs`)."""
MOST_WORDS = 2
SILENT_LUFS = -70.0


@dataclass(frozen=True)
class Dimension:
    """One of ``Descriptors.scaled``: the word for less of it and for more, and the least difference that is heard (the
    project's own choice, of the size of just noticeable differences: Zwicker and Fastl, from memory; for roughness a
    tenth of the depth of modulation, 0.8 dB)."""

    less: str
    more: str
    least: float


DIMENSIONS = (
    Dimension("darker", "brighter", 0.15), Dimension("sparser", "denser", 0.3), Dimension("softer", "louder", 1.0),
    Dimension("lower", "higher", 0.5), Dimension("shorter", "longer", 0.3), Dimension("purer", "noisier", 2.0),
    Dimension("narrower", "wider", 2.0), Dimension("smoother", "rougher", 1.0),
)  # fmt: skip
"""In the order of ``Descriptors.scaled``."""
LEAST = np.array([dimension.least for dimension in DIMENSIONS])


@dataclass(frozen=True)
class Chance:
    """What chance alone makes of a patch, told by other seeds of it.

    Attributes
    ----------
    mean, spread : ndarray [shape=(8,)]
        Mean and standard deviation of ``Descriptors.scaled`` over the seeds; a dimension that no seed has is not a
        number, and 0.
    """

    mean: NDArray[np.float64]
    spread: NDArray[np.float64]


def chance_of(sounds: Sequence[Descriptors]) -> Chance:
    """How the sounds of several seeds of one patch differ by themselves.

    Parameters
    ----------
    sounds : sequence of Descriptors
        One for each seed; of fewer than two the spread is 0.

    Returns
    -------
    Chance
    """
    columns = np.array([sound.scaled for sound in sounds]).reshape(-1, len(DIMENSIONS)).T
    mean, spread = np.full(len(DIMENSIONS), np.nan), np.zeros(len(DIMENSIONS))
    for k, column in enumerate(columns):
        known = column[np.isfinite(column)]
        if len(known):
            mean[k] = known.mean()
        if len(known) > 1:
            spread[k] = known.std(ddof=1)
    return Chance(mean, spread)


def difference_of(parent: Descriptors, child: Descriptors, chance: Chance) -> NDArray[np.float64]:
    """How far a sound is from another, in steps that are heard: 1 is just told.

    It is the smaller of two distances: from the parent, and from the mean of its seeds. The parent's own seed may lie
    at the edge of what chance makes of it, and so would each of its children seem to differ in the same way.

    Parameters
    ----------
    parent, child : Descriptors
        The sounds.
    chance : Chance
        See ``chance_of``.

    Returns
    -------
    ndarray [shape=(8,)]
        0 where one of them has none of it, such as no pitch, and where the two distances contradict each other.
    """
    unit = np.maximum(LEAST, SPREADS * chance.spread)
    first, usual = in_units(parent.scaled, child.scaled, unit), in_units(chance.mean, child.scaled, unit)
    nearer = np.where(np.abs(first) < np.abs(usual), first, usual)
    return np.asarray(np.where(first * usual > 0.0, nearer, 0.0))


def in_units(parent: NDArray[np.float64], child: NDArray[np.float64], unit: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far a sound is from another in each dimension.

    Parameters
    ----------
    parent, child : ndarray [shape=(8,)]
        ``Descriptors.scaled`` of the sounds.
    unit : ndarray [shape=(8,)]
        What counts as 1.

    Returns
    -------
    ndarray [shape=(8,)]
        0 where one of them has none of it, such as no pitch.
    """
    return np.asarray(np.nan_to_num((child - parent) / unit, nan=0.0, posinf=0.0, neginf=0.0))


def words_of(parent: Descriptors, child: Descriptors, chance: Chance) -> tuple[str, ...]:
    """The largest differences in words, the largest first; ``NEARLY`` if there is none.

    Parameters
    ----------
    parent, child : Descriptors
        The sounds.
    chance : Chance
        See ``chance_of``.

    Returns
    -------
    tuple of str
    """
    if child.lufs < SILENT_LUFS:
        return ("silent",)
    steps = difference_of(parent, child, chance)
    order = np.argsort(-np.abs(steps), kind="stable")[:MOST_WORDS]
    told = [tr(DIMENSIONS[k].more if steps[k] > 0 else DIMENSIONS[k].less) for k in order if abs(steps[k]) >= 1.0]
    return tuple(told) or (NEARLY,)
