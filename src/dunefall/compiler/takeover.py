"""Going on from one program to another: every module, base value and link that both have continues as it was.

What belongs to what is worked out beforehand; ``apply`` is a few copies of arrays, fit for the audio thread.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from dunefall.compiler.program import QUANTUM, Program

__all__ = ["Takeover"]

K = TypeVar("K")


def _pairs(new: Mapping[K, int], old: Mapping[K, int]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    common = [(place, old[key]) for key, place in new.items() if key in old]
    both = np.array(common, np.int64).reshape(-1, 2)
    return both[:, 0], both[:, 1]


class Takeover:
    """The state that ``new`` takes from ``old``."""

    def __init__(self, new: Program, old: Program) -> None:
        self._new, self._old = new, old
        types = {module.id: module.type for module in old.patch.modules()}
        same = {m.id: new.module_at[m.id] for m in new.patch.modules() if types.get(m.id) == m.type
                and m.id in new.module_at}  # fmt: skip
        self._modules = _pairs(same, old.module_at)
        rows = {key: row // QUANTUM for key, row in new.row_at.items() if key[0] in same}
        self._rows = _pairs(rows, {key: row // QUANTUM for key, row in old.row_at.items()})
        self._bases = _pairs(new.input_at, old.input_at)
        self._amounts = _pairs(new.link_at, old.link_at)
        self._pieces = [
            (name, int(a[f"{name}_at"]), int(b[f"{name}_at"]), int(a[f"{name}_size"]))
            for a, b in zip(new.plan.modules[self._modules[0]], old.plan.modules[self._modules[1]], strict=True)
            for name in ("state", "memory")
            if a[f"{name}_size"] == b[f"{name}_size"]
        ]

    def apply(self) -> None:
        """Copy the state of now."""
        mine, theirs = self._new.memory, self._old.memory
        mine.position[:] = theirs.position
        mine.rows.reshape(-1, QUANTUM)[self._rows[0]] = theirs.rows.reshape(-1, QUANTUM)[self._rows[1]]
        mine.faults[self._modules[0]] = theirs.faults[self._modules[1]]
        for name, to, start, size in self._pieces:
            target, source = (mine.states, theirs.states) if name == "state" else (mine.memories, theirs.memories)
            target[to : to + size] = source[start : start + size]
        now = self._old.bases_now()[self._bases[1]]
        mine.bases["start"][self._bases[0]] = now
        mine.bases["left"][self._bases[0]] = np.where(now == mine.bases["goal"][self._bases[0]], 0, self._new.ramp)
        amounts, offsets = self._old.amounts_now()
        mine.amounts["amount_start"][self._amounts[0]] = amounts[self._amounts[1]]
        mine.amounts["offset_start"][self._amounts[0]] = offsets[self._amounts[1]]
        mine.amounts["left"][self._amounts[0]] = self._new.ramp
