"""Reading and writing an array at a place that is worked out: compiled, without the question whether it counts from the
end."""

from __future__ import annotations

import numpy as np
from numba.extending import overload

from dunefall.base.arrays import Row

__all__ = ["get", "put"]


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
