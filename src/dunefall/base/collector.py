"""Python's collector of lost objects, kept from stopping a process for long."""

from __future__ import annotations

import gc

__all__ = ["freeze_loaded_objects"]


def freeze_loaded_objects() -> None:
    """Exempt everything loaded so far from garbage collection: the collector does not look through it again.

    The libraries are more than 100,000 objects. The collector holds up every thread of the process while it goes
    through them, for 50 to 150 ms each time: longer than sound and window may wait.
    """
    gc.collect()
    gc.freeze()
