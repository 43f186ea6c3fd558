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

__all__ = ["DIMENSIONS", "NEARLY", "Dimension", "difference_of", "in_units", "spread_of", "words_of"]

NEARLY = "nearly the same"
SPREADS = 3.5
"""So many standard deviations between seeds are told: two seeds differ by as much once in eighty times."""
MOST_WORDS = 2
SILENT_LUFS = -70.0


@dataclass(frozen=True)
class Dimension:
    """One of ``Descriptors.scaled``: the word for less of it and for more, and the least difference that is heard (the
    project's own choice, of the size of just noticeable differences: Zwicker and Fastl, from memory)."""

    less: str
    more: str
    least: float


DIMENSIONS = (
    Dimension("darker", "brighter", 0.15), Dimension("sparser", "denser", 0.3), Dimension("softer", "louder", 1.0),
    Dimension("lower", "higher", 0.5), Dimension("shorter", "longer", 0.3), Dimension("purer", "noisier", 2.0),
    Dimension("narrower", "wider", 2.0), Dimension("smoother", "rougher", 3.0),
)  # fmt: skip
"""In the order of ``Descriptors.scaled``."""
LEAST = np.array([dimension.least for dimension in DIMENSIONS])


def spread_of(sounds: Sequence[Descriptors]) -> NDArray[np.float64]:
    """How much the sounds of several seeds of one patch differ by themselves.

    Parameters
    ----------
    sounds : sequence of Descriptors
        One for each seed; 0 everywhere for fewer than two.

    Returns
    -------
    ndarray [shape=(8,)]
        Standard deviation in each dimension.
    """
    scaled = np.array([sound.scaled for sound in sounds])
    spread = np.zeros(len(DIMENSIONS))
    for k, column in enumerate(scaled.T):
        known = column[np.isfinite(column)]
        if len(known) > 1:
            spread[k] = known.std(ddof=1)
    return spread


def difference_of(parent: Descriptors, child: Descriptors, spread: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far a sound is from another, in steps that are heard: 1 is just told.

    Parameters
    ----------
    parent, child : Descriptors
        The sounds.
    spread : ndarray [shape=(8,)]
        See ``spread_of``.

    Returns
    -------
    ndarray [shape=(8,)]
        0 where one of them has none of it, such as no pitch.
    """
    return in_units(parent, child, np.maximum(LEAST, SPREADS * spread))


def in_units(parent: Descriptors, child: Descriptors, unit: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far a sound is from another in each dimension.

    Parameters
    ----------
    parent, child : Descriptors
        The sounds.
    unit : ndarray [shape=(8,)]
        What counts as 1.

    Returns
    -------
    ndarray [shape=(8,)]
        0 where one of them has none of it, such as no pitch.
    """
    return np.asarray(np.nan_to_num((child.scaled - parent.scaled) / unit, nan=0.0, posinf=0.0, neginf=0.0))


def words_of(parent: Descriptors, child: Descriptors, spread: NDArray[np.float64]) -> tuple[str, ...]:
    """The largest differences in words, the largest first; ``NEARLY`` if there is none.

    Parameters
    ----------
    parent, child : Descriptors
        The sounds.
    spread : ndarray [shape=(8,)]
        See ``spread_of``.

    Returns
    -------
    tuple of str
    """
    if child.lufs < SILENT_LUFS:
        return ("silent",)
    steps = difference_of(parent, child, spread)
    order = np.argsort(-np.abs(steps), kind="stable")[:MOST_WORDS]
    told = [DIMENSIONS[k].more if steps[k] > 0 else DIMENSIONS[k].less for k in order if abs(steps[k]) >= 1.0]
    return tuple(told) or (NEARLY,)
