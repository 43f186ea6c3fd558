"""`make soak`: hours of the demo in checkpointed pieces: finite, no growth of memory, the clock exact."""

from __future__ import annotations

import resource
import sys
from fractions import Fraction

import numpy as np

from dunefall.catalogue import catalogue
from dunefall.compiler.build import compile_patch
from dunefall.compiler.kernels import prepare
from dunefall.compiler.loop import no_traces, run
from dunefall.compiler.program import QUANTUM
from dunefall.patch.library import find_patch

HOURS = 2.0


def main(hours: float) -> None:
    """Run; raises AssertionError on the first fault."""
    prepare(catalogue())
    patch, _ = find_patch("demo:")
    patch = patch.with_param("clock-1", "swing", 0.0)
    program = compile_patch(patch, rate=48000)
    period = Fraction(patch.module("clock-1").params["period_beats"]) * 60 * 48000 / Fraction(patch.tempo_bpm)
    out = np.zeros((QUANTUM, 2))
    row = program.row_at[("clock-1", "gate")]
    ticks, last, worst, position, before = 0, 0.0, 0.0, 0, 0
    total = int(hours * 3600 * 48000)
    while position < total:
        run(program.plan, program.memory, no_traces(), out)
        gate = program.memory.rows[row : row + QUANTUM]
        for place in np.flatnonzero((gate > 0.5) & (np.r_[last, gate[:-1]] <= 0.5)):
            worst = max(worst, abs(position + int(place) - float(ticks * period)))
            ticks += 1
        last = float(gate[-1])
        position += QUANTUM
        if position % (QUANTUM * 75 * 600) == 0:
            assert np.isfinite(out).all()
            assert not program.memory.faults.any()
            program.memory.restore(program.memory.copy())
            used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
            print(f"{position / 48000 / 60:6.0f} min, {ticks} ticks, worst {worst:.3f} samples, {used} MB", flush=True)
            assert before == 0 or used <= before + 50
            before = before or used
    assert worst <= 1.0 + 1e-6, worst


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else HOURS)
