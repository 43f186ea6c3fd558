"""The engine's process: compiles, owns the device, answers the window, and ends when the window does."""

from __future__ import annotations

import signal
import sys
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import Any

import numpy as np

from dunefall.base.errors import DeviceError, DunefallError
from dunefall.catalogue import catalogue, spec_of
from dunefall.compiler.build import compile_patch, same_structure, value_changes
from dunefall.compiler.kernels import prepare
from dunefall.compiler.loop import PROBES, Traces
from dunefall.compiler.program import Program
from dunefall.compiler.takeover import Takeover
from dunefall.engine import messages as say
from dunefall.engine.devices.output import AudioOutput, SimulatedOutput, open_output
from dunefall.engine.shared import MAX_SLOTS, SharedState, Status, trace_key
from dunefall.engine.sounding import Sounding
from dunefall.patch.model import Patch, Place

__all__ = ["EngineOptions", "run_engine"]


@dataclass(frozen=True)
class EngineOptions:
    """How the engine starts: the device's choice, its rate in Hz and its frames per block."""

    audio: str = "auto"
    rate: float = 48000.0
    frames: int = 512


def run_engine(pipe: Connection, shared_name: str, options: EngineOptions) -> None:
    """Entry of the engine's process."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    sys.setswitchinterval(0.001)
    host = _Host(pipe, SharedState(shared_name), options)
    try:
        host.serve()
    finally:
        host.close()


class _Host:
    def __init__(self, pipe: Connection, shared: SharedState, options: EngineOptions) -> None:
        self._pipe, self._shared, self._options = pipe, shared, options
        self._patch: Patch | None = None
        self._program: Program | None = None
        self._sounding = Sounding(shared, options.rate, options.frames)
        self._output: AudioOutput | None = None
        self._probes: list[Place | None] = [None] * PROBES
        self._slots: dict[str, int] = {}
        self._traces: Traces | None = None
        self._faulty: tuple[str, ...] = ()

    def serve(self) -> None:
        """Answer messages until the window says goodbye or is gone."""
        answers: dict[type, Callable[[Any], None]] = {
            say.SetPatch: lambda message: self._set_patch(message.patch),
            say.Play: lambda _: self._sounding.later(lambda: self._sounding.set_playing(True)),
            say.Stop: lambda _: self._sounding.later(lambda: self._sounding.set_playing(False)),
            say.Rewind: lambda _: self._rewind(),
            say.Probe: self._set_probe,
        }
        while True:
            try:
                message = self._pipe.recv() if self._pipe.poll(0.1) else None
            except (EOFError, OSError):
                return
            if isinstance(message, say.Quit):
                return
            try:
                if message is not None:
                    answers[type(message)](message)
                self._look_after()
            except DunefallError as error:
                self._tell(say.Trouble(str(error)))

    def close(self) -> None:
        if self._output is not None:
            self._output.stop()
        self._traces = self._program = None
        self._sounding.let_go()
        self._shared.close()

    def _tell(self, message: object) -> None:
        try:
            self._pipe.send(message)
        except (BrokenPipeError, OSError):
            raise SystemExit(0) from None

    def _look_after(self) -> None:
        """What is due beside messages: silenced modules, and the device's count."""
        program = self._program
        if program is None or self._output is None:
            return
        faulty = tuple(module for module, k in program.module_at.items() if program.memory.faults[k])
        if faulty != self._faulty:
            self._faulty = faulty
            self._tell(say.Faults(faulty))
        self._shared.status[Status.UNDERRUNS] = self._output.underruns

    def _set_patch(self, patch: Patch) -> None:
        before, self._patch = self._patch, patch
        if before is None:
            prepare(catalogue(), lambda done, total, name: self._tell(say.Progress(done, total, name)))
        program = self._program
        if before is not None and program is not None and same_structure(before, patch):
            self._glide(program, before, patch)
        else:
            self._swap(patch)
        if self._output is None:
            self._open_output()
            self._tell(say.Prepared())

    def _glide(self, program: Program, before: Patch, after: Patch) -> None:
        bases = value_changes(before, after)
        links = [new for old, new in zip(before.links, after.links, strict=True) if old != new and new.on]

        def edit() -> None:
            for (module, param), value in bases.items():
                program.set_base(module, param, value)
            for link in links:
                if link.id in program.link_at:
                    program.set_link(link.id, link.amount, link.offset)

        self._sounding.later(edit)

    def _swap(self, patch: Patch, *, afresh: bool = False) -> None:
        program = compile_patch(patch, rate=self._options.rate)
        old = None if afresh or self._program is None else self._program
        takeover = Takeover(program, old) if old is not None else None
        traces = self._make_traces(program, patch)
        self._program, self._traces = program, traces
        self._sounding.later(lambda: self._sounding.swap(program, traces, takeover), once_silent=afresh)
        self._tell(say.ProgramRuns(dict(self._slots), program.input_at))

    def _rewind(self) -> None:
        self._sounding.later(lambda: self._sounding.set_playing(False))
        if self._patch is not None:
            self._swap(self._patch, afresh=True)

    def _make_traces(self, program: Program, patch: Patch) -> Traces:
        outputs = {
            trace_key(module.id, output.id if k else ""): program.row_at[(module.id, output.id)]
            for module in patch.modules()
            if (spec := spec_of(module.type)) is not None
            for k, output in enumerate(spec.outputs)
        }
        for gone in [key for key in self._slots if key not in outputs]:
            del self._slots[gone]
        free = sorted(set(range(MAX_SLOTS)) - set(self._slots.values()), reverse=True)
        for key in outputs:
            if key not in self._slots and free:
                self._slots[key] = free.pop()
                self._shared.bins[self._slots[key]] = 0.0
        rows = [row for key, row in outputs.items() if key in self._slots]
        slots = [self._slots[key] for key in outputs if key in self._slots]
        return Traces(
            np.array(rows, np.int64), np.array(slots, np.int64), self._shared.bins, np.zeros(len(rows)),
            np.zeros(len(rows)), self._probe_rows(program), self._shared.probes, self._shared.counts,
        )  # fmt: skip

    def _probe_rows(self, program: Program) -> np.ndarray[Any, np.dtype[np.int64]]:
        places = [(place.module, place.port) if place else ("", "") for place in self._probes]
        return np.array([program.row_at.get(place, -1) for place in places], np.int64)

    def _set_probe(self, message: say.Probe) -> None:
        self._probes[message.index] = message.place
        if self._program is not None and self._traces is not None:
            self._traces.probe_rows[:] = self._probe_rows(self._program)

    def _open_output(self) -> None:
        options, note = self._options, ""
        try:
            self._output = open_output(options.audio, options.rate, options.frames)
            self._output.start(self._sounding.fill)
        except DeviceError as error:
            note = f"{error}. The simulated output sounds instead."
            self._output = SimulatedOutput(options.rate, options.frames)
            self._output.start(self._sounding.fill)
        self._tell(say.DeviceChosen(self._output.name, self._output.simulated, note))
