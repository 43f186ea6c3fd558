"""Grain player: a cloud of short pieces of a sound file."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from dunefall.base.arrays import Key, Mask, Memory, Row, Scalar, Sound, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.grains import SHARE, grain_pause
from dunefall.dsp.maths import exp2, floor, fma, sine
from dunefall.dsp.random import philox
from dunefall.dsp.resample import read_between

__all__ = ["MODULE"]

GRAINS, FIELDS = 32, 7
PLACE, STEP, AGE, GROWTH, LEFT, RIGHT, EDGE = range(FIELDS)
LAST, WAIT, COUNT, SCANNED, STATE = range(5)
ROOT_NOTE = 60.0
ROOT_2 = math.sqrt(2.0)
SHORTEST = 8.0
"""Samples of the shortest grain."""


def kernel(
    trigger: Row, position: Row, scan: Row, spray_s: Row, size_s: Row, density_hz: Row, unevenness: Row,
    pitch_note: Row, scatter_ct: Row, backwards: Row, edge: Row, spread: Row, level: Row, out: Row, out_right: Row,
    state: State, memory: Memory, key: Key, rate: Scalar, wanted: Mask, sound: Sound, sound_rows: int,
    sound_rate: Scalar,
) -> None:  # fmt: skip
    """State: last trigger; samples until the next grain; random numbers drawn; frames that scanning has advanced.
    Memory, for each of 32 grains: place in frames, step per sample, age [0, 1) and its growth per sample (0: the grain
    is over), gains to the left and to the right, share of its edges.

    A grain keeps what it was born with; one that finds no free place is left out.
    """
    frames = sound.size // sound_rows
    both = wanted & 0b10
    for i in range(out.size):
        out[i] = out_right[i] = 0.0
        if frames < 2:
            continue
        state[WAIT] -= 1.0
        if (trigger[i] > 0.5 and state[LAST] <= 0.5) or state[WAIT] <= 0.0:
            at = position[i] * frames + state[SCANNED]
            _bear(memory, state, key, at - floor(at / frames) * frames, frames, spray_s[i] * sound_rate,
                  max(size_s[i] * rate, SHORTEST), pitch_note[i], scatter_ct[i], backwards[i], edge[i], spread[i],
                  sound_rate / rate, both)  # fmt: skip
        if state[WAIT] <= 0.0:
            state[WAIT] += grain_pause(rate / density_hz[i], unevenness[i], state[COUNT], key)
        state[LAST] = trigger[i]
        state[SCANNED] += scan[i] * sound_rate / rate
        state[SCANNED] -= floor(state[SCANNED] / frames) * frames
        left = right = 0.0
        for g in range(GRAINS):
            h = FIELDS * g
            if memory[h + GROWTH] == 0.0:
                continue
            a, b = _grain(memory, h, sound, sound_rows, frames, both)
            left += a
            right += b
        out[i], out_right[i] = left * level[i], right * level[i]


@njit(error_model="numpy", forceinline=True)
def _bear(
    memory: Memory, state: State, key: Key, at: float, frames: float, spray: float, size: float, pitch: float,
    scatter: float, backwards: float, edge: float, spread: float, per_rate: float, both: float,
) -> None:  # fmt: skip
    """A grain in the first free place."""
    a, b, c, d = philox(key, np.uint64(state[COUNT]), np.uint64(0))
    state[COUNT] += 1.0
    h = -1
    for g in range(GRAINS):
        if h < 0 and memory[FIELDS * g + GROWTH] == 0.0:
            h = FIELDS * g
    if h < 0:
        return
    away, chance, side, turn = _centred(a), _centred(b), _centred(c), 0.5 * (_centred(d) + 1.0)
    step = exp2((pitch - ROOT_NOTE + 0.01 * scatter * chance) * (1.0 / 12.0)) * per_rate
    back = turn < backwards
    place = at + away * spray + (step * size if back else 0.0)
    memory[h + PLACE] = place - floor(place / frames) * frames
    memory[h + STEP] = -step if back else step
    memory[h + AGE], memory[h + GROWTH], memory[h + EDGE] = 0.0, 1.0 / size, edge
    angle = fma(0.125 * side, spread, 0.125)
    memory[h + LEFT] = ROOT_2 * sine(angle + 0.25) if both else 1.0
    memory[h + RIGHT] = ROOT_2 * sine(angle) if both else 0.0


@njit(error_model="numpy", forceinline=True)
def _grain(memory: Memory, h: int, sound: Sound, rows: float, frames: int, both: float) -> tuple[float, float]:
    """One sample of a grain; a grain that reaches the end of the file goes on at its begin."""
    age, place, step = memory[h + AGE], memory[h + PLACE], memory[h + STEP]
    gain = _window(age, memory[h + EDGE])
    left = read_between(sound, 0, frames, place, abs(step))
    right = left if rows == 1 else read_between(sound, frames, frames, place, abs(step))
    place += step
    memory[h + PLACE] = place - frames if place >= frames else place + frames if place < 0.0 else place
    age += memory[h + GROWTH]
    memory[h + AGE] = age
    if age >= 1.0:
        memory[h + GROWTH] = 0.0
    if not both:
        return gain * 0.5 * (left + right), 0.0
    return gain * memory[h + LEFT] * left, gain * memory[h + RIGHT] * right


@njit(error_model="numpy", forceinline=True)
def _window(age: float, edge: float) -> float:
    """Level over a grain's age: it rises and falls as half a cosine, each in this share of it (Tukey 1967)."""
    near = min(age, 1.0 - age) / max(0.5 * edge, 1e-3)
    return 1.0 if near >= 1.0 else 0.5 - 0.5 * sine(0.5 * near + 0.25)


