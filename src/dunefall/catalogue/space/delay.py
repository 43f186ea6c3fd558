"""Delay: echoes, from a thickening to minutes of memory."""

from __future__ import annotations

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import flush, saturate

__all__ = ["MODULE"]

WRITE, TIME, DAMPED = range(3)
LONGEST_S = 5.0
BEND = 0.5  # the reading place moves by at most this many samples per sample: the pitch of a moving tape
KNEE = 1.0


def kernel(audio, time_s, feedback, damping, mix, out, state, memory, rate):  # type: ignore[no-untyped-def]
    """State: place of writing, delay in samples now (0: not begun), the damping filter's value."""
    write, delay, damped = int(state[WRITE]), state[TIME], state[DAMPED]
    size = memory.size
    longest = size - 4.0
    if delay == 0.0:
        delay = min(max(time_s[0] * rate, 1.0), longest)
    for i in range(out.size):
        gap = min(max(time_s[i] * rate, 1.0), longest) - delay
        delay += min(max(gap, -BEND), BEND)
        back = int(delay)
        f = delay - back
        at = write - back
        newer = memory[at + 1 if at + 1 >= 0 else at + 1 + size] if back > 1 else memory[at if at >= 0 else at + size]
        first = memory[at if at >= 0 else at + size]
        second = memory[at - 1 if at >= 1 else at - 1 + size]
        third = memory[at - 2 if at >= 2 else at - 2 + size]
        # Cubic through four samples (Lagrange for a steady delay with a fraction; exact for whole delays).
        c1 = 0.5 * (second - newer)
        c2 = newer - 2.5 * first + 2.0 * second - 0.5 * third
        c3 = 0.5 * (third - newer) + 1.5 * (first - second)
        echo = ((c3 * f + c2) * f + c1) * f + first
        damped += (1.0 - damping[i]) * (echo - damped)
        memory[write] = audio[i] + saturate(feedback[i] * damped, KNEE)
        write += 1
        if write == size:
            write = 0
        out[i] = audio[i] + (echo - audio[i]) * mix[i]
    state[WRITE], state[TIME], state[DAMPED] = write, delay, flush(damped)


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
    memory_s=LONGEST_S + 0.001,
    face="time_s",
    passes="audio",
    words=("echo", "repeat", "space", "tape", "comb"),
    sources=("Schroeder 1962 (echo k of feedback g has amplitude g^k)",
             "Catmull and Rom 1974 (interpolation between samples)"),
)  # fmt: skip
