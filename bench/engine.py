"""Speed of the engine: the demo against real time, each module, and compiling."""

from __future__ import annotations

import statistics
import time

import numpy as np

from dunefall.catalogue import catalogue
from dunefall.catalogue.declare import ModuleSpec
from dunefall.compiler.build import compile_patch
from dunefall.compiler.loop import run
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.team import threads_here
from dunefall.compiler.traces import PROBES, Traces, no_traces
from dunefall.compiler.warmup import prepare
from dunefall.engine.shared import SharedState
from dunefall.engine.tracing import TraceSlots
from dunefall.patch.library import find_patch
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from dunefall.render.offline import CODE_FROM_S, render_to_array
from dunefall.render.threads import render_with

__all__ = ["compile_ms", "cost_by_size_ns", "memory_per_module", "module_costs_ns", "realtime_factor", "trace_cost"]


def realtime_factor(seconds: float = 30.0, rounds: int = 5) -> dict[str, float]:
    """Seconds of the demo's sound per second of one core, after warm-up: worst and best of some rounds; and the best
    and the gain of as many threads as there are processors, each round in turn with one of one thread."""
    patch, _ = find_patch("demo:")
    prepare(catalogue())
    render_to_array(patch, seconds=CODE_FROM_S)  # long enough that its loops' code is made
    factors: dict[int, list[float]] = {1: [], threads_here(): []}
    for _ in range(rounds):
        for threads, found in factors.items():
            render_with(threads)
            begun = time.perf_counter()
            render_to_array(patch, seconds=seconds)
            found.append(seconds / (time.perf_counter() - begun))
    render_with(1)
    alone, together = factors[1], factors[threads_here()]
    gain = statistics.median(b / a for a, b in zip(alone, together, strict=True))
    return {"worst": min(alone), "median": statistics.median(alone), "best": max(alone), "together": max(together),
            "gain": gain}  # fmt: skip


def module_costs_ns(copies: int = 20, quantums: int = 100, rounds: int = 8) -> dict[str, dict[str, float]]:
    """Nanoseconds per sample of each module, the engine's own share included: with constant parameters, with its main
    parameter moved by a link, and with every parameter moved by one; the smallest of rounds that go through all
    modules, as a neighbour on the machine works for seconds."""
    costs = {id_: dict.fromkeys(("constant", "main", "every"), float("inf")) for id_ in catalogue()}
    for _ in range(rounds):
        for spec in catalogue().values():
            main = [spec.face] if spec.face and spec.target(spec.face) else []
            every = [param.id for param in spec.params if spec.target(param.id)]
            for name, moved in (("constant", []), ("main", main), ("every", every)):
                costs[spec.id][name] = min(costs[spec.id][name], _cost_ns(spec, moved, copies, quantums))
    return costs


def _cost_ns(spec: ModuleSpec, moved: list[str], copies: int, quantums: int) -> float:
    modules = tuple(Module(f"m{k}", spec.id, "M") for k in range(copies))
    links = tuple(
        Link(f"{m.id}-{port}", Place("sway", "out"), Place(m.id, port), 0.1) for m in modules for port in moved
    )
    sway = Module("sway", "lfo", "Sway", {"rate_hz": 3.0})
    patch = Patch(layers=(Layer("shared", "S", (sway, *modules)),), links=links)
    program = compile_patch(patch, rate=48000, probed=[Place(m.id, "") for m in modules])
    out = np.zeros((quantums * 64, 2))
    run(program.plan, program.memory, no_traces(), out)
    times = []
    for _ in range(5):
        begun = time.perf_counter()
        run(program.plan, program.memory, no_traces(), out)
        times.append(time.perf_counter() - begun)
    return min(times) / len(out) / copies * 1e9


def compile_ms(count: int) -> float:
    """Milliseconds that compiling a patch of ``count`` modules takes after warm-up, the best of five."""
    kinds = list(catalogue())
    modules = tuple(Module(f"m{k}", kinds[k % len(kinds)], "M") for k in range(count))
    patch = Patch(layers=(Layer("shared", "S", modules),))
    times = []
    for _ in range(5):
        begun = time.perf_counter()
        compile_patch(patch, rate=48000, probed=[Place(m.id, "") for m in modules])
        times.append(time.perf_counter() - begun)
    return min(times) * 1000


def _chains(count: int) -> Patch:
    """``count`` modules in chains of noise, filter, amplifier, moved by an LFO each, all heard."""
    layers, links = [Layer("shared", "S")], []
    for c in range(count // 5):
        names = {name: f"{name}{c}" for name in ("noise", "filter", "amplifier", "lfo")}
        modules = tuple(Module(id_, type_, "M") for type_, id_ in names.items())
        layers.append(Layer(f"l{c}", "L", (*modules, Module(f"l{c}-output", "output", "L"))))
        for k, (a, b) in enumerate((
            (Place(names["noise"], "out"), Place(names["filter"], "audio")),
            (Place(names["filter"], "low"), Place(names["amplifier"], "audio")),
            (Place(names["amplifier"], "out"), Place(f"l{c}-output", "audio")),
            (Place(names["lfo"], "out"), Place(names["filter"], "cutoff_hz")),
        )):  # fmt: skip
            links.append(Link(f"x{c}-{k}", a, b))
    return Patch(layers=tuple(layers), links=tuple(links))


def _run_time(program: Program, traces: Traces, quantums: int, rounds: int = 7) -> float:
    out, times = np.zeros((quantums * QUANTUM, 2)), []
    for _ in range(rounds):
        begun = time.perf_counter()
        run(program.plan, program.memory, traces, out)
        times.append(time.perf_counter() - begun)
    return min(times)


def cost_by_size_ns(counts: tuple[int, ...] = (10, 50, 200, 1000, 2000)) -> dict[int, float]:
    """Nanoseconds per sample and module of patches of different size: the same wherever cost is linear."""
    found = {}
    for count in counts:
        program = compile_patch(_chains(count), rate=48000)
        quantums = max(20, 4000 // count)
        found[count] = _run_time(program, no_traces(), quantums) / (quantums * QUANTUM) / count * 1e9
    return found


def memory_per_module(count: int = 1000) -> float:
    """Bytes of a program per module, without delay lines."""
    program = compile_patch(_chains(count), rate=48000)
    arrays = [*program.plan, *program.memory]
    return sum(array.nbytes for array in arrays) / count


def trace_cost(traces: int = 200) -> float:
    """Share of a core that so many live traces cost the engine at 48 kHz."""
    program = compile_patch(_chains(traces), rate=48000)
    shared = SharedState()
    watched = TraceSlots(shared).traces(program, [None] * PROBES)
    quantums = 200
    costs = [_run_time(program, kind, quantums) for _ in range(3) for kind in (watched, no_traces())]
    extra = min(costs[::2]) - min(costs[1::2])
    share = extra / (quantums * QUANTUM / 48000) * traces / len(watched.rows)
    del watched
    shared.close()
    return share