@njit(error_model="numpy", forceinline=True)
def _centred(number: np.uint64) -> float:
    return 2.0 * SHARE * number - 1.0


MODULE = ModuleSpec(
    id="grain-player",
    name="Grain player",
    stage="source",
    sentence="Granular player: breaks a sound file into short grains that hold, stretch or scatter it.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "Each rising edge adds a grain to the regular ones."),),
    params=(
        Param("position", "Position", "ratio", 0, 1, 0.2, "Position in the file where grains start.", amount=0.2),
        Param("scan", "Scan", "ratio", -2, 2, 0, "Speed at which the position moves through the file; 100 % is normal "
              "speed.", amount=0.3),
        Param("spray_s", "Spray", "s", 0.0001, 30, 0.08, "Random spread around the position.",
              taper="octaves", amount=1.0),
        Param("size_s", "Size", "s", 0.002, 4, 0.18, "Length of a grain.", taper="octaves", amount=1.0),
        Param("density_hz", "Density", "hz", 0.1, 200, 18, "Grains per second.", taper="octaves", amount=1.0),
        Param("unevenness", "Unevenness", "ratio", 0, 1, 0.5, "From regular timing to random timing, like rain.",
              amount=0.3),
        Param("pitch_note", "Pitch", "note", -24, 136, 60, "C4 plays the file at its own pitch; a linked pitch is "
              "relative to C4.", amount=7.0),
        Param("scatter_ct", "Scatter", "cents", 0, 2400, 6, "Random detuning of each grain.", amount=30.0),
        Param("backwards", "Backwards", "ratio", 0, 1, 0, "Share of grains played in reverse.", amount=0.5),
        Param("edge", "Softness", "ratio", 0, 1, 1, "Share of each grain used for its fades.", amount=0.3),
        Param("spread", "Spread", "ratio", 0, 1, 0, "Stereo spread of the grains.", amount=0.3),
        Param("level", "Level", "ratio", 0, 2, 0.6, "Height of the sound.", amount=0.3),
    ),
    outputs=(Output("out", "Cloud", "audio", stereo=True, width="spread"),),
    state=STATE,
    memory=GRAINS * FIELDS,
    sound="file",
    cursors=("position",),
    face="position",
    groups=(
        ("Scatter", ("scan", "spray_s", "unevenness", "scatter_ct", "backwards", "trigger")),
        ("Edge and place", ("edge", "spread")),
    ),
    words=("granular", "cloud", "stretch", "freeze", "texture", "wav", "file", "particles"),
    sources=("Roads 2001, Microsound (granular synthesis, from memory)", "Tukey 1967 (tapered cosine window)"),
)  # fmt: skip
