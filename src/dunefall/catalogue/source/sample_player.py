"""Sample player: a sound file, whole, in a loop or in slices."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Key, Mask, Memory, Row, Scalar, Sound, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.fades import cross_gains
from dunefall.dsp.maths import exp2, floor, fma
from dunefall.dsp.random import uniform
from dunefall.dsp.resample import FASTEST, read_between

__all__ = ["MODULE"]

HEADS, FIELDS = 2, 8
PLACE, BEGIN, LENGTH, GAIN, ON, LEAVING, WAY, LIKE = range(FIELDS)
LAST, HEAD, COUNT, DONE, STATE = range(5)
ONCE, HELD, LOOP, HELD_LOOP = range(4)
FORWARD, BACKWARD, BOTH = range(3)
FADE_S, LEAVE_S, DONE_S = 0.002, 0.008, 0.005
"""In which a head comes in, and leaves; for which its end is told."""
COMPARED = 256
"""Frames of both ends of a loop that are compared."""
SHORTEST = 32.0
"""Frames of the shortest stretch that is played."""
TRIGGER_LINK = 0b1
SLICE_OWN = 2
"""Place of the drawn start among a trigger's random numbers."""


def kernel(
    trigger: Row, pitch_note: Row, root_note: Row, fine_ct: Row, mode: Row, direction: Row, begin: Row, end: Row,
    slices: Row, piece: Row, chance: Row, crossfade_s: Row, level: Row, out: Row, out_right: Row, ended: Row,
    state: State, memory: Memory, key: Key, rate: Scalar, linked: Mask, wanted: Mask, sound: Sound, sound_rows: int,
    sound_rate: Scalar,
) -> None:  # fmt: skip
    """State: last trigger; the head that plays; random numbers drawn; samples for which the end pulse stays high.
    Memory, for each of two heads: frames since its start; start and length in frames; gain; 1 while it sounds; 1 while
    it fades out; its direction; how alike both ends of its loop are, 0 to 1.

    A trigger lets one head leave and the other begin, so that neither clicks. What a head plays is settled when it
    begins; if that would be something else at a turn of a loop, the other head begins it.
    """
    frames = sound.size // sound_rows
    for i in range(out.size):
        out[i] = out_right[i] = ended[i] = 0.0
        if frames < 2:
            continue
        high, kind = trigger[i] > 0.5, int(mode[i] + 0.5)
        rises = high and state[LAST] <= 0.5
        state[LAST] = trigger[i]
        runs = linked & TRIGGER_LINK == 0 and kind >= LOOP
        h = FIELDS * int(state[HEAD])
        if rises or (runs and memory[h + ON] == 0.0):
            h = _begin(memory, state)
            _settle(memory, h, frames, begin[i], end[i], slices[i], piece[i], chance[i], direction[i], state, key)
            if kind == ONCE and memory[h + BEGIN] == 0.0 and memory[h + WAY] != BACKWARD:
                memory[h + GAIN] = 1.0  # from its very start a sound begins as it is
            if kind >= LOOP:
                memory[h + LIKE] = _likeness(sound, sound_rows, frames, memory, h, crossfade_s[i] * sound_rate)
        if not (high or runs) and kind in (HELD, HELD_LOOP):
            memory[h + LEAVING] = 1.0
        speed = exp2((pitch_note[i] - root_note[i] + 0.01 * fine_ct[i]) * (1.0 / 12.0)) * sound_rate / rate
        for k in range(HEADS):
            h = FIELDS * k
            if memory[h + ON] == 0.0:
                continue
            looped = kind >= LOOP
            over = crossfade_s[i] * sound_rate
            left, right = _heard(sound, sound_rows, frames, memory, h, speed, looped, over, rate, wanted & 0b10)
            out[i] += left
            out_right[i] += right
            if _walk(memory, h, min(speed, FASTEST), looped, over, rate) and memory[h + LEAVING] == 0.0:
                if looped:
                    h = _turn(memory, h, frames, begin[i], end[i], slices[i], piece[i], chance[i], direction[i], state,
                              key)  # fmt: skip
                    memory[h + LIKE] = _likeness(sound, sound_rows, frames, memory, h, over)
                else:
                    state[DONE] = DONE_S * rate
        if state[DONE] > 0.0:
            state[DONE] -= 1.0
            ended[i] = 1.0
        out[i] *= level[i]
        out_right[i] *= level[i]


