"""Reading an array at a place that is worked out: compiled, without the question whether it counts from the end."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba.extending import overload

__all__ = ["get"]


def get(row: Any, place: int) -> Any:
    """``row[place]`` for a place that is known to lie within, 0 or above."""
    return row[place]


@overload(get, jit_options={"forceinline": True, "error_model": "numpy"})
def _compiled_get(row, place):  # type: ignore[no-untyped-def]
    return lambda row, place: row[np.uint64(place)]
