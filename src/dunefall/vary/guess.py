"""What a sound would be like at a place where nobody has listened yet, guessed from the places where somebody has.

A straight part, which the slopes give, and a Gaussian process for what they leave over (Rasmussen and Williams,
"Gaussian Processes for Machine Learning", 2006, algorithm 2.1 and chapter 5.4.1, from memory): near a known place the
guess is what was heard there; far from all of them it is what the slopes say, and its spread is wide.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["Guess"]

MOST_STEPS, STEEPEST = 6.0, 10.0
"""Beyond these it does not matter how far a sound is from its parent, or how steep a slope is."""
LENGTHS, NOISE, LEAST_WEIGHT, LEAST_SPREAD = (0.5, 1.0, 2.0, 4.0), 0.03, 0.3, 0.1
"""Steps over which the rest may change, of which the likeliest is taken; how rough it is within them; what a value
counts that does nothing by itself; the least spread, in steps."""

Floats = NDArray[np.float64]


class Guess:
    """A guess for every place.

    Parameters
    ----------
    slopes : ndarray [shape=(dimensions, values)]
        What each value does.
    places : ndarray [shape=(n, values)]
        Where somebody has listened.
    steps : ndarray [shape=(n, dimensions)]
        What was heard there.
    """

    def __init__(self, slopes: Floats, places: Floats, steps: Floats) -> None:
        self._slopes = np.clip(slopes, -3.0 * STEEPEST, 3.0 * STEEPEST)
        self._weights = np.sqrt((np.minimum(np.abs(slopes), STEEPEST) ** 2).sum(axis=0)) + LEAST_WEIGHT
        self._places = places * self._weights
        rest = np.clip(steps, -MOST_STEPS, MOST_STEPS) - self._straight(places)
        self._spread = rest.std(axis=0) + LEAST_SPREAD
        rest = rest / self._spread
        apart, best = _squared(self._places, self._places), -np.inf
        for length in LENGTHS:
            root = np.linalg.cholesky(np.exp(-0.5 * apart / length**2) + NOISE * np.eye(len(places)))
            weighted = np.linalg.solve(root.T, np.linalg.solve(root, rest))
            likely = -0.5 * float((rest * weighted).sum()) - rest.shape[1] * float(np.log(np.diag(root)).sum())
            if likely > best:
                best, self._length, self._root, self._weighted = likely, length, root, weighted

    def at(self, places: Floats) -> tuple[Floats, Floats]:
        """What it would be like.

        Parameters
        ----------
        places : ndarray [shape=(m, values)]
            Where.

        Returns
        -------
        tuple of two ndarrays [shape=(m, dimensions)]
            Steps from the parent, and their standard deviation.
        """
        near = np.exp(-0.5 * _squared(places * self._weights, self._places) / self._length**2)
        mean = self._straight(places) + (near @ self._weighted) * self._spread
        known = (np.linalg.solve(self._root, near.T) ** 2).sum(axis=0)
        return mean, np.sqrt(np.maximum(1.0 + NOISE - known, 0.0))[:, None] * self._spread

    def _straight(self, places: Floats) -> Floats:
        return np.asarray(np.clip(places @ self._slopes.T, -MOST_STEPS, MOST_STEPS))


def _squared(first: Floats, second: Floats) -> Floats:
    """Squared distances of all pairs [shape=(len(first), len(second))]."""
    apart = (first**2).sum(axis=1)[:, None] + (second**2).sum(axis=1)[None, :] - 2.0 * first @ second.T
    return np.asarray(np.maximum(apart, 0.0))
