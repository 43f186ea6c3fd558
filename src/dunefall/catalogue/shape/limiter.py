"""Limiter: nothing passes the ceiling."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, settling
from dunefall.dsp.follow import approach_step
from dunefall.dsp.maths import db_to_gain, fma

__all__ = ["MODULE"]

WRITE, HELD, LEFT, TOTAL, BUSY = range(5)
AHEAD_S = 0.0015
RIGHT = 0b10
MOVES = 0b11100
GONE = 1e-6


def kernel(
    audio: Row, audio_right: Row, drive_db: Row, ceiling_db: Row, release_s: Row, out: Row, out_right: Row,
    reduction: Row, state: State, memory: Memory, rate: Scalar, moving: Mask, wanted: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: place of writing; the reduction that is held, and for how many samples more; the sum of the last
    reductions, and how many of them are not 0.

    The sound waits for a moment. What a sample needs is held for that moment, comes back with the release, and is
    averaged over the moment, so that it has arrived when the sample does. Whatever still exceeds the ceiling is
    clipped.
    """
    size = memory.size // 3
    write, held, left, total, busy = int(state[WRITE]), state[HELD], state[LEFT], state[TOTAL], state[BUSY]
    n, per_size = out.size, 1.0 / size
    gains, tops, steps = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    if moving & MOVES:
        for i in range(n):
            gains[i], tops[i], steps[i] = _factors(drive_db[i], ceiling_db[i], release_s[i], rate)
    else:
        gains[:], tops[:], steps[:] = _factors(drive_db[0], ceiling_db[0], release_s[0], rate)
    for i in range(n):
        top = tops[i]
        a, b = gains[i] * audio[i], gains[i] * audio_right[i]
        loud = max(abs(a), abs(b))
        need = 1.0 - top / loud if loud > top else 0.0
        if need >= held:
            held, left = need, float(size)
        elif left > 0.0:
            left -= 1.0
        else:
            held = fma(need - held, steps[i], held)
            held = held if held > GONE else 0.0
        before = memory[2 * size + write]
        busy += (1.0 if held != 0.0 else 0.0) - (1.0 if before != 0.0 else 0.0)
        total = total + held - before if busy > 0.0 else 0.0
        late, late_right = memory[write], memory[size + write]
        memory[write], memory[size + write], memory[2 * size + write] = a, b, held
        write = write + 1 if write + 1 < size else 0
        keep = fma(-total, per_size, 1.0)
        out[i] = min(max(late * keep, -top), top)
        if wanted & RIGHT:
            out_right[i] = min(max(late_right * keep, -top), top)
        reduction[i] = 1.0 - keep
    state[WRITE], state[HELD], state[LEFT], state[TOTAL], state[BUSY] = write, held, left, total, busy


@njit(error_model="numpy", forceinline=True)
def _factors(drive: float, ceiling: float, release: float, rate: float) -> tuple[float, float, float]:
    return db_to_gain(drive), db_to_gain(ceiling), approach_step(release, rate)


MODULE = ModuleSpec(
    id="limiter",
    name="Limiter",
    stage="shape",
    sentence="Keeps peaks below a ceiling; with 1.5 ms of look-ahead they are lowered, not clipped.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("drive_db", "Drive", "db", -24, 36, 0, "Level at the input.", amount=6.0),
        Param("ceiling_db", "Ceiling", "db", -48, 0, -3, "No sample comes out louder.", amount=3.0),
        Param("release_s", "Release", "s", 0.02, 5, 0.15, "Release time.", taper="octaves",
              amount=1.0),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True), Output("reduction", "Reduction", "control", 0, 1)),
    state=5,
    memory_s=3 * AHEAD_S,
    cycle=Cycle(memory_s=lambda g: settling(g, "release_s")),
    face="ceiling_db",
    passes="audio",
    shows="wave",
    words=("peak", "ceiling", "loud", "brickwall", "dynamics", "guard"),
    sources=("Giannoulis, Massberg and Reiss 2012, J. AES 60 (look-ahead, smoothed gain; from memory)",),
)  # fmt: skip
