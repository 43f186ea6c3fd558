"""Going on from one program to another: every module, base value and link in both programs continues as it was.

Everything that can be worked out in advance; ``apply`` only copies a few arrays, fit for the audio thread.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from dunefall.catalogue import spec_of
from dunefall.compiler.plan import Memory
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.dsp.clicks import CLICK_STATE

__all__ = ["Takeover"]

K = TypeVar("K")


def _pairs(new: Mapping[K, int], old: Mapping[K, int]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    common = [(place, old[key]) for key, place in new.items() if key in old]
    both = np.array(common, np.int64).reshape(-1, 2)
    return both[:, 0], both[:, 1]


def _voice_places(program: Program) -> dict[tuple[str, int, int], int]:
    """Place of each voice among the levels; a layer whose number of voices changed starts fresh."""
    voices = [(layer.id, layer.voices, voice) for layer in program.patch.layers for voice in range(layer.voices)]
    return {voice: place for place, voice in enumerate(voices)}


def _ends(program: Program) -> dict[str, int]:
    """Number, from 0 on, of each layer's end."""
    ends = program.plan.modules["lane_end"].tolist()
    return {name: ends[place] - 1 for name, place in program.module_at.items() if ends[place]}


class _Rings(NamedTuple):
    """A module whose rings have another size now: places and sizes in the new and in the old memory.

    Attributes
    ----------
    state, old_state : int
        Where its state begins.
    state_size : int
    memory, old_memory : int
        Where its memory begins.
    size, old_size : int
        Of each ring.
    rings : int
        How many rings there are.
    """

    state: int
    old_state: int
    state_size: int
    memory: int
    old_memory: int
    size: int
    old_size: int
    rings: int

    def copy(self, mine: Memory, theirs: Memory) -> None:
        """Copy the state, and of each ring what was written last."""
        states = theirs.states[self.old_state : self.old_state + self.state_size]
        mine.states[self.state : self.state + self.state_size] = states
        write, kept = int(states[0]), min(self.size, self.old_size)
        behind = min(write, kept)
        for k in range(self.rings):
            to, start = self.memory + k * self.size, self.old_memory + k * self.old_size
            end = start + self.old_size
            mine.memories[to + kept - behind : to + kept] = theirs.memories[start + write - behind : start + write]
            mine.memories[to : to + kept - behind] = theirs.memories[end - (kept - behind) : end]
        mine.states[self.state] = kept % self.size


def _rings(new: Program, old: Program, same: Mapping[str, int]) -> list[_Rings]:
    """The modules in both whose rings have another size."""
    kinds = {module.id: module.type for module in new.patch.modules()}
    found = []
    for module, copies in new.copies.items():
        spec = spec_of(kinds[module])
        for copy in copies if spec is not None and spec.rings else ():
            if copy not in same or copy not in old.module_at:
                continue
            a, b = new.plan.modules[same[copy]], old.plan.modules[old.module_at[copy]]
            if a["memory_size"] != b["memory_size"]:
                count = spec.rings if spec is not None else 1
                found.append(_Rings(
                    int(a["state_at"]), int(b["state_at"]), int(a["state_size"]), int(a["memory_at"]),
                    int(b["memory_at"]), int(a["memory_size"]) // count, int(b["memory_size"]) // count, count,
                ))  # fmt: skip
    return found


