"""Reading an array at a place that is worked out: compiled, without the question whether it counts from the end."""

from __future__ import annotations

import numpy as np
from numba.extending import overload

from dunefall.base.arrays import Row

__all__ = ["get"]


def get(row: Row, place: int) -> float:
    """``row[place]`` for a place known to be inside the row, 0 or above."""
    return row[place]


overload(get, jit_options={"forceinline": True, "error_model": "numpy"})(
    lambda row, place: lambda row, place: row[np.uint64(place)]
)
