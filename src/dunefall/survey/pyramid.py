"""A course of numbers that is looked at from near and from far: coarser levels are made as it grows, never again."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

__all__ = ["FACTOR", "Pyramid", "stretches_of"]

FACTOR = 8
LEVELS = 4
Kind = Literal["max", "mean", "sum"]


class Pyramid:
    """Numbers, or rows of numbers, by their bin.

    Parameters
    ----------
    count : int
        How many bins there are; those that were not put are 0.
    kind : "max", "mean" or "sum"
        What several bins are together.
    width : int
        Numbers of a bin; 0: one that is not in a row.
    dtype : dtype
        Of the numbers.

    Examples
    --------
    >>> course = Pyramid(64, "max")
    >>> course.put(0, np.arange(64.0))
    >>> course.view(0, 64, 4).tolist()
    [15.0, 31.0, 47.0, 63.0]
    """

    def __init__(self, count: int, kind: Kind, width: int = 0, dtype: Any = np.float32) -> None:
        self.kind = kind
        self._levels: list[NDArray[Any]] = []
        for level in range(LEVELS):
            size = -(-count // FACTOR**level)
            self._levels.append(np.zeros((size, width) if width else size, self._dtype(dtype, level)))

    def _dtype(self, dtype: Any, level: int) -> Any:
        return np.uint32 if self.kind == "sum" and level else dtype

    def __len__(self) -> int:
        """How many bins there are."""
        return len(self._levels[0])

    @property
    def bins(self) -> NDArray[Any]:
        """All of them."""
        return self._levels[0]

    def put(self, begin: int, values: NDArray[Any]) -> None:
        """Set bins from one on; what lies behind the end is left out.

        Parameters
        ----------
        begin : int
            First bin.
        values : ndarray [shape=(n,) or (n, width)]
            The numbers.
        """
        end = min(begin + len(values), len(self))
        if end <= begin:
            return
        self._levels[0][begin:end] = values[: end - begin]
        for level in range(1, LEVELS):
            finer, coarser = self._levels[level - 1], self._levels[level]
            first, last = begin // FACTOR**level, -(-end // FACTOR**level)
            starts = np.arange(first, last) * FACTOR
            coarser[first:last] = self._together(finer[: last * FACTOR], starts)

    def _together(self, values: NDArray[Any], starts: NDArray[np.int64]) -> NDArray[Any]:
        """What the bins from each start to the next are together."""
        if self.kind == "max":
            return np.asarray(np.maximum.reduceat(values, starts, axis=0))
        sums = np.add.reduceat(values, starts, axis=0, dtype=float)
        if self.kind == "sum":
            return np.asarray(sums)
        lengths = np.diff(np.append(starts, len(values)))
        return np.asarray(sums / lengths.reshape(-1, *(1,) * (values.ndim - 1)))

    def view(self, first: float, last: float, columns: int) -> NDArray[Any]:
        """A range in so many columns, of the level that has just enough bins for it.

        Parameters
        ----------
        first, last : float
            From and to which bin; places between bins count.
        columns : int
            How many.

        Returns
        -------
        ndarray [shape=(columns,) or (columns, width)]
            What each column's bins are together; where there are fewer bins than columns, bins come several times.
        """
        each = max(last - first, 1e-9) / columns
        level = 0
        while level + 1 < LEVELS and each >= FACTOR ** (level + 1):
            level += 1
        values, scale = self._levels[level], FACTOR**level
        edges = np.linspace(first, last, columns + 1) / scale
        starts = np.clip(np.floor(edges[:-1] + 1e-9).astype(int), 0, len(values) - 1)
        if each < scale * 1.5:
            return np.asarray(values[starts])
        end = min(len(values), max(int(np.ceil(edges[-1])), int(starts[-1]) + 1))
        return self._together(values[:end], starts)


def stretches_of(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last + 1 of each stretch of true ones.

    Examples
    --------
    >>> stretches_of(np.array([True, True, False, True]))
    [(0, 2), (3, 4)]
    """
    edges = np.flatnonzero(np.diff(np.concatenate([[False], flags, [False]]).astype(np.int8)))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))
