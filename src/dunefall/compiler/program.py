"""The flat program: a patch as arrays of numbers that the loop runs.

Every signal is a row of one quantum (``QUANTUM`` samples). Every input and parameter has a row that is gathered from
its base value and its links before its module runs; every output has a row that its module writes. What may differ
from sample to sample lies in the arrays of ``Memory``: a checkpoint is a copy of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from dunefall.catalogue import spec_of
from dunefall.patch.model import Patch, Place

if TYPE_CHECKING:
    from dunefall.compiler.fuse import LoopModule

__all__ = ["PLACES", "QUANTUM", "RAMP_S", "Memory", "Plan", "Program", "aligned_zeros", "ramp_place", "word"]

QUANTUM = 64
"""Samples that are computed at a time, whatever the device asks for."""
RAMP_S = 0.06
"""Time in which a changed value glides to its new place."""

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


MODULE = np.dtype(
    [(name, np.int64) for name in (
        "address", "bypassed", "input_first", "input_last", "port_first", "output_first", "port_last",
        "state_at", "state_size", "memory_at", "memory_size", "series_at", "linked", "passes", "passes_right",
        "voice", "level_first", "level_count", "lane_end", "moved_first", "moved_last", "wanted",
        "wakes", "sound", "sound_size", "sound_rows", "sound_rate",
    )] + [("key", np.uint64)]
)  # fmt: skip
"""A module: its kernel, whether it is bypassed, its inputs, ports, state, memory and series; ``passes`` and
``passes_right`` are ports or -1; ``voice`` the voice that it belongs to or -1; ``level_first`` and ``level_count`` the
voices of its layer;
``lane_end`` the number, from 1 on, of a layer's end, whose outputs go into the mix; its
linked inputs in ``moved``; which outputs somebody uses;
``wakes`` 1 where it gives notes to the voices; address, samples, rows and rate of the sound that it plays."""
VOICE = np.dtype([(name, np.int64) for name in ("gate", "rest_first", "rest_last", "meet_first", "meet_last")])
"""A voice: the row of its gate (-1: it never rests), its places in ``rests`` and ``meets``."""
INPUT = np.dtype(
    [(name, np.int64) for name in ("row", "link_first", "link_last", "octaves")]
    + [(name, np.float64) for name in ("low", "high")]
)
"""An input or parameter: its row, its links, its domain and hard range in that domain."""
LINK = np.dtype([(name, np.int64) for name in ("row", "delayed", "bounded", "curve")])
"""A link: the row that it reads, whether a sample late, whether bent above the loop's ceiling, its curve."""
BASE = np.dtype(
    [("start", np.float64), ("goal", np.float64), ("left", np.int64), ("stale", np.int64), ("pool", np.int64)]
)
"""A base value, gliding from start to goal for ``left`` more samples; stale: the row of a constant in a loop must be
filled; ``pool``: the row of this very constant that all inputs share, or -1."""
AMOUNT = np.dtype(
    [(name, np.float64) for name in ("amount_start", "amount_goal", "offset_start", "offset_goal")]
    + [("left", np.int64)]
)
"""A link's amount and offset, gliding likewise."""


PLACES = ("rows", "states", "memories", "scratch", "levels", "links", "amounts", "live", "series", "mix")
"""Arrays whose addresses compiled code finds in ``Plan.places``."""


def word(record: np.dtype[np.void], field: str, index: int = 0) -> int:
    """Place of a field, in words of 8 bytes, in a row of records."""
    fields = record.fields
    assert fields is not None
    return int(index * record.itemsize + fields[field][1]) // 8


