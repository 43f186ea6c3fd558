"""Memory that is there before it is used: the system gives a page when it is first touched, and that takes its time.

A thread that sounds must not wait for it (common practice in real-time programs; mmap(2) and mlock(2) of Linux, from
memory).
"""

from __future__ import annotations

import mmap
from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["PAGE_BYTES", "put_at_hand", "read_at_hand"]

PAGE_BYTES = mmap.PAGESIZE


def put_at_hand(*arrays: NDArray[Any]) -> None:
    """Write to every page of arrays that nobody else uses yet; their values stay.

    Parameters
    ----------
    *arrays : ndarray, C order
        The arrays.
    """
    for array in arrays:
        pages = array.reshape(-1).view(np.uint8)[::PAGE_BYTES]
        np.bitwise_or(pages, 0, out=pages)  # to assign them to themselves would write nothing


def read_at_hand(*arrays: NDArray[Any]) -> None:
    """Look at every page of arrays that another process may be writing to: those of shared memory are there then.

    Parameters
    ----------
    *arrays : ndarray, C order
        The arrays.
    """
    for array in arrays:
        array.reshape(-1).view(np.uint8)[::PAGE_BYTES].max(initial=0)
