"""Where the time of a patch goes: each module, each feedback loop and the master, as a share of the whole.

`python -m bench.where [PATCH]` runs a patch for some seconds, then each part of its program by itself, over and over,
from the state in which it stood. What the parts cost together is compared with what the whole cost.
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable
from typing import Any

import numpy as np
from numba import njit

from dunefall.catalogue import catalogue
from dunefall.compiler import loop
from dunefall.compiler.build import compile_patch
from dunefall.compiler.code import use_loop_code
from dunefall.compiler.plan import Memory, Plan
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import no_traces
from dunefall.compiler.warmup import prepare
from dunefall.patch.library import find_patch
from dunefall.patch.model import Patch

__all__ = ["shares"]

RATE, SETTLED_S, REPEATS, ROUNDS = 48000.0, 10.0, 400, 7
run_module: Any = loop._run_module
run_loop: Any = loop._run_loop


@njit(nogil=True, error_model="numpy")
def _module(plan: Plan, memory: Memory, m: int, repeats: int) -> None:
    for _ in range(repeats):
        run_module(plan, memory, m, 0, QUANTUM, 2880, False)


@njit(nogil=True, error_model="numpy")
def _loop(plan: Plan, memory: Memory, s: int, repeats: int) -> None:
    for _ in range(repeats):
        run_loop(plan, memory, s, 0, QUANTUM, 2880)


def _best_ns(work: Callable[[int], object]) -> float:
    """Nanoseconds per sample, the best of some rounds."""
    work(2)
    times = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        work(REPEATS)
        times.append(time.perf_counter() - begun)
    return min(times) / REPEATS / QUANTUM * 1e9


def shares(patch: Patch) -> tuple[dict[str, float], float]:
    """Nanoseconds per sample of each part of a patch, by its name, the dearest first; and of the whole.

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
    out = np.zeros((round(SETTLED_S * RATE), 2))
    loop.run(program.plan, program.memory, no_traces(), out)
    whole = _best_ns(lambda repeats: loop.run(program.plan, program.memory, no_traces(), out[: repeats * QUANTUM]))
    return dict(sorted(_parts(program).items(), key=lambda entry: -entry[1])), whole


def _parts(program: Program) -> dict[str, float]:
    plan, memory = program.plan, program.memory
    layer = {module.id: layer.name for layer in program.patch.layers for module in layer.modules}
    names = [""] * plan.modules.size
    for copies in program.copies.items():
        for instance in copies[1]:
            module = program.patch.module(copies[0])
            names[program.module_at[instance]] = f"{layer[module.id]}: {module.name} ({module.type})"
    found: dict[str, float] = {}
    for s, (first, last, is_loop, *_) in enumerate(plan.parts.tolist()):
        if is_loop:
            name = f"loop of {', '.join(names[first:last])}"
            found[name] = _best_ns(lambda repeats, s=s: _loop(plan, memory, s, repeats))
            continue
        for m in range(first, last):
            found[names[m]] = found.get(names[m], 0.0) + _best_ns(
                lambda repeats, m=m: _module(plan, memory, m, repeats)
            )
    return found


def main() -> None:
    """Print a table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("patch", nargs="?", default="demo:")
    prepare(catalogue())
    parts, whole = shares(find_patch(parser.parse_args().patch)[0])
    print(f"whole: {whole:.0f} ns a sample, {1e9 / RATE / whole:.1f} times real time")
    print(f"parts together: {sum(parts.values()):.0f} ns")
    for name, cost in parts.items():
        if cost > 0.002 * whole:
            print(f"{100 * cost / whole:5.1f} %  {cost:7.1f} ns  {name}")


if __name__ == "__main__":
    main()
