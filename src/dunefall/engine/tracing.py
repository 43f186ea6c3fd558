"""Which output is traced where in the shared memory."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dunefall.catalogue import spec_of
from dunefall.compiler.program import Program
from dunefall.compiler.traces import Traces, nothing_sent
from dunefall.engine.shared import MAX_SLOTS, SharedState, trace_key
from dunefall.patch.model import Place

__all__ = ["TraceSlots"]

Sent = tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]


class TraceSlots:
    """Gives every output of a program that has a row a slot, which it keeps while it exists."""

    def __init__(self, shared: SharedState) -> None:
        self._shared = shared
        self._slots: dict[str, int] = {}
        self._traces: Traces | None = None

    @property
    def places(self) -> dict[str, int]:
        """Slot of each output by ``trace_key``."""
        return dict(self._slots)

    def traces(self, program: Program, probes: list[Place | None], sent: Sent | None = None) -> Traces:
        """Where a program writes; the first voice's outputs represent all voices. ``sent``: what of it goes to other
        instruments (``Outgoing.rows``)."""
        outputs: dict[str, tuple[int, int]] = {}
        for module in program.patch.modules():
            spec = spec_of(module.type)
            if spec is None or module.id not in program.module_at:
                continue
            for k, output in enumerate(spec.outputs):
                row = program.row_at.get((module.id, output.id))
                if row is not None:
                    outputs[trace_key(module.id, output.id if k else "")] = (program.module_at[module.id], row)
        self._assign(list(outputs))
        traced = sorted((place, row, self._slots[key]) for key, (place, row) in outputs.items() if key in self._slots)
        first = np.searchsorted([place for place, _, _ in traced], np.arange(len(program.module_at) + 1))
        self._traces = Traces(
            first.astype(np.int64), np.array([row for _, row, _ in traced], np.int64),
            np.array([slot for _, _, slot in traced], np.int64), self._shared.bins, np.zeros(len(traced)),
            np.zeros(len(traced)), np.zeros(len(probes), np.int64),
            self._shared.probes, self._shared.counts, *(sent or nothing_sent()),
        )  # fmt: skip
        self.probe(program, probes)
        return self._traces

    def probe(self, program: Program, probes: list[Place | None]) -> None:
        """Let the program whose traces were made last write other probes."""
        if self._traces is not None:
            rows = [program.row_at.get((place.module, place.port), -1) if place else -1 for place in probes]
            self._traces.probe_rows[:] = rows

    def let_go(self) -> None:
        """Forget the shared memory."""
        self._traces = None

    def _assign(self, keys: list[str]) -> None:
        there = set(keys)
        for gone in [key for key in self._slots if key not in there]:
            del self._slots[gone]
        free = sorted(set(range(MAX_SLOTS)) - set(self._slots.values()), reverse=True)
        for key in keys:
            if key not in self._slots and free:
                self._slots[key] = free.pop()
                self._shared.bins[self._slots[key]] = 0.0
