"""The flat program: a patch as arrays of numbers that the loop runs.

Every signal is a row of one quantum (``QUANTUM`` samples). Every input and parameter has a row that is gathered from
its base value and its links before its module runs; every output has a row that its module writes. What may differ
from sample to sample lies in the arrays of ``Memory``: a checkpoint is a copy of them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dunefall.patch.model import Patch

__all__ = ["QUANTUM", "RAMP_S", "Memory", "Plan", "Program", "ramp_place"]

QUANTUM = 64
"""Samples that are computed at a time, whatever the device asks for."""
RAMP_S = 0.06
"""Time in which a changed value glides to its new place."""

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


MODULE = np.dtype(
    [(name, np.int64) for name in (
        "address", "input_first", "input_last", "port_first", "output_first", "port_last", "state_at", "state_size",
        "memory_at", "memory_size", "linked", "passes",
    )] + [("key", np.uint64)]
)  # fmt: skip
"""A module: its kernel (0: bypassed), its inputs, ports, state and memory; ``passes`` is a row or -1."""
INPUT = np.dtype(
    [(name, np.int64) for name in ("row", "link_first", "link_last", "octaves")]
    + [(name, np.float64) for name in ("low", "high")]
)
"""An input or parameter: its row, its links, its domain and hard range in that domain."""
LINK = np.dtype([(name, np.int64) for name in ("row", "delayed", "bounded", "curve")])
"""A link: the row that it reads, whether a sample late, whether bent above the loop's ceiling, its curve."""
BASE = np.dtype([("start", np.float64), ("goal", np.float64), ("left", np.int64), ("stale", np.int64)])
"""A base value, gliding from start to goal for ``left`` more samples; stale: a constant row must be filled."""
AMOUNT = np.dtype(
    [(name, np.float64) for name in ("amount_start", "amount_goal", "offset_start", "offset_goal")]
    + [("left", np.int64)]
)
"""A link's amount and offset, gliding likewise."""


class Plan(NamedTuple):
    """What never changes while a program runs.

    ``parts`` holds runs of modules (first, last, 1 where they go sample by sample); ``modules``, ``inputs`` and
    ``links`` are records of the kinds above, modules in order of execution; ``ports`` the rows of each module's
    inputs, parameters and outputs; ``outs`` the rows (left, right) that are summed; ``rate`` the sample rate in Hz.
    """

    parts: Ints
    modules: NDArray[np.void]
    ports: Ints
    inputs: NDArray[np.void]
    links: NDArray[np.void]
    outs: Ints
    rate: Floats


class Memory(NamedTuple):
    """What changes while a program runs: all of it, so that a copy is a checkpoint.

    Rows, states and memories of the modules; ``bases`` and ``amounts`` of inputs and links; ``faults`` (1 where a
    module was silenced); ``position`` in samples.
    """

    rows: Floats
    states: Floats
    memories: Floats
    bases: NDArray[np.void]
    amounts: NDArray[np.void]
    faults: Ints
    position: Ints

    def copy(self) -> Memory:
        """A checkpoint."""
        return Memory._make(array.copy() for array in self)

    def restore(self, checkpoint: Memory) -> None:
        """Go back to a checkpoint of the same program."""
        for mine, theirs in zip(self, checkpoint, strict=True):
            np.copyto(mine, theirs)


def ramp_place(left: Ints, ramp: int) -> Floats:
    """Share of the way that glides have done with ``left`` of ``ramp`` samples to go."""
    u = 1.0 - left / ramp
    return np.asarray(u * u * (3.0 - 2.0 * u))


@dataclass(frozen=True)
class Program:
    """A compiled patch.

    Attributes
    ----------
    module_at : dict of str to int
        Place of each module in the order of execution.
    input_at : dict of (module, port) to int
        Index of each input and parameter.
    link_at : dict of str to int
        Index of each link that is on.
    row_at : dict of (module, output) to int
        First sample of each output's row.
    """

    patch: Patch
    rate: float
    plan: Plan
    memory: Memory
    module_at: dict[str, int]
    input_at: dict[tuple[str, str], int]
    link_at: dict[str, int]
    row_at: dict[tuple[str, str], int]

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
        """Let a base value glide to a new one, given in the parameter's domain."""
        index = self.input_at[(module, param)]
        self.memory.bases[index] = (self.bases_now()[index], domain_value, self.ramp, 1)

    def set_link(self, link: str, amount: float, offset: float) -> None:
        """Let a link's amount and offset glide to new ones."""
        index = self.link_at[link]
        amounts, offsets = self.amounts_now()
        self.memory.amounts[index] = (amounts[index], amount, offsets[index], offset, self.ramp)
