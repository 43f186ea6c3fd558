"""Memory: Python's collector kept from stopping a process for long, and large arrays given back when they are freed."""

from __future__ import annotations

import contextlib
import ctypes
import gc

__all__ = ["freeze_loaded_objects", "give_back_large_arrays"]

M_MMAP_THRESHOLD, LARGE = -3, 1 << 20


def freeze_loaded_objects() -> None:
    """Exempt everything loaded so far from garbage collection: the collector does not look through it again.

    The libraries are more than 100,000 objects. The collector holds up every thread of the process while it goes
    through them, for 50 to 150 ms each time: longer than sound and window may wait.
    """
    gc.collect()
    gc.freeze()


def give_back_large_arrays() -> None:
    """Let the memory of every large array go back to the system when it is freed (mallopt(3): a fixed threshold).

    The C library raises its threshold when large arrays come and go; later ones then leave holes in its heap, and a
    process whose programs and checkpoints are exchanged for hours grows though nothing is lost.
    """
    with contextlib.suppress(OSError, AttributeError):  # another C library than GNU's
        ctypes.CDLL(None).mallopt(M_MMAP_THRESHOLD, LARGE)