class Takeover:
    """The state that ``new`` takes from ``old``."""

    def __init__(self, new: Program, old: Program) -> None:
        self._new, self._old = new, old
        types = {module.id: module.type for module in old.patch.modules()}
        same = {
            copy: new.module_at[copy]
            for module in new.patch.modules()
            if types.get(module.id) == module.type
            for copy in new.copies.get(module.id, ())
            if (copy in new.sounding) <= (copy in old.sounding)  # what only was watched begins from rest
        }
        self._modules = _pairs(same, old.module_at)
        rows = {key: row // QUANTUM for key, row in new.row_at.items() if key[0] in same}
        self._rows = _pairs(rows, {key: row // QUANTUM for key, row in old.row_at.items()})
        kinds = {module.id for module in new.patch.modules() if types.get(module.id) == module.type}
        targets = {link.id: link.target for link in old.patch.links}
        kept = {  # into another value, or another kind of module, an amount means something else
            link.id for link in new.patch.links if link.target.module in kinds and targets.get(link.id) == link.target
        }
        inside = {copy for module in kinds for copy in new.copies.get(module, ())}
        self._bases = _pairs({key: at for key, at in new.input_at.items() if key[0] in inside}, old.input_at)
        self._amounts = _pairs(
            {wire: at for wire, at in new.wire_at.items() if wire.split("#")[0] in kept}, old.wire_at
        )
        self._pieces = [
            (name, int(a[f"{name}_at"]), int(b[f"{name}_at"]), int(a[f"{name}_size"]))
            for a, b in zip(new.plan.modules[self._modules[0]], old.plan.modules[self._modules[1]], strict=True)
            if a["state_size"] == b["state_size"] and a["memory_size"] == b["memory_size"]
            for name in ("state", "memory")
        ]
        self._rings = _rings(new, old, same) if new.rate == old.rate else []
        self._ends = _pairs(_ends(new), _ends(old))
        self._voices = _pairs(_voice_places(new), _voice_places(old))
        self._anew = [
            int(new.plan.modules[place]["state_at"]) + cached
            for module in new.patch.modules()
            if new.rate != old.rate and (spec := spec_of(module.type))
            for copy in new.copies.get(module.id, ())
            for place in (new.module_at[copy],)
            for cached in spec.cached
        ]

    def apply(self) -> None:
        """Copy the state of now; between sample rates the position stays the same in seconds."""
        mine, theirs = self._new.memory, self._old.memory
        mine.position[:] = round(int(theirs.position[0]) * self._new.rate / self._old.rate) // QUANTUM * QUANTUM
        mine.rows.reshape(-1, QUANTUM)[self._rows[0]] = theirs.rows.reshape(-1, QUANTUM)[self._rows[1]]
        mine.faults[self._modules[0]] = theirs.faults[self._modules[1]]
        mine.levels[self._voices[0]] = theirs.levels[self._voices[1]]
        mine.resting[self._voices[0]] = theirs.resting[self._voices[1]]
        self._copy_pieces()
        mine.states[self._anew] = 0.0
        mine.clicks.reshape(-1, CLICK_STATE)[self._ends[0]] = theirs.clicks.reshape(-1, CLICK_STATE)[self._ends[1]]
        mine.restless[:] = 1
        self._take_glides()

    def _copy_pieces(self) -> None:
        mine, theirs = self._new.memory, self._old.memory
        for name, to, start, size in self._pieces:
            target, source = (mine.states, theirs.states) if name == "state" else (mine.memories, theirs.memories)
            target[to : to + size] = source[start : start + size]
        for ring in self._rings:
            ring.copy(mine, theirs)

    def _take_glides(self) -> None:
        """A glide to the same target carries on; a new target is approached from the present value."""
        mine, theirs, ramp = self._new.memory, self._old.memory, self._new.ramp
        new, old = self._bases
        same = mine.bases["goal"][new] == theirs.bases["goal"][old]
        now = self._old.bases_now()[old]
        mine.now[new] = theirs.now[old]
        mine.bases["start"][new] = np.where(same, theirs.bases["start"][old], now)
        mine.bases["left"][new] = np.where(same, theirs.bases["left"][old], ramp)
        new, old = self._amounts
        amounts, offsets = self._old.amounts_now()
        a, b = mine.amounts, theirs.amounts
        same = (a["amount_goal"][new] == b["amount_goal"][old]) & (a["offset_goal"][new] == b["offset_goal"][old])
        a["amount_start"][new] = np.where(same, b["amount_start"][old], amounts[old])
        a["offset_start"][new] = np.where(same, b["offset_start"][old], offsets[old])
        a["left"][new] = np.where(same, b["left"][old], ramp)