@njit(error_model="numpy", forceinline=True)
def _begin(memory: Memory, state: State) -> int:
    """The head that sounds leaves, the other one begins; gives its place."""
    memory[FIELDS * int(state[HEAD]) + LEAVING] = 1.0
    state[HEAD] = 1.0 - state[HEAD]
    h = FIELDS * int(state[HEAD])
    memory[h + PLACE], memory[h + GAIN], memory[h + ON], memory[h + LEAVING] = 0.0, 0.0, 1.0, 0.0
    return h


@njit(error_model="numpy", forceinline=True)
def _turn(
    memory: Memory, h: int, frames: float, begin: float, end: float, slices: float, piece: float, chance: float,
    direction: float, state: State, key: Key,
) -> int:  # fmt: skip
    """A loop starts again: by the same head if it is to play the same. Gives the head that plays it."""
    first, length, way = memory[h + BEGIN], memory[h + LENGTH], memory[h + WAY]
    _settle(memory, h, frames, begin, end, slices, piece, chance, direction, state, key)
    new_first, new_length, new_way = memory[h + BEGIN], memory[h + LENGTH], memory[h + WAY]
    if new_first != first or new_length != length or new_way != way:
        memory[h + BEGIN], memory[h + LENGTH], memory[h + WAY] = first, length, way
        h = _begin(memory, state)
        memory[h + BEGIN], memory[h + LENGTH], memory[h + WAY] = new_first, new_length, new_way
    return h


@njit(error_model="numpy")
def _likeness(sound: Sound, rows: float, frames: int, memory: Memory, h: int, crossfade: float) -> float:
    """How alike the end of a loop and what comes in below it are."""
    length, way = memory[h + LENGTH], memory[h + WAY]
    over = _overlap(length, crossfade)
    product, a, b = 0.0, 1e-12, 1e-12
    for k in range(COMPARED):
        into = over * (k + 0.5) / COMPARED
        x, _ = _stereo(sound, rows, frames, memory[h + BEGIN], length, length - over + into, 1.0, way, 0.0)
        y, _ = _stereo(sound, rows, frames, memory[h + BEGIN], length, into, 1.0, way, 0.0)
        product, a, b = fma(x, y, product), fma(x, x, a), fma(y, y, b)
    return min(max(product / math.sqrt(a * b), 0.0), 1.0)


@njit(error_model="numpy", forceinline=True)
def _settle(
    memory: Memory, h: int, frames: float, begin: float, end: float, slices: float, piece: float, chance: float,
    direction: float, state: State, key: Key,
) -> None:  # fmt: skip
    """What a head plays: the stretch, one slice of it, a random start; and the direction."""
    memory[h + WAY] = floor(direction + 0.5)
    low, high = min(begin, end) * frames, max(begin, end) * frames
    high = max(high, low + SHORTEST)
    count = floor(slices + 0.5)
    draw = uniform(key, state[COUNT], SLICE_OWN)
    state[COUNT] += 1.0
    if count > 1.0:
        width = (high - low) / count
        place = piece + draw * chance
        number = min(floor((place - floor(place)) * count), count - 1.0) if place != 1.0 else count - 1.0
        memory[h + BEGIN], memory[h + LENGTH] = low + number * width, max(width, SHORTEST)
    else:
        away = draw * chance * max(high - low - SHORTEST, 0.0)
        memory[h + BEGIN], memory[h + LENGTH] = low + away, high - low - away


@njit(error_model="numpy", forceinline=True)
def _overlap(length: float, crossfade: float) -> float:
    return min(max(crossfade, 1.0), 0.5 * length)


@njit(error_model="numpy", forceinline=True)
def _heard(
    sound: Sound, rows: float, frames: int, memory: Memory, h: int, speed: float, looped: float, crossfade: float,
    rate: float, both: float,
) -> tuple[float, float]:  # fmt: skip
    """What a head gives now: near the end of a loop's turn the next turn comes in below it."""
    place, length, gain = memory[h + PLACE], memory[h + LENGTH], memory[h + GAIN]
    way = memory[h + WAY]
    fold = way == BOTH
    left, right = _stereo(sound, rows, frames, memory[h + BEGIN], length, place, speed, way, both)
    if looped and not fold:
        over = _overlap(length, crossfade)
        into = place - (length - over)
        if into > 0.0:
            comes, goes = cross_gains(into / over, memory[h + LIKE])
            a, b = _stereo(sound, rows, frames, memory[h + BEGIN], length, into, speed, way, both)
            left, right = fma(comes, a, goes * left), fma(comes, b, goes * right)
    elif not looped:
        rest = ((2.0 if fold else 1.0) * length - place) / max(speed, 1e-9)
        gain *= min(max(rest / (FADE_S * rate), 0.0), 1.0)
    return left * gain, right * gain


