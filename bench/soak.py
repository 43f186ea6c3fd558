"""`make soak`, `python -m bench.soak [HOURS [PATCH]]`: hours of a patch in checkpointed pieces: finite, no growth of
memory, the clock exact."""

from __future__ import annotations

import resource
import sys
from fractions import Fraction

import numpy as np

from dunefall.catalogue import catalogue
from dunefall.compiler.build import compile_patch
from dunefall.compiler.code import use_loop_code
from dunefall.compiler.loop import run
from dunefall.compiler.traces import PROBE_SAMPLES
from dunefall.compiler.warmup import prepare
from dunefall.engine.shared import SharedState
from dunefall.engine.tracing import TraceSlots
from dunefall.patch.library import DEMO, find_patch
from dunefall.patch.model import Place

HOURS = 24.0
PIECE = PROBE_SAMPLES // 8


def main(hours: float, name: str) -> None:
    """Run; raises AssertionError on the first fault."""
    prepare(catalogue())
    patch, _ = find_patch(name)
    patch = patch.with_param("clock-1", "swing", 0.0)
    program = compile_patch(patch, rate=48000, probed=[Place("clock-1", "gate")])
    use_loop_code(program, wait=True)
    period = Fraction(patch.module("clock-1").params["period_beats"]) * 60 * 48000 / Fraction(patch.tempo_bpm)
    shared = SharedState()
    traces = TraceSlots(shared).traces(program, [Place("clock-1", "gate"), None, None, None])
    out, ring = np.zeros((PIECE, 2)), traces.probes
    ticks, last, worst, position, before = 0, 0.0, 0.0, 0, 0
    total = int(hours * 3600 * 48000)
    while position < total:
        run(program.plan, program.memory, traces, out)
        at = position % PROBE_SAMPLES
        gate = ring[0, at : at + PIECE]
        for place in np.flatnonzero((gate > 0.5) & (np.r_[last, gate[:-1]] <= 0.5)):
            worst = max(worst, abs(position + int(place) - float(ticks * period)))
            ticks += 1
        last = float(gate[-1])
        position += PIECE
        if position % (PIECE * 44 * 10) == 0:  # about ten minutes
            assert np.isfinite(out).all()
            assert not program.memory.faults.any()
            program.memory.restore(program.memory.copy())
            used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
            hours_done = position / 48000 / 3600
            print(f"{hours_done:6.2f} h, {ticks} ticks, worst {worst:.6f} samples, {used} MB", flush=True)
            assert before == 0 or used <= before + 50
            before = before or used
    print(f"{hours:g} h done: {ticks} ticks, worst {worst:.6f} samples")
    assert worst <= 1.0 + 1e-6, worst
    del ring, gate, traces, program
    shared.close()


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else HOURS, sys.argv[2] if len(sys.argv) > 2 else DEMO)
