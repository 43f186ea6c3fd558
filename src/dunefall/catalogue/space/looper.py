"""Looper: keeps a stretch of sound going round, and lets new sound be laid over it."""

from __future__ import annotations

from math import inf

from numba import njit

from dunefall.base.arrays import Memory, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.lines import cubic_weights
from dunefall.dsp.maths import floor, fma
from dunefall.dsp.saturation import saturate

__all__ = ["MODULE"]

PLACE, LENGTH, LAST, TAKING, OPEN, OVER, STATE = range(7)
LONGEST_S, LEAST = 20.0, 256.0
EDGE_S = 0.005
KNEE = 1.0


def kernel(
    audio: Row, audio_right: Row, take: Row, lay: Row, clear: Row, record: Row, overdub: Row, span: Row, length_s: Row,
    speed: Row, keep: Row, dry: Row, wet: Row, out: Row, out_right: Row, state: State, memory: Memory, rate: Scalar,
) -> None:  # fmt: skip
    """State: place in the loop, its length in samples (0: empty), last clear, whether a first pass is being recorded,
    whether a recording has just ended by itself, how far laying over is faded in. Memory: a ring for
    each side.

    Recording begins a new loop; it ends when recording ends, or after the set length, and is heard from then on. Where
    both ends of the loop meet, its level dips for some milliseconds.
    """
    size = memory.size // 2
    edge = 1.0 / (EDGE_S * rate)
    for i in range(out.size):
        most = float(size) if span[i] < 0.5 else min(max(floor(length_s[i] * rate), LEAST), float(size))
        wanted = record[i] >= 0.5 or take[i] > 0.5
        if clear[i] > 0.5 and state[LAST] <= 0.5:
            state[LENGTH] = state[TAKING] = state[PLACE] = 0.0
        state[LAST] = clear[i]
        if wanted and state[TAKING] == 0.0 and state[OPEN] == 0.0:
            state[TAKING], state[PLACE], state[LENGTH] = 1.0, 0.0, 0.0
        a = b = 0.0
        if state[TAKING] == 1.0:
            place = int(state[PLACE])
            gain = min(state[PLACE] * edge, 1.0)
            memory[place], memory[size + place] = audio[i] * gain, audio_right[i] * gain
            state[PLACE] += 1.0
            if state[PLACE] >= most or (not wanted and state[PLACE] >= LEAST):
                state[TAKING], state[LENGTH], state[PLACE], state[OPEN] = 0.0, state[PLACE], 0.0, 1.0
        elif state[LENGTH] > 0.0:
            a, b = _round(audio[i], audio_right[i], speed[i], keep[i], lay[i] > 0.5 or overdub[i] >= 0.5, edge, size,
                          state, memory)  # fmt: skip
        if not wanted:
            state[OPEN] = 0.0
        out[i], out_right[i] = fma(audio[i], dry[i], a * wet[i]), fma(audio_right[i], dry[i], b * wet[i])


@njit(error_model="numpy", forceinline=True)
def _round(
    x: float, y: float, speed: float, keep: float, lays: float, edge: float, size: int, state: State, memory: Memory
) -> tuple[float, float]:
    """A sample of the loop; every place that is passed fades, and takes what is laid over."""
    length, place = state[LENGTH], state[PLACE]
    state[OVER] = min(state[OVER] + edge, 1.0) if lays else max(state[OVER] - edge, 0.0)
    near = min(min(place, length - place) * edge, 1.0)
    a = _between(memory, 0, int(length), place) * near
    b = _between(memory, size, int(length), place) * near
    before = floor(place)
    place += speed
    if place >= length:
        place -= length
    elif place < 0.0:
        place += length
    if floor(place) != before and (keep < 1.0 or state[OVER] > 0.0):
        at, gain = int(before), state[OVER]
        memory[at] = saturate(fma(keep, memory[at], gain * x), KNEE)
        memory[size + at] = saturate(fma(keep, memory[size + at], gain * y), KNEE)
    state[PLACE] = place
    return a, b


@njit(error_model="numpy", forceinline=True)
def _between(memory: Memory, first: int, length: int, place: float) -> float:
    """The loop between its samples."""
    at = min(int(place), length - 1)
    after, later = at + 1 if at + 1 < length else 0, at + 2 if at + 2 < length else at + 2 - length
    before = at - 1 if at >= 1 else length - 1
    a, b, c, d = cubic_weights(place - at)
    return fma(d, memory[first + later], fma(c, memory[first + after], fma(a, memory[first + before],
               b * memory[first + at])))  # fmt: skip


MODULE = ModuleSpec(
    id="looper",
    name="Looper",
    stage="space",
    sentence="Records a stretch of sound and keeps it going round: faster, slower, backwards, with more laid over it.",
    kernel=kernel,
    inputs=(
        Input("audio", "Audio", "audio", stereo=True),
        Input("take", "Record", "gate", "While it is high, a new loop is recorded."),
        Input("lay", "Lay over", "gate", "While it is high, new sound is overdubbed."),
        Input("clear", "Clear", "gate", "Each rising edge empties it."),
    ),
    params=(
        Param("record", "Record", "choice", 0, 1, 0, "A new loop, from on to off.", ("off", "on"), amount=1.0),
        Param("overdub", "Lay over", "choice", 0, 1, 0, "New sound is added to the loop.", ("off", "on"), amount=1.0),
        Param("span", "Length", "choice", 0, 1, 0, "As recorded, or a set length.", ("as recorded", "as set")),
        Param("length_s", "Set length", "s", 0.05, LONGEST_S, 4, "Length of the next loop.", taper="octaves",
              amount=1.0, shown_when=("span", (1,))),
        Param("speed", "Speed", "ratio", -2, 2, 1, "100 % as recorded; negative plays in reverse.", amount=0.5),
        Param("keep", "Kept per pass", "ratio", 0, 1, 1, "Level of the loop after each pass.", amount=0.2),
        Param("dry", "Dry", "ratio", 0, 1, 1, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", 0, 1, 0.8, "How much of the loop.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True),),
    state=STATE,
    memory_s=2 * LONGEST_S,
    cycle=Cycle(memory_s=lambda g: inf),
    face="speed",
    passes="audio",
    groups=(
        ("Speed and decay", ("speed", "keep", "clear")),
    ),
    words=("loop", "overdub", "record", "tape", "layer", "repeat"),
    sources=("definition", "Catmull and Rom 1974 (interpolation between samples)"),
)  # fmt: skip
