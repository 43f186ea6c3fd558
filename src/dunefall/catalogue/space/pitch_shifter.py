"""Pitch shifter: the same sound higher or lower, at the same speed."""

from __future__ import annotations

import math
from math import inf

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.fades import cross_gains
from dunefall.dsp.lines import read_ring
from dunefall.dsp.maths import exp2, fma
from dunefall.dsp.saturation import saturate

__all__ = ["MODULE"]

WRITE, PLACE, OTHER, FADE, FADES, LIKE, BACK, BACK_RIGHT, STATE = range(9)
LONGEST_S, LONGEST_DELAY_S = 0.25, 1.0
KNEE = 1.0
LEAST = 8.0
FADE_SHARE = 0.25
"""Of a window, that a cross-fade takes at most."""
COMPARED, LAGS = 128, 768
"""Points that are compared, and the most distances at which they are, at about 6 kHz."""
COARSE_HZ, COMPARED_S = 6000.0, 0.0213
WORK = COMPARED + LAGS + COMPARED


def kernel(
    audio: Row, audio_right: Row, shift_st: Row, fine_ct: Row, window_s: Row, delay_s: Row, feedback: Row, dry: Row,
    wet: Row, out: Row, out_right: Row, state: State, memory: Memory, rate: Scalar, wanted: Mask,
) -> None:  # fmt: skip
    """State: place of writing; how far behind it is read (0: not begun), and the place that is faded from; what is left
    of the fade, its length, and how alike both places sound; what is fed back on both sides. Memory: room to compare,
    then a ring for each side.

    The ring is read at another speed. Where the reading place would meet that of writing, or fall too far behind, it
    jumps by half a window to a whole one, to where the sound goes on most alike, and fades over: a tone goes on in
    phase, and what is not alike at all keeps its power.
    """
    size, write, place = (memory.size - WORK) // 2, int(state[WRITE]), state[PLACE]
    back, back_right = state[BACK], state[BACK_RIGHT]
    both = wanted & 0b10 != 0
    for i in range(out.size):
        memory[WORK + write] = audio[i] + saturate(feedback[i] * back, KNEE)
        if both:
            memory[WORK + size + write] = audio_right[i] + saturate(feedback[i] * back_right, KNEE)
        write = write + 1 if write + 1 < size else 0
        away = 1.0 - exp2(fma(0.01, fine_ct[i], shift_st[i]) * (1.0 / 12.0))
        window, least = window_s[i] * rate, fma(delay_s[i], rate, LEAST)
        if state[FADE] == 0.0:
            fade = min(FADE_SHARE * window, 0.5 * window / max(abs(away), 0.1))
            low = least + fade * max(-away, 0.0)
            if place < low or place > low + 1.01 * window:
                place = _jump(memory, size, write, place, low, window, fade, both, state, rate)
        share, other = 1.0, 0.0
        if state[FADE] > 0.0:
            share, other = cross_gains(1.0 - state[FADE] / state[FADES], state[LIKE])
            state[OTHER] = min(max(state[OTHER] + away, 1.0), size - 4.0)
            state[FADE] = max(state[FADE] - 1.0, 0.0)
        place = min(max(place + away, 1.0), size - 4.0)
        back = share * read_ring(memory, WORK, size, write, place)
        if other > 0.0:
            back = fma(other, read_ring(memory, WORK, size, write, state[OTHER]), back)
        out[i] = fma(audio[i], dry[i], back * wet[i])
        if both:
            back_right = share * read_ring(memory, WORK + size, size, write, place)
            if other > 0.0:
                back_right = fma(other, read_ring(memory, WORK + size, size, write, state[OTHER]), back_right)
            out_right[i] = fma(audio_right[i], dry[i], back_right * wet[i])
    state[WRITE], state[PLACE], state[BACK], state[BACK_RIGHT] = write, place, back, back_right


@njit(error_model="numpy")
def _jump(
    memory: Memory, size: int, write: int, place: float, low: float, window: float, fade: float, both: float,
    state: State, rate: float,
) -> float:  # fmt: skip
    """Begin to fade over to another reading place, and give it."""
    up, first = place < low, place == 0.0
    far = place + window < low if up else place - window > low + 1.01 * window
    goal = low + 0.5 * window
    state[LIKE] = 0.0
    if not (first or far):
        least = 0.5 * window
        goal, state[LIKE] = _most_alike(memory, size, write, place, place + least if up else place - window, least,
                                        both, rate)  # fmt: skip
    state[OTHER], state[FADES] = place, max(fade, 1.0)
    state[FADE] = 0.0 if first else state[FADES]
    return min(goal, size - 4.0)


