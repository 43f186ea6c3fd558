"""The arrays of a flat program: everything constant while it runs, and everything that changes.

Whatever may differ from sample to sample is in the arrays of ``Memory``: a checkpoint is a copy of them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple, TypeAlias

import numpy as np
from numpy.typing import NDArray

from dunefall.base.arrays import Floats
from dunefall.catalogue.declare import ModuleSpec
from dunefall.compiler.records import AMOUNT, BASE, INPUT, LINK, MODULE, VOICE

__all__ = [
    "Floats",
    "Ints",
    "LoopLink",
    "LoopModule",
    "Memory",
    "Plan",
    "Record",
    "Records",
    "aligned_zeros",
    "nothing_planned",
    "ramp_place",
]

Ints = NDArray[np.int64]
Record: TypeAlias = Any
"""A row of records as compiled code sees it: the fields of one of ``compiler.records`` as attributes."""
Records: TypeAlias = Any
"""Records of one kind, by their place."""


class Plan(NamedTuple):
    """What never changes while a program runs, but for ``ports`` (an input that was edited no longer reads the row of a
    constant that many share) and the room to work in.

    ``parts`` holds runs of modules (first, last, 1 where they go sample by sample, address of the code made for this
    very loop or 0, row of what comes late into its lines where it may run by rows, or -1); ``modules``, ``inputs``,
    ``links`` and ``voices`` are records of the kinds above, modules in order of execution; ``ports`` the rows of each
    module's inputs, parameters and outputs; ``moved`` the linked inputs; ``rests`` the states that are 0 when a voice
    has ended, ``meets`` the rows by which its sound leaves; ``channels`` tells which outputs of a layer's end go into
    the channels of ``mix``, where the sum of the layers is made; ``scratch`` is nobody's; ``live`` is the live input of
    this quantum; ``places`` takes the addresses of ``PLACES`` at each run; ``rate`` the sample rate in Hz.

    ``strands``, ``tasks``, ``ends`` and ``tail`` tell what may run at the same time: see ``compiler.strands``. Each
    thread has its own piece of ``scratch`` and of ``places``. ``context`` is room for where the arrays of a run are.
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
    strands: Ints
    tasks: Ints
    ends: Ints
    tail: Ints
    context: Ints


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
    """Zeros that begin at a whole cache line: what is read and written in vectors must not straddle two of them.

    Parameters
    ----------
    count : int
        How many.

    Returns
    -------
    Floats
    """
    room = np.zeros(count + 7)
    first = (-room.ctypes.data % 64) // 8
    return room[first : first + count]


def nothing_planned() -> tuple[Plan, Memory]:
    """A plan and a memory of nothing: their types are those of all others."""
    ints, floats = np.zeros(0, np.int64), np.zeros(0)
    plan = Plan(
        parts=np.zeros((0, 5), np.int64), modules=np.zeros(0, MODULE), ports=ints, inputs=np.zeros(0, INPUT),
        links=np.zeros(0, LINK), moved=ints, voices=np.zeros(0, VOICE), rests=ints, meets=ints, channels=ints,
        mix=floats, scratch=floats, live=floats, places=ints, rate=floats, strands=np.zeros((0, 2), np.int64),
        tasks=np.zeros((0, 2), np.int64), ends=ints, tail=ints, context=ints,
    )  # fmt: skip
    memory = Memory(
        rows=floats, states=floats, memories=floats, series=floats, bases=np.zeros(0, BASE),
        amounts=np.zeros(0, AMOUNT), faults=ints, restless=ints, levels=floats, resting=ints, clicks=floats,
        now=floats, position=ints,
    )  # fmt: skip
    return plan, memory


def ramp_place(left: Ints, ramp: int) -> Floats:
    """Share of the way that glides have done with ``left`` of ``ramp`` samples to go.

    Parameters
    ----------
    left : ndarray
        Samples that glides still have to go.
    ramp : int
        Samples that a glide takes.

    Returns
    -------
    Floats

    Examples
    --------
    >>> ramp_place(np.array([100, 50, 0]), 100).tolist()
    [0.0, 0.5, 1.0]
    """
    u = 1.0 - left / ramp
    return np.asarray(u * u * (3.0 - 2.0 * u))


@dataclass(frozen=True)
class LoopLink:
    """A link into a module of the loop.

    Attributes
    ----------
    source : (int, int) or None
        Module of the loop and output; None: the signal comes from outside.
    bounded : bool
        Bent above the loop's ceiling.
    curve : int
    """

    source: tuple[int, int] | None
    bounded: bool
    curve: int


@dataclass(frozen=True)
class LoopModule:
    """A module of the loop.

    Attributes
    ----------
    links : tuple
        Its links by input or parameter.
    leaving : tuple of bool
        For each output, whether somebody outside of the loop sees all its samples.
    used : tuple of bool
        For each output, whether somebody uses it.
    """

    spec: ModuleSpec
    links: tuple[tuple[LoopLink, ...], ...]
    leaving: tuple[bool, ...]
    used: tuple[bool, ...]
    bypassed: bool
