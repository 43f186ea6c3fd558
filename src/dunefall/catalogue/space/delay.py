"""Delay: echoes, from a thickening to minutes of memory."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma, saturate

__all__ = ["MODULE"]

WRITE, TIME, DAMPED = range(3)
LONGEST_S = 5.0
BEND = 0.5  # the reading place moves by at most this many samples per sample: the pitch of a moving tape
KNEE = 1.0
TIME_MOVES = 0b00010


def kernel(audio, time_s, feedback, damping, mix, out, state, memory, rate, moving, scratch):  # type: ignore[no-untyped-def]
    """State: place of writing, delay in samples now (0: not begun), the damping filter's value."""
    n, size = out.size, memory.size
    write, delay, damped = int(state[WRITE]), state[TIME], state[DAMPED]
    longest = size - 4.0
    goal = min(max(time_s[0] * rate, 1.0), longest)
    if delay == 0.0:
        delay = goal
    back = int(delay)
    at = write - back if write >= back else write - back + size
    steady = moving & TIME_MOVES == 0 and delay == goal and back > n
    if steady and 2 <= at < size - n and write + n < size:
        newer, here, older, oldest = _weights(delay - back)
        past, echoes, written = memory[at - 2 : at + n + 1], scratch[:n], memory[write : write + n]
        for i in range(n):
            echo = fma(newer, past[i + 3], here * past[i + 2])
            echoes[i] = fma(oldest, past[i], fma(older, past[i + 1], echo))
        for i in range(n):
            damped = fma(damping[i], damped, (1.0 - damping[i]) * echoes[i])
            out[i] = damped
        for i in range(n):
            written[i] = audio[i] + saturate(feedback[i] * out[i], KNEE)
        for i in range(n):
            out[i] = fma(audio[i], 1.0 - mix[i], echoes[i] * mix[i])
        write += n
    else:
        for i in range(n):
            delay += min(max(min(max(time_s[i] * rate, 1.0), longest) - delay, -BEND), BEND)
            echo = _read(memory, write, delay)
            damped = fma(damping[i], damped, (1.0 - damping[i]) * echo)
            memory[write] = audio[i] + saturate(feedback[i] * damped, KNEE)
            write += 1
            if write == size:
                write = 0
            out[i] = fma(audio[i], 1.0 - mix[i], echo * mix[i])
    state[WRITE], state[TIME], state[DAMPED] = write, delay, damped


@njit(error_model="numpy", forceinline=True)
def _weights(f):  # type: ignore[no-untyped-def]
    """Cubic through four samples: weights of the newer one, the two around the place and the older one."""
    return (
        f * fma(f, fma(-0.5, f, 1.0), -0.5),
        fma(f * f, fma(1.5, f, -2.5), 1.0),
        f * fma(f, fma(-1.5, f, 2.0), 0.5),
        f * f * fma(0.5, f, -0.5),
    )


@njit(error_model="numpy", forceinline=True)
def _read(memory, write, delay):  # type: ignore[no-untyped-def]
    """The sound of ``delay`` samples ago; what the present sample has not written yet counts as its neighbour."""
    size, back = memory.size, int(delay)
    at = write - back if write >= back else write - back + size
    first = memory[at]
    after = memory[at + 1 if at + 1 < size else 0] if back > 1 else first
    second = memory[at - 1 if at >= 1 else at - 1 + size]
    before = memory[at - 2 if at >= 2 else at - 2 + size]
    newer, here, older, third = _weights(delay - back)
    return fma(third, before, fma(older, second, fma(newer, after, here * first)))


MODULE = ModuleSpec(
    id="delay",
    name="Delay",
    stage="space",
    sentence="Repeats a sound after a time; feedback makes a row of echoes, and above 100 % it grows but never bursts.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("time_s", "Time", "s", 0.001, LONGEST_S, 0.4, "Distance of the echoes; moving it bends their pitch.",
              taper="octaves", amount=0.1),
        Param("feedback", "Feedback", "ratio", -1.1, 1.1, 0.4, "Share of each echo that is repeated again.",
              amount=0.2),
        Param("damping", "Damping", "ratio", 0, 0.99, 0.2, "How much duller each repeat gets.", amount=0.2),
        Param("mix", "Mix", "ratio", 0, 1, 0.35, "From the sound alone to the echoes alone.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=3,
    cached=(TIME,),
    memory_s=LONGEST_S + 0.001,
    face="time_s",
    passes="audio",
    words=("echo", "repeat", "space", "tape", "comb"),
    sources=("Schroeder 1962 (echo k of feedback g has amplitude g^k)",
             "Catmull and Rom 1974 (interpolation between samples)"),
)  # fmt: skip