class Plan(NamedTuple):
    """What never changes while a program runs.

    ``parts`` holds runs of modules (first, last, 1 where they go sample by sample, address of the code made for this
    very loop or 0); ``modules``, ``inputs``, ``links`` and ``voices`` are records of the kinds above, modules in order
    of execution; ``ports`` the rows of each module's inputs, parameters and outputs; ``moved`` the linked inputs;
    ``rests`` the states that are 0 when a voice has ended, ``meets`` the rows by which its sound leaves; ``channels``
    tells which outputs of a layer's end go into the channels of ``mix``, where the sum of the layers is made;
    ``scratch`` is nobody's; ``live`` is the live input of this quantum; ``places`` takes the addresses of ``PLACES`` at
    each run; ``rate`` the sample rate in Hz.
    """

    parts: Ints
    modules: NDArray[np.void]
    ports: Ints
    inputs: NDArray[np.void]
    links: NDArray[np.void]
    moved: Ints
    voices: NDArray[np.void]
    rests: Ints
    meets: Ints
    channels: Ints
    mix: Floats
    scratch: Floats
    live: Floats
    places: Ints
    rate: Floats


class Memory(NamedTuple):
    """What changes while a program runs: all of it, so that a copy is a checkpoint.

    Rows, states, memories and series of the modules; ``bases`` and ``amounts`` of inputs and links; ``faults`` (1
    where a module was silenced) and ``restless`` (1 where base values may have changed since the
    program was made); ``levels`` of the voices in the last quantum and ``resting`` (1 while a voice costs nothing);
    ``clicks`` what the click watch keeps for each layer's end; ``now`` the last value of every input; ``position``
    in samples.
    """

    rows: Floats
    states: Floats
    memories: Floats
    series: Floats
    bases: NDArray[np.void]
    amounts: NDArray[np.void]
    faults: Ints
    restless: Ints
    levels: Floats
    resting: Ints
    clicks: Floats
    now: Floats
    position: Ints

    @property
    def size(self) -> int:
        """Bytes of all arrays."""
        return sum(array.nbytes for array in self)

    def copy(self) -> Memory:
        """A checkpoint."""
        return Memory._make(array.copy() for array in self)

    def restore(self, checkpoint: Memory) -> None:
        """Go back to a checkpoint of the same program."""
        for mine, theirs in zip(self, checkpoint, strict=True):
            np.copyto(mine, theirs)


def aligned_zeros(count: int) -> Floats:
    """Zeros that begin at a whole cache line: what is read and written in vectors must not straddle two of them."""
    room = np.zeros(count + 7)
    first = (-room.ctypes.data % 64) // 8
    return room[first : first + count]


def ramp_place(left: Ints, ramp: int) -> Floats:
    """Share of the way that glides have done with ``left`` of ``ramp`` samples to go."""
    u = 1.0 - left / ramp
    return np.asarray(u * u * (3.0 - 2.0 * u))


