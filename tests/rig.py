"""A test bench for modules: feeds any signals into any ports of one module and records its outputs."""

from __future__ import annotations

import math
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import RIGHT
from dunefall.catalogue.joining import Joined, joined, with_empty_layer
from dunefall.compiler.build import compile_patch
from dunefall.compiler.loop import run
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import no_traces
from dunefall.engine.client import EngineClient
from dunefall.engine.messages import CheckpointKept
from dunefall.patch.document import Document
from dunefall.patch.files import load_patch
from dunefall.patch.model import Layer, Link, Module, Patch, Place, SoundRef
from dunefall.render.player import Checkpoint

Signal = NDArray[np.float64]
RATE = 48000.0
LOOP_S = 0.005
"""Seconds that 100,000 additions in a loop take there."""


def demo() -> Patch:
    """The first four lanes of the demo: a patch small enough to reason about."""
    return load_patch(Path(__file__).parents[1] / "bench" / "first-demo.dunefall")


def patch_of(
    *modules: Module, links: tuple[tuple[str, str, float], ...] = (), seed: int = 1, **fields: object
) -> Patch:
    """A patch with one layer of these modules and links ("a.out", "b.in", amount)."""
    made = tuple(
        Link(f"link-{k}", Place(*source.split(".")), Place(*target.split(".")), amount)
        for k, (source, target, amount) in enumerate(links)
    )
    return Patch(seed=seed, layers=(Layer("shared", "Shared"), Layer("a", "A", modules)), links=made, **fields)


def watch_all(patch: Patch, *, rate: float = RATE) -> Program:
    """A program of which every output can be read."""
    every = [Place(m.id, output.id) for m in patch.modules() if (spec := spec_of(m.type)) for output in spec.outputs]
    return compile_patch(patch, rate=rate, probed=every)