@njit(error_model="numpy")
def _most_alike(
    memory: Memory, size: int, write: int, place: float, nearest_place: float, span: float, both: float, rate: float
) -> tuple[float, float]:
    """The place from ``nearest_place`` on to ``span`` samples farther back whose past is most like that of ``place``,
    and how much: 0 to 1. First in steps at about 6 kHz, then sample by sample, then between samples by a parabola."""
    step = max(int(rate / COARSE_HZ + 0.5), 1)
    here, there = int(place), max(int(nearest_place), 1)
    lags = min(int(span) // step + 1, LAGS)
    _thin(memory, 0, COMPARED, size, write, here, step, both)
    _thin(memory, COMPARED, lags + COMPARED, size, write, there, step, both)
    best, found = -1.0, 0.5 * span
    for k in range(lags):
        likeness = 0.0
        power = 1e-12
        for j in range(COMPARED):
            x = memory[COMPARED + k + j]
            likeness = fma(memory[j], x, likeness)
            power = fma(x, x, power)
        likeness /= math.sqrt(power)
        if likeness > best:
            best, found = likeness, float(k * step)
    middle, length = there + int(found), int(COMPARED_S * rate)
    before = peak = after = -1.0
    chosen, last = middle, -2.0
    for lag in range(max(middle - step, 1), middle + step + 2):
        now = _likeness(memory, size, write, here, lag, length, both)
        if last == peak and lag > max(middle - step, 1) and chosen == lag - 1:
            after = now
        if now > peak:
            before, peak, chosen, after = last, now, lag, now
        last = now
    bend = before - 2.0 * peak + after
    between = 0.5 * (before - after) / bend if before > -1.0 and bend < -1e-9 else 0.0
    return chosen + (place - here) + min(max(between, -0.5), 0.5), min(max(peak, 0.0), 1.0)


@njit(error_model="numpy", forceinline=True)
def _at(memory: Memory, size: int, write: int, delay: int, both: float) -> float:
    """Both sides together, so long ago."""
    at = write - delay
    at = at + size if at < 0 else at
    at = at + size if at < 0 else at
    x = memory[WORK + at]
    return x + memory[WORK + size + at] if both else x


@njit(error_model="numpy")
def _thin(memory: Memory, first: int, count: int, size: int, write: int, delay: int, step: int, both: float) -> None:
    """Means of ``step`` samples each, from a delay on into the past."""
    for k in range(count):
        total = 0.0
        for j in range(step):
            total += _at(memory, size, write, min(delay + k * step + j, size - 1), both)
        memory[first + k] = total


@njit(error_model="numpy")
def _likeness(memory: Memory, size: int, write: int, here: int, there: int, length: int, both: float) -> float:
    """How alike two stretches are, -1 to 1."""
    likeness, a, b = 0.0, 1e-12, 1e-12
    for k in range(length):
        x = _at(memory, size, write, min(here + k, size - 1), both)
        y = _at(memory, size, write, min(there + k, size - 1), both)
        likeness, a, b = fma(x, y, likeness), fma(x, x, a), fma(y, y, b)
    return likeness / math.sqrt(a * b)


MODULE = ModuleSpec(
    id="pitch-shifter",
    name="Pitch shifter",
    stage="space",
    sentence="Shifts the pitch by semitones; with feedback each repeat climbs or sinks further.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("shift_st", "Shift", "st", -24, 24, 12, "How far.", amount=12.0),
        Param("fine_ct", "Fine", "cents", -100, 100, 0, "And how much beside.", amount=20.0),
        Param("window_s", "Window", "s", 0.01, LONGEST_S, 0.08, "Window length: short for percussive sounds, long for "
              "chords.", taper="octaves", amount=0.5),
        Param("delay_s", "Delay", "s", 0.0001, LONGEST_DELAY_S, 0.0001, "Delay of the shifted sound, beside half a "
              "window.",
              taper="octaves", amount=1.0),
        Param("feedback", "Feedback", "ratio", -0.98, 0.98, 0, "Feeds the shifted sound back in.", amount=0.2),
        Param("dry", "Dry", "ratio", 0, 1, 0, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", 0, 1, 1, "Level of the shifted sound.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True),),
    state=STATE,
    memory=WORK + 64,
    memory_s=2 * (2.5 * LONGEST_S + LONGEST_DELAY_S + COMPARED_S),
    cached=(PLACE, OTHER, FADE),
    cycle=Cycle(memory_s=lambda g: inf),
    face="shift_st",
    passes="audio",
    words=("harmony", "octave", "shimmer", "transpose", "detune", "spiral"),
    presets=(
        Preset("Octave above", "Twelve semitones higher.",
               {"shift_st": 12.0}, ("shift up",)),
        Preset("Octave below", "Twelve semitones lower.",
               {"shift_st": -12.0}, ("shift down", "giant")),
    ),
    sources=("Dattorro 1997, Effect design 2 (delay-line pitch change, from memory)",
             "Verhelst and Roelands 1993 (joins where the waveforms are most alike, from memory)"),
)  # fmt: skip
