"""Plucked string: a period of noise that runs round and round and loses its brightness."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Key, Mask, Memory, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.lines import NEAR, read_line, read_run, write_run
from dunefall.dsp.maths import exp2, fma, note_to_hz
from dunefall.dsp.random import uniform
from dunefall.dsp.strike import TO_60_DB
from dunefall.dsp.triggers import unchanged

__all__ = ["MODULE"]

WRITE, LAST, DRAWS, LEFT, PLUCK, LENGTH, BEFORE = range(7)
MOVES, STRING_MOVES = 0b1100, 0b11100
LOWEST_HZ = 8.0
STRETCH = 65536.0
"""Each pluck has this many random numbers of its own: more than the longest period."""


def kernel(
    trigger: Row, audio: Row, pitch_note: Row, decay_s: Row, brightness: Row, place: Row, hardness: Row, out: Row,
    state: State, memory: Memory, key: Key, rate: Scalar, moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: place of writing, last trigger, random numbers drawn, samples of the pluck that are left, its low-passed
    noise, its length, the string's sample before.

    A delay of one period less what the loop's two-point mean delays, read between samples by a cubic. A pluck is one
    period of noise; the same noise, turned round by a share of the period, is taken off it, which leaves out the
    overtones that have a node where the string is plucked.
    """
    size, write, last, draws = memory.size, int(state[WRITE]), state[LAST], state[DRAWS]
    left, pluck, length, before = state[LEFT], state[PLUCK], state[LENGTH], state[BEFORE]
    n = out.size
    periods, losses = scratch[:n], scratch[64 : 64 + n]
    if moving & MOVES:
        for i in range(n):
            periods[i], losses[i] = _factors(pitch_note[i], decay_s[i], rate, size)
    else:
        periods[:], losses[:] = _factors(pitch_note[0], decay_s[0], rate, size)
    mean = 0.5 * (1.0 - brightness[0])
    delay = periods[0] - mean
    if moving & STRING_MOVES == 0 and left <= 0.0 and delay >= n + NEAR and unchanged(trigger, last):
        strings = scratch[128 : 129 + n]  # nothing is plucked: a whole row at once
        strings[0] = before
        read_run(strings[1:], memory, write, delay)
        for i in range(n):
            out[i] = audio[i] + losses[i] * fma(strings[i] - strings[i + 1], mean, strings[i + 1])
        state[WRITE], state[LAST], state[BEFORE] = write_run(memory, write, out), trigger[n - 1], strings[n]
        return
    for i in range(n):
        period = periods[i]
        if trigger[i] > 0.5 and last <= 0.5:
            left = length = float(int(period))
            pluck = 0.0
            draws += STRETCH
        last = trigger[i]
        push = audio[i]
        if left > 0.0:
            at = length - left
            earlier = at - float(int(place[i] * length))
            earlier += length if earlier < 0.0 else 0.0
            noise = 2.0 * (uniform(key, draws + at, 0) - uniform(key, draws + earlier, 0))
            pluck = fma(noise - pluck, hardness[i], pluck)
            push += pluck
            left -= 1.0
        mean = 0.5 * (1.0 - brightness[i])  # weight of the older of the two samples: also its delay at low frequencies
        string = read_line(memory, write, period - mean)
        memory[write] = push + losses[i] * fma(before - string, mean, string)
        before = string
        out[i] = memory[write]
        write = write + 1 if write + 1 < size else 0
    state[WRITE], state[LAST], state[DRAWS] = write, last, draws
    state[LEFT], state[PLUCK], state[LENGTH], state[BEFORE] = left, pluck, length, before


@njit(error_model="numpy", forceinline=True)
def _factors(note: float, decay: float, rate: float, size: int) -> tuple[float, float]:
    """The period in samples, and what is left of a sound after it."""
    period = min(max(rate / note_to_hz(note), 4.0), size - 4.0)
    return period, exp2(-TO_60_DB * period / (decay * rate))


MODULE = ModuleSpec(
    id="plucked-string",
    name="Plucked string",
    stage="source",
    sentence="A string, plucked by triggers or excited by a sound.",
    kernel=kernel,
    inputs=(
        Input("trigger", "Trigger", "gate", "Each rising edge plucks it.", listens=True),
        Input("audio", "Drive", "audio", "A sound that excites the string."),
    ),
    params=(
        Param("pitch_note", "Pitch", "note", 0, 115, 45, "The string's note; a linked pitch is relative to C4.",
              amount=7.0),
        Param("decay_s", "Decay", "s", 0.05, 120, 4, "Time to −60 dB of the lowest partial.", taper="octaves",
              amount=1.0),
        Param("brightness", "Brightness", "ratio", 0, 1, 0.6, "How slowly the overtones decay.", amount=0.3),
        Param("place", "Place", "ratio", 0.02, 0.5, 0.2, "Where along the string it is plucked.", amount=0.2),
        Param("hardness", "Hardness", "ratio", 0.02, 1, 0.7, "From a thumb to a nail.", amount=0.3),
    ),
    outputs=(Output("out", "Tone", "audio"),),
    state=7,
    memory_s=1.0 / LOWEST_HZ,
    handle=("place", "decay_s"),
    cycle=Cycle(noise=True),
    face="pitch_note",
    shows="spectrum",
    words=("string", "pluck", "guitar", "harp", "wire", "karplus"),
    presets=(
        Preset("Harp string", "Soft, plucked near the middle.",
               {"place": 0.4, "hardness": 0.3, "brightness": 0.5}, ("harp",)),
        Preset("Bass string", "A low string that rings on.",
               {"pitch_note": 28, "decay_s": 7.0, "brightness": 0.4}, ("bass guitar", "double bass")),
        Preset("Wire", "A bright steel string, plucked at its end.",
               {"place": 0.05, "hardness": 1.0, "brightness": 0.9}, ("steel string", "cable")),
    ),
    sources=("Karplus and Strong 1983 (plucked string)", "Jaffe and Smith 1983 (tuning, decay, place of plucking)",
             "Laakso et al. 1996, Splitting the unit delay (Lagrange interpolation)"),
)  # fmt: skip
