"""Where the time of a patch goes: each module, each feedback loop and the master, as a share of the whole.

`python -m bench.where [PATCH]` runs a patch for some seconds, then some more with the processor's clock read before and
after each part, so that every part is timed with the sound and in the surroundings that it has.
"""

from __future__ import annotations

import argparse
import time
from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, types
from numba.extending import intrinsic
from numpy.typing import NDArray

from dunefall.catalogue import catalogue
from dunefall.compiler import loop, parts
from dunefall.compiler.build import compile_patch
from dunefall.compiler.code import use_loop_code
from dunefall.compiler.context import recall as _recall
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM, RAMP_S
from dunefall.compiler.traces import no_traces
from dunefall.compiler.views import borrow as _borrow
from dunefall.compiler.warmup import prepare
from dunefall.dsp.tiny import restore_tiny as _restore_tiny
from dunefall.dsp.tiny import tiny_is_zero as _tiny_is_zero
from dunefall.patch.library import find_patch
from dunefall.patch.model import Patch

__all__ = ["shares"]

RATE, SETTLED_S, TIMED_S = 48000.0, 10.0, 10.0
Counts = NDArray[np.int64]
run_module: Any = parts._run_module
run_loop: Any = parts._run_loop
follow: Any = parts._follow
add: Any = parts.into_mix
rest: Any = parts.rest
recall: Any = _recall
borrow: Any = _borrow
tiny_is_zero: Any = _tiny_is_zero
restore_tiny: Any = _restore_tiny


@intrinsic
def _cycles(typingctx):  # type: ignore[no-untyped-def]
    """The processor's clock."""

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        kind = ir.FunctionType(ir.IntType(64), [])
        name = "llvm.readcyclecounter"
        return builder.call(builder.module.globals.get(name) or ir.Function(builder.module, kind, name), [])

    return types.int64(), generate


cycles: Any = _cycles


@njit(nogil=True, error_model="numpy")
def _timed(context: int, quantums: int, modules_held: Counts, ends_held: Counts) -> None:
    """As ``loop.run``, but for what goes out: cycles of each module (a loop counts as its first one), and of what
    follows each; the last one is the end of a quantum. The program must have run before: where its arrays are was
    written down there. Ours are borrowed: counting references to them would cost more than most modules."""
    plan, memory, traces = recall(context)
    modules, ends, ramp, mode = borrow(modules_held), borrow(ends_held), round(RAMP_S * plan.rate[0]), tiny_is_zero()
    for _ in range(quantums):
        plan.mix[:] = 0.0
        for s in range(plan.parts.shape[0]):
            first, last, is_loop = plan.parts[s, 0], plan.parts[s, 1], plan.parts[s, 2]
            if is_loop != 0:
                begun = cycles()
                run_loop(plan, memory, s, 0, QUANTUM, ramp)
                modules[first] += cycles() - begun
            for k in range(first, last):
                if is_loop == 0:
                    begun = cycles()
                    run_module(plan, memory, k, 0, QUANTUM, ramp, False)
                    modules[k] += cycles() - begun
                begun = cycles()
                follow(plan, memory, traces, k, 0, QUANTUM)
                if plan.modules[k].lane_end != 0:
                    add(plan, memory, k, 0, QUANTUM)
                ends[k] += cycles() - begun
        memory.position[0] += QUANTUM
        begun = cycles()
        rest(plan, memory)
        ends[plan.modules.size] += cycles() - begun
    restore_tiny(mode)


def shares(patch: Patch) -> tuple[dict[str, float], float]:
    """Nanoseconds per sample of each part of a patch, by its name, the dearest first; and of the whole, untimed.

    Parameters
    ----------
    patch : Patch
        What is measured.

    Returns
    -------
    dict of str to float, float
    """
    program = compile_patch(patch, rate=RATE)
    use_loop_code(program, wait=True)
    plan, memory, out = program.plan, program.memory, np.zeros((round(SETTLED_S * RATE), 2))
    loop.run(plan, memory, no_traces(), out)
    begun = time.perf_counter()
    loop.run(plan, memory, no_traces(), out)
    whole = (time.perf_counter() - begun) / len(out) * 1e9
    modules, ends = np.zeros(plan.modules.size, np.int64), np.zeros(plan.modules.size + 1, np.int64)
    _timed(plan.context.ctypes.data, 2, modules, ends)  # compiled
    modules[:], ends[:] = 0, 0
    quantums = round(TIMED_S * RATE / QUANTUM)
    begun = time.perf_counter()
    _timed(plan.context.ctypes.data, quantums, modules, ends)
    timed = (time.perf_counter() - begun) / quantums / QUANTUM * 1e9
    scale = timed / (modules.sum() + ends.sum())
    parts: dict[str, float] = {"layers into the mix, and the click watch": float(ends.sum() * scale)}
    for name, spent in zip(_names(program), modules, strict=True):
        parts[name] = parts.get(name, 0.0) + float(spent * scale)
    return dict(sorted(parts.items(), key=lambda entry: -entry[1])), whole


def _names(program: Program) -> list[str]:
    """What each module of a program is called, the first of a loop after all of it."""
    layer = {module.id: layer.name for layer in program.patch.layers for module in layer.modules}
    names = [""] * program.plan.modules.size
    for module_id, instances in program.copies.items():
        module = program.patch.module(module_id)
        for instance in instances:
            names[program.module_at[instance]] = f"{layer[module_id]}: {module.name} ({module.type})"
    for first, last, is_loop, *_ in program.plan.parts.tolist():
        if is_loop:
            names[first] = f"loop of {', '.join(names[first:last])}"
    return names


def main() -> None:
    """Print a table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("patch", nargs="?", default="demo:")
    prepare(catalogue())
    parts, whole = shares(find_patch(parser.parse_args().patch)[0])
    total = sum(parts.values())
    print(f"whole: {whole:.0f} ns a sample, {1e9 / RATE / whole:.1f} times real time; timed: {total:.0f} ns")
    for name, cost in parts.items():
        if cost > 0.002 * total:
            print(f"{100 * cost / total:5.1f} %  {cost:7.1f} ns  {name}")


if __name__ == "__main__":
    main()