@njit(error_model="numpy", forceinline=True)
def _stereo(
    sound: Sound, rows: float, frames: int, begin: float, length: float, place: float, speed: float, way: float,
    both: float,
) -> tuple[float, float]:  # fmt: skip
    """Both channels at a place of a head's stretch; of a stereo file the middle where only one is wanted."""
    if way == BACKWARD or (way == BOTH and place > length):
        at = begin + (length - place if way == BACKWARD else 2.0 * length - place)
    else:
        at = begin + place
    left = read_between(sound, 0, frames, at, speed)
    if rows == 1:
        return left, left
    right = read_between(sound, frames, frames, at, speed)
    return (left, right) if both else (0.5 * (left + right), 0.0)


@njit(error_model="numpy", forceinline=True)
def _walk(memory: Memory, h: int, speed: float, looped: float, crossfade: float, rate: float) -> bool:
    """A head one sample on; whether its stretch has ended, or restarted in a loop."""
    leaving = memory[h + LEAVING] != 0.0
    step = -1.0 / (LEAVE_S * rate) if leaving else 1.0 / (FADE_S * rate)
    memory[h + GAIN] = min(max(memory[h + GAIN] + step, 0.0), 1.0)
    if leaving and memory[h + GAIN] == 0.0:
        memory[h + ON] = 0.0
        return True
    memory[h + PLACE] += speed
    length = memory[h + LENGTH]
    fold = memory[h + WAY] == BOTH
    turn = 2.0 * length if fold else length
    if memory[h + PLACE] < turn:
        return False
    if looped:
        memory[h + PLACE] -= turn if fold else length - _overlap(length, crossfade)
    else:
        memory[h + ON] = 0.0
    return True


MODULE = ModuleSpec(
    id="sample-player",
    name="Sample player",
    stage="source",
    sentence="Plays a sound file at any pitch: one-shot, gated, as a seamless loop, or in slices.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "A rising edge starts the sound; with nothing linked, loops start by "
                  "themselves.", listens=True),),
    params=(
        Param("pitch_note", "Pitch", "note", -24, 136, 60, "The note; a linked pitch is relative to C4.", amount=7.0),
        Param("root_note", "Root", "note", -24, 136, 60, "Root note: the note that plays the file unchanged.",
              amount=7.0),
        Param("fine_ct", "Fine", "cents", -100, 100, 0, "Detune in hundredths of a semitone.", amount=8.0),
        Param("mode", "Plays", "choice", 0, 3, 2, "One-shot at each trigger, gated, or looped.",
              ("once", "while held", "loop", "loop while held")),
        Param("direction", "Direction", "choice", 0, 2, 0, "Which way through the file.",
              ("forward", "backward", "there and back")),
        Param("begin", "Start", "ratio", 0, 1, 0, "Start position in the file.", amount=0.2),
        Param("end", "End", "ratio", 0, 1, 1, "Where in the file it ends.", amount=0.2),
        Param("slices", "Slices", "none", 1, 128, 1, "Number of equal slices.", amount=4.0),
        Param("piece", "Slice", "ratio", 0, 1, 0, "Which slice plays, from the first to the last.", amount=0.5),
        Param("chance", "Random start", "ratio", 0, 1, 0, "How far the start, or the choice of slice, is random.",
              amount=0.3),
        Param("crossfade_s", "Loop cross-fade", "s", 0.001, 10, 0.05, "Crossfade time at the loop point; it keeps the "
              "power, however alike both ends are.",
              taper="octaves", amount=1.0),
        Param("level", "Level", "ratio", 0, 2, 0.8, "Height of the sound.", amount=0.3),
    ),
    outputs=(Output("out", "Sound", "audio", stereo=True), Output("ended", "End", "gate", 0, 1)),
    state=STATE,
    memory=HEADS * FIELDS,
    sound="file",
    cursors=("begin", "end"),
    cycle=Cycle(lambda g: g.used("chance"), free=lambda g: "trigger" not in g.linked),
    face="pitch_note",
    groups=(
        ("Tuning", ("root_note", "fine_ct")),
        ("Slices", ("slices", "piece", "chance")),
        ("Direction and fades", ("direction", "crossfade_s")),
    ),
    words=("file", "wav", "recording", "loop", "slice", "one-shot", "field recording", "ambience", "sampler"),
    presets=(
        Preset("One-shot", "Plays once to the end at each trigger.",
               {"mode": "once"}, ("hit", "play once", "sfx")),
        Preset("Slice player", "Plays one of sixteen slices, chosen at random.",
               {"mode": "once", "slices": 16, "chance": 1.0}, ("slices", "chopped", "cut up")),
    ),
    sources=("Smith 2002, Digital audio resampling (windowed sinc)",),
)  # fmt: skip
