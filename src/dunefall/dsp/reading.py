"""Reading and writing an array at a place that is worked out: compiled, without the question whether it counts from the
end. And what holds for a whole row, counted, as the compiler can look at several numbers at a time then."""

from __future__ import annotations

import numpy as np
from numba import njit
from numba.extending import overload

from dunefall.base.arrays import Row

__all__ = ["constant", "get", "put"]


def get(row: Row, place: int) -> float:
    """``row[place]`` for a place known to be inside the row, 0 or above."""
    return row[place]


overload(get, jit_options={"forceinline": True, "error_model": "numpy"})(
    lambda row, place: lambda row, place: row[np.uint64(place)]
)


def put(row: Row, place: int, value: float) -> None:
    """``row[place] = value`` for a place known to be inside the row, 0 or above."""
    row[place] = value


def _put(row, place, value):  # type: ignore[no-untyped-def]
    def store(row, place, value):  # type: ignore[no-untyped-def]
        row[np.uint64(place)] = value

    return store


overload(put, jit_options={"forceinline": True, "error_model": "numpy"})(_put)


@njit(error_model="numpy", forceinline=True)
def constant(row: Row) -> bool:
    """Whether all numbers of a row are the same.

    Parameters
    ----------
    row : ndarray [shape=(n,)]
        The numbers.

    Returns
    -------
    bool
    """
    different = 0
    for i in range(row.size):
        different += row[i] != row[0]
    return different == 0