@dataclass(frozen=True)
class Program:
    """A compiled patch. An instance is a module as it runs in one voice; see ``compiler.voices``.

    Attributes
    ----------
    module_at : dict of str to int
        Place of each instance in the order of execution.
    input_at : dict of (instance, port) to int
        Index of each input and parameter.
    wire_at, link_at : dict
        Index of each wire; indexes of all wires of a link that is on.
    shares : ndarray [shape=(wires, 2)]
        What each wire takes of its link's amount and offset.
    row_at : dict of (instance, output) to int
        First sample of each output's row.
    copies : dict of str to list of str
        Instances of each module.
    spread : dict of (instance, param) to float
        What a voice adds to a base value.
    sounding : frozenset of str
        Instances from which a way leads to an output.
    asleep : frozenset of str
        Modules from which no way leads to an output: left out, unless somebody watches them.
    live : bool
        Whether a module listens to the live input.
    sounds : list of ndarray
        What the addresses in the plan point to.
    loops : dict of int to tuple of LoopModule
        Feedback loops by their place in the plan's parts, for which code can be made.
    """

    patch: Patch
    rate: float
    plan: Plan
    memory: Memory
    module_at: dict[str, int]
    input_at: dict[tuple[str, str], int]
    wire_at: dict[str, int]
    link_at: dict[str, list[int]]
    shares: Floats
    row_at: dict[tuple[str, str], int]
    copies: dict[str, list[str]]
    spread: dict[tuple[str, str], float]
    sounding: frozenset[str]
    asleep: frozenset[str]
    live: bool
    sounds: list[NDArray[np.float32]]
    loops: dict[int, tuple[LoopModule, ...]]

    @property
    def ramp(self) -> int:
        """Samples that a glide takes."""
        return max(1, round(RAMP_S * self.rate))

    def bases_now(self) -> Floats:
        """Where all base values are on their glides, in their domains."""
        bases = self.memory.bases
        place = ramp_place(bases["left"], self.ramp)
        return np.asarray(bases["start"] + (bases["goal"] - bases["start"]) * place)

    def amounts_now(self) -> tuple[Floats, Floats]:
        """Where all links' amounts and offsets are on their glides."""
        links = self.memory.amounts
        place = ramp_place(links["left"], self.ramp)
        return (
            np.asarray(links["amount_start"] + (links["amount_goal"] - links["amount_start"]) * place),
            np.asarray(links["offset_start"] + (links["offset_goal"] - links["offset_start"]) * place),
        )

    def set_base(self, module: str, param: str, domain_value: float) -> None:
        """Let a base value glide to a new one, given in the parameter's domain, in all voices."""
        now = self.bases_now()
        for instance in self.copies.get(module, ()):
            index = self.input_at[(instance, param)]
            goal = domain_value + self.spread.get((instance, param), 0.0)
            self.memory.bases[index] = (now[index], goal, self.ramp, 1, -1)
            self.memory.restless[self.module_at[instance]] = 1

    def set_link(self, link: str, amount: float, offset: float) -> None:
        """Let a link's amount and offset glide to new ones."""
        amounts, offsets = self.amounts_now()
        for index in self.link_at.get(link, ()):
            goal, shift = amount * self.shares[index, 0], offset * self.shares[index, 1]
            self.memory.amounts[index] = (amounts[index], goal, offsets[index], shift, self.ramp)

    def set_series(self, module: str, series: str, values: Sequence[float]) -> None:
        """Give a module other numbers of a series, at once, in all voices."""
        spec = spec_of(self.patch.module(module).type)
        for instance in self.copies.get(module, ()):
            first, size = spec.series_places[series] if spec else (0, 0)
            at = int(self.plan.modules[self.module_at[instance]]["series_at"]) + first
            self.memory.series[at : at + size] = 0.0
            self.memory.series[at : at + 1 + len(values)] = (len(values), *values)

    def writes(self, place: Place) -> bool:
        """Whether all samples of an output stand in its row though nobody watches it: a first output that sounds."""
        spec = spec_of(self.patch.module(place.module).type) if place.module in self.sounding else None
        return spec is not None and place.port == spec.outputs[0].id

    def press(self, module: str, port: str, high: bool) -> None:
        """Hold an input high, or let it go, at once: a gate by hand."""
        for instance in self.copies.get(module, ()):
            self.memory.bases[self.input_at[(instance, port)]] = (0.0, 1.0 if high else 0.0, 0, 1, -1)
            self.memory.restless[self.module_at[instance]] = 1

    def reset(self, module: str) -> None:
        """Clear what a module remembers, and let it sound again if it was silenced."""
        for instance in self.copies.get(module, ()):
            record = self.plan.modules[self.module_at[instance]]
            for array, name in ((self.memory.states, "state"), (self.memory.memories, "memory")):
                array[record[f"{name}_at"] : record[f"{name}_at"] + record[f"{name}_size"]] = 0.0
            if self.memory.faults[self.module_at[instance]]:
                self._end_glides(record)
            self.memory.faults[self.module_at[instance]] = 0

    def _end_glides(self, record: np.void) -> None:
        """A silenced module's values did not glide on: they are where they were to go."""
        first, last = record["input_first"], record["input_last"]
        self.memory.bases["left"][first:last] = 0
        if last > first:
            links = slice(self.plan.inputs["link_first"][first], self.plan.inputs["link_last"][last - 1])
            self.memory.amounts["left"][links] = 0

    def reset_all(self) -> None:
        """Clear all memories: every echo and every tone starts from nothing."""
        for module in self.copies:
            self.reset(module)
        self.memory.rows[:] = 0.0
        self.memory.bases["stale"] = 1
