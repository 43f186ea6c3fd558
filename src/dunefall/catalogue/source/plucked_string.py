"""Plucked string: a period of noise that runs round and round and loses its brightness."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Key, Mask, Memory, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset, ringing
from dunefall.dsp.lines import NEAR, read_line, read_run, write_run
from dunefall.dsp.maths import exp2, fma, note_to_hz
from dunefall.dsp.random import uniform
from dunefall.dsp.strike import TO_60_DB
from dunefall.dsp.triggers import unchanged
from dunefall.dsp.tuned import blocker_response, mean_response, tuned_delay

__all__ = ["MODULE"]

WRITE, LAST, DRAWS, LEFT, PLUCK, LENGTH, BEFORE, IN, BLOCKED, NOTE, DECAY, BRIGHT, DELAY, LOSS, MEAN, STATE = range(16)
MOVES = 0b11100
LOWEST_HZ = 8.0
BLOCKING = 2.0 * math.pi / 1000.0
"""Where the loop holds back what is far below the note, in radians per period: nothing constant can build up."""
MOST_KEPT = 1.0025
"""What the loop may keep at the note, beside its filters; what is held back below outweighs it."""
STRETCH = 65536.0
"""Each pluck has this many random numbers of its own: more than the longest period."""


def kernel(
    trigger: Row, audio: Row, pitch_note: Row, decay_s: Row, brightness: Row, place: Row, hardness: Row, out: Row,
    state: State, memory: Memory, key: Key, rate: Scalar, moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: place of writing, last trigger, random numbers drawn, samples of the pluck that are left, its low-passed
    noise, its length, the string's sample before, what went into the high-pass and what came out; pitch, decay and
    brightness, and the delay, the loss and the weight of the older sample that go with them.

    A delay of one period less what the loop's two-point mean delays, read between samples by a cubic. A pluck is one
    period of noise; the same noise, turned round by a share of the period, is taken off it, which leaves out the
    overtones that have a node where the string is plucked.
    """
    size, write, last, draws = memory.size, int(state[WRITE]), state[LAST], state[DRAWS]
    left, pluck, length, before = state[LEFT], state[PLUCK], state[LENGTH], state[BEFORE]
    n, into, blocked = out.size, state[IN], state[BLOCKED]
    _tune(pitch_note[0], decay_s[0], brightness[0], state, rate, size)
    delay, loss, mean = state[DELAY], state[LOSS], state[MEAN]
    block = 1.0 - BLOCKING / delay  # for ``_loop`` of the period, which is as long but for a sample
    if moving & MOVES == 0 and left <= 0.0 and delay >= n + NEAR and unchanged(trigger, last):
        strings = scratch[: n + 1]  # nothing is plucked: a whole row at once
        strings[0] = before
        read_run(strings[1:], memory, write, delay)
        for i in range(n):
            string = loss * fma(strings[i] - strings[i + 1], mean, strings[i + 1])
            blocked, into = fma(block, blocked, string - into), string
            out[i] = audio[i] + blocked
        state[WRITE], state[LAST], state[BEFORE] = write_run(memory, write, out), trigger[n - 1], strings[n]
        state[IN], state[BLOCKED] = into, blocked
        return
    for i in range(n):
        if moving & MOVES:
            _tune(pitch_note[i], decay_s[i], brightness[i], state, rate, size)
            delay, loss, mean = state[DELAY], state[LOSS], state[MEAN]
            block = 1.0 - BLOCKING / delay
        if trigger[i] > 0.5 and last <= 0.5:
            left = length = float(int(delay + 1.0))
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
        read = read_line(memory, write, delay)
        string = loss * fma(before - read, mean, read)
        before = read
        blocked, into = fma(block, blocked, string - into), string
        out[i] = memory[write] = push + blocked
        write = write + 1 if write + 1 < size else 0
    state[WRITE], state[LAST], state[DRAWS] = write, last, draws
    state[LEFT], state[PLUCK], state[LENGTH], state[BEFORE] = left, pluck, length, before
    state[IN], state[BLOCKED] = into, blocked


@njit(error_model="numpy", forceinline=True)
def _tune(note: float, decay: float, brightness: float, state: State, rate: float, size: int) -> None:
    """Work out the loop again if a value is another one."""
    if note == state[NOTE] and decay == state[DECAY] and brightness == state[BRIGHT] and state[DELAY] > 0.0:
        return
    state[NOTE], state[DECAY], state[BRIGHT] = note, decay, brightness
    state[DELAY], state[LOSS], state[MEAN] = _loop(note, decay, brightness, rate, size)


@njit(error_model="numpy")
def _loop(note: float, decay: float, brightness: float, rate: float, size: int) -> tuple[float, float, float]:
    """Delay, loss and weight of the older sample: the note is in tune and falls by 60 dB in the decay. Where the mean
    would take more of the note than that, it takes less, so that overtones of high notes fall more slowly."""
    period = min(max(rate / note_to_hz(note), 4.0), size - 4.0)
    omega = 2.0 * math.pi / period
    kept = exp2(-TO_60_DB * period / (decay * rate))
    above, lead = blocker_response(1.0 - BLOCKING / period, omega)
    worst = above * (9.0 * math.cos(0.5 * omega) - math.cos(1.5 * omega)) / 8.0  # half-way between two samples
    spare = max(1.0 - kept / (MOST_KEPT * worst), 0.0) / max(1.0 - math.cos(omega), 1e-9)
    share = min(0.5 * (1.0 - brightness), 0.5 - math.sqrt(0.25 - min(spare, 0.25)))
    gain, lag = mean_response(share, omega)
    delay, read = tuned_delay(period - lag + lead, omega)
    return delay, min(kept / (gain * read * above), MOST_KEPT), share


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
        Param("brightness", "Brightness", "ratio", 0, 1, 0.6, "How slowly the overtones decay; it never shortens the "
              "decay of the lowest partial.", amount=0.3),
        Param("place", "Place", "ratio", 0.02, 0.5, 0.2, "Where along the string it is plucked.", amount=0.2),
        Param("hardness", "Hardness", "ratio", 0.02, 1, 0.7, "From a thumb to a nail.", amount=0.3),
    ),
    outputs=(Output("out", "Tone", "audio"),),
    state=STATE,
    cached=(NOTE, DECAY, BRIGHT, DELAY, LOSS, MEAN),
    memory_s=1.0 / LOWEST_HZ,
    handle=("place", "decay_s"),
    cycle=Cycle(noise=True, memory_s=lambda g: ringing(g, "decay_s")),
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
