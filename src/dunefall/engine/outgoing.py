"""What goes out to other instruments: the rows of the modules that send, sample by sample, in rings."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dunefall.catalogue import spec_of
from dunefall.compiler.program import Program
from dunefall.compiler.traces import SENT_SAMPLES
from dunefall.engine.shared import SharedState
from dunefall.patch.model import Module, Patch

__all__ = ["MOST_SENT", "Outgoing", "Pace", "Tap"]

MOST_SENT = 64
"""Rows of a patch that can be sent: of a note three, of a controller one."""


class Pace(NamedTuple):
    """How far the sound is: the count of samples (see ``Traces``) at a time of ``time.monotonic()``, and whether it
    plays."""

    at_s: float = 0.0
    samples: int = 0
    plays: bool = False


@dataclass(frozen=True)
class Tap:
    """A module that sends, in one voice.

    Attributes
    ----------
    instance : str
        It, and its voice.
    kind : "notes", "controller" or "osc"
        What it sends.
    name : str
        The module's.
    slots : tuple of int
        The rings of its outputs.
    values : mapping of str to float
        What its parameters are set to.
    """

    instance: str
    kind: str
    name: str
    slots: tuple[int, ...]
    values: Mapping[str, float]


class Outgoing:
    """The rings, and who has which. The audio thread writes; who sends reads.

    Attributes
    ----------
    taps : tuple of Tap
        What is sent now; replaced as a whole.
    pace : Pace
        Where the sound is; replaced as a whole at the start of each block.
    rings : ndarray of float32 [shape=(MOST_SENT, SENT_SAMPLES)]
        NaN where nothing was written yet.
    """

    def __init__(self, shared: SharedState) -> None:
        self._shared = shared
        self.rings = np.full((MOST_SENT, SENT_SAMPLES), np.nan, np.float32)
        self.taps: tuple[Tap, ...] = ()
        self.pace = Pace()

    @property
    def written(self) -> int:
        """Samples so far."""
        return int(self._shared.counts[2])

    def mark(self, at_s: float, plays: bool) -> None:
        """A block begins (audio thread)."""
        self.pace = Pace(at_s, self.written, plays)

    def read(self, slot: int, first: int, last: int) -> NDArray[np.float32]:
        """Samples of a ring, by their count; the last ``SENT_SAMPLES`` are there."""
        samples: NDArray[np.float32] = self.rings[slot].take(range(first, last), mode="wrap")
        return samples

    def rows(self, program: Program) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]:
        """Which rows a program writes into which rings, and these; from now on its modules are those that send."""
        old = {tap.instance: tap.slots for tap in self.taps}
        found = [(name, module) for module in _senders(program.patch) for name in program.copies.get(module.id, ())]
        kept = {slot for name, _ in found for slot in old.get(name, ())}
        free = sorted(set(range(MOST_SENT)) - kept, reverse=True)
        taps, rows = list[Tap](), list[int]()
        for name, module in found:
            outputs = _outputs(module)
            if name not in old and len(free) < len(outputs):
                continue
            slots = old.get(name) or tuple(free.pop() for _ in outputs)
            if name not in old:
                self.rings[list(slots)] = np.nan
            taps.append(_tap(module, name, slots))
            rows += [program.row_at[name, output] for output in outputs]
        self.taps = tuple(taps)
        return np.array(rows, np.int64), np.array([slot for tap in taps for slot in tap.slots], np.int64), self.rings

    def follow(self, patch: Patch) -> None:
        """The modules are the same, and set to other values."""
        modules = {module.id: module for module in _senders(patch)}
        kept = [(tap, modules.get(tap.instance.partition("#")[0])) for tap in self.taps]
        self.taps = tuple(_tap(module, tap.instance, tap.slots) for tap, module in kept if module is not None)


def _senders(patch: Patch) -> Iterator[Module]:
    for module in patch.modules():
        spec = spec_of(module.type)
        if spec is not None and spec.sends and not module.bypassed:
            yield module


def _outputs(module: Module) -> list[str]:
    spec = spec_of(module.type)
    return [output.id for output in spec.outputs] if spec else []


def _tap(module: Module, instance: str, slots: tuple[int, ...]) -> Tap:
    spec = spec_of(module.type)
    assert spec is not None
    values = {param.id: module.params.get(param.id, param.default) for param in spec.params}
    return Tap(instance, spec.sends, module.name, slots, values)