class Rig:
    """One module that runs quantum by quantum with any inputs, both channels of its outputs recorded; ``linked`` is
    what it believes to be linked, by default what is given to it; ``watched`` the outputs that are used, by default
    all; ``values`` are parameters whose names these arguments have already."""

    def __init__(
        self,
        type_id: str,
        *,
        rate: float = RATE,
        seed: int = 1,
        linked: int | None = None,
        sound: SoundRef | None = None,
        watched: tuple[str, ...] | None = None,
        drawn: dict[str, tuple[float, ...]] | None = None,
        values: dict[str, float] | None = None,
        **params: float,
    ) -> None:
        self.spec = spec_of(type_id)
        assert self.spec is not None
        patch = patch_of(Module("m", type_id, "M", params | (values or {}), sound=sound, series=drawn or {}), seed=seed)
        self.watched = [output.id for output in self.spec.output_rows if watched is None or output.id in watched]
        self.program: Program = compile_patch(patch, rate=rate, probed=[Place("m", port) for port in self.watched])
        self._auto = linked is None
        self.program.plan.modules["linked"] = linked or 0
        self._out = np.zeros((QUANTUM, 2))

    def run(self, samples: int, *, at_a_time: int = QUANTUM, **inputs: Signal) -> dict[str, Signal]:
        """The outputs of the next samples; inputs and moved parameters in their units. The kernel is called with
        ``at_a_time`` samples, and with rubbish in its scratch space."""
        quantums = -(-samples // QUANTUM)
        program, memory = self.program, self.program.memory
        outputs = {port: np.zeros(quantums * QUANTUM) for port in self.watched}
        mono = {f"{port.id}{RIGHT}": port.id for port in self.spec.inputs if port.stereo and port.id in inputs}
        inputs = {right: inputs[left] for right, left in mono.items()} | inputs
        padded = {
            port: np.pad(values, (0, max(0, quantums * QUANTUM - len(values)))) for port, values in inputs.items()
        }
        for port in padded:
            index = program.input_at[("m", port)]
            program.plan.ports[index] = program.plan.inputs[index]["row"]
            program.plan.inputs["link_last"][index] = program.plan.inputs["link_first"][index] + 1  # no constant row
            program.plan.modules["linked"] |= (1 << index) if self._auto else 0
        for q in range(quantums):
            piece = slice(q * QUANTUM, (q + 1) * QUANTUM)
            for port, values in padded.items():
                row = int(program.plan.inputs[program.input_at[("m", port)]]["row"])
                memory.rows[row : row + QUANTUM] = values[piece]
            for first in range(0, QUANTUM, at_a_time):
                program.plan.scratch[:] = np.nan
                run(program.plan, memory, no_traces(), self._out[first : first + at_a_time])
            for port, values in outputs.items():
                row = program.row_at[("m", port)]
                values[piece] = memory.rows[row : row + QUANTUM]
        return {port: values[:samples] for port, values in outputs.items()}


def slowness() -> float:
    """How many times slower plain Python runs here and now than on the machine of docs/performance.md when nobody else
    uses it; at least 1. Limits in seconds hold for that machine, and are asked for as a ratio to it."""
    times = []
    for _ in range(5):
        begun, total = time.perf_counter(), 0
        for k in range(100_000):
            total += k
        times.append(time.perf_counter() - begun)
    return max(1.0, min(times) / LOOP_S)


def least_of(measure: Callable[[], float], most: float, tries: int = 3) -> float:
    """The least of a few measurements of a time, which others on the machine can only make longer; the first one that
    is below ``most`` is enough."""
    least = math.inf
    for _ in range(tries):
        least = min(least, measure())
        if least < most:
            break
    return least


def until(condition: Callable[[], object], seconds: float = 60.0) -> bool:
    """Wait for something, the longer the slower the machine; whether it came. How fast it must be is no matter here."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():
            return True
        time.sleep(0.02)
    return False


def kept_state(engine: EngineClient) -> Checkpoint:
    """The state in which an engine is about now."""
    with tempfile.TemporaryDirectory() as folder:
        engine.keep_checkpoint(Path(folder) / "state")
        kept = engine.wait_for(CheckpointKept)
        assert isinstance(kept, CheckpointKept)
        assert kept.position >= 0
        with kept.path.open("rb") as file:
            state = Checkpoint.read(file)
    assert state.position == kept.position
    return state


def rises(gate: Signal) -> NDArray[np.int64]:
    """Samples at which a gate goes high."""
    return np.flatnonzero((gate > 0.5) & (np.concatenate([[0.0], gate[:-1]]) <= 0.5))


def ticks(count: int, gap: int, width: int | None = None) -> Signal:
    """``count`` gates, ``gap`` samples apart, the first at sample 0."""
    wide = width or gap // 2
    return np.tile(np.r_[np.ones(wide), np.zeros(gap - wide)], count)


def tone(hz: float, seconds: float, *, rate: float = RATE, level: float = 1.0) -> Signal:
    """A sine."""
    return level * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate)


def level_db(signal: Signal) -> float:
    """RMS in dB."""
    return float(10 * np.log10(np.mean(signal**2) + 1e-300))


def pulses(times_s: list[float], seconds: float, *, rate: float = RATE, width_s: float = 0.01) -> Signal:
    """Gates at these times."""
    gate = np.zeros(round(seconds * rate))
    for at in times_s:
        gate[round(at * rate) : round((at + width_s) * rate)] = 1.0
    return gate


def add_module(document: Document, layer: str, type_id: str, beside: str = "", port: str = "") -> Joined:
    """A module of a type in a layer of a document, joined in the usual way: one undo step."""
    made = joined(document.patch, layer, type_id, beside, port)
    document.edit(f"Add {made.patch.module(made.module).name}", made.patch)
    return made


def add_layer(document: Document, name: str) -> str:
    """An empty layer: one undo step; the id of its output."""
    made = with_empty_layer(document.patch, name)
    document.edit(f"Add layer {name}", made.patch)
    return made.module
