"""Speed of the engine: the demo against real time, each module, and compiling."""

from __future__ import annotations

import time

import numpy as np

from dunefall.catalogue import catalogue
from dunefall.compiler.build import compile_patch
from dunefall.compiler.kernels import prepare
from dunefall.compiler.loop import no_traces, run
from dunefall.patch.library import find_patch
from dunefall.patch.model import Layer, Module, Patch, Place
from dunefall.render.offline import render_to_array

__all__ = ["compile_ms", "module_costs_ns", "realtime_factor"]


def realtime_factor(seconds: float = 30.0, rounds: int = 5) -> dict[str, float]:
    """Seconds of the demo's sound per second of one core, after warm-up: worst and best of some rounds."""
    patch, _ = find_patch("demo:")
    prepare(catalogue())
    render_to_array(patch, seconds=1.0)
    factors = []
    for _ in range(rounds):
        begun = time.perf_counter()
        render_to_array(patch, seconds=seconds)
        factors.append(seconds / (time.perf_counter() - begun))
    return {"worst": min(factors), "median": sorted(factors)[rounds // 2], "best": max(factors)}


def module_costs_ns(copies: int = 20, quantums: int = 400) -> dict[str, float]:
    """Nanoseconds per sample of each module with constant parameters, the engine's own share included."""
    costs = {}
    for spec in catalogue().values():
        modules = tuple(Module(f"m{k}", spec.id, "M") for k in range(copies))
        program = compile_patch(
            Patch(layers=(Layer("shared", "S", modules),)), rate=48000, probed=[Place(m.id, "") for m in modules]
        )
        out = np.zeros((quantums * 64, 2))
        run(program.plan, program.memory, no_traces(), out)
        times = []
        for _ in range(5):
            begun = time.perf_counter()
            run(program.plan, program.memory, no_traces(), out)
            times.append(time.perf_counter() - begun)
        costs[spec.id] = min(times) / len(out) / copies * 1e9
    return costs


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
