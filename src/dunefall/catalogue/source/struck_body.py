"""Struck body: a bar, a skin, a bell, a plate or a glass, as the sum of its modes."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from dunefall.base.arrays import Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset, ringing
from dunefall.dsp.lanefilters import MODES, ring_modes
from dunefall.dsp.lanes import EIGHT, turn_eight
from dunefall.dsp.maths import exp2, fma, note_to_hz, sine
from dunefall.dsp.saturation import saturate
from dunefall.dsp.strike import fall_factor

__all__ = ["BODIES", "MODULE"]

COUNT, LAST, LEFT, LENGTH, FORCE = range(5)
RE, IM, TURN_RE, TURN_IM, STRIKE, DRIVE = (8 + MODES * k for k in range(6))
KNOWN = 8 + 6 * MODES
VALUES = 6
STATE = KNOWN + VALUES
STEP = 16
"""Pitches and decays of the modes follow their parameters every so many samples."""
TURNED, SUMS = STEP * MODES, 2 * STEP * MODES
"""Where, behind the strike, the modes stand mode by mode, and their sums."""
HIGHEST = 0.45
KNEE = 2.0
LOUD = 0.5


def _bar() -> list[float]:
    """Free ends: roots of cosh x cos x = 1, squared."""
    roots = [4.730040744862704, 7.853204624095838, 10.995607838001671, 14.137165491257464]
    roots += [(2 * k + 1) * math.pi / 2 for k in range(5, 11)]
    return [(root / roots[0]) ** 2 for root in roots]


def _plate() -> list[float]:
    """Held at its edges, sides 4 : 3: squares of half waves along both."""
    sums = sorted(9 * m * m + 16 * n * n for m in range(1, 9) for n in range(1, 9))
    return [value / sums[0] for value in sums]


BODIES: dict[str, list[float]] = {
    "bar": _bar(),
    "membrane": [1, 1.593340506, 2.135548787, 2.295417267, 2.653066405, 2.917295455,
                 3.155464815, 3.50014749, 3.598484674, 3.647451179, 4.058931883,
                 4.13173816, 4.230439128, 4.601044534, 4.610051645, 4.831885263],
    "bell": [0.5, 1, 1.2, 1.5, 2, 2.5, 2.667, 3, 4, 5.333, 6.667],
    "plate": _plate(),
    "glass": [1, 2.32, 4.25, 6.63, 9.38],
}  # fmt: skip
"""Frequencies of the modes over the pitch."""
RATIOS = np.array([(*ratios[:MODES], *[0.0] * max(0, MODES - len(ratios))) for ratios in BODIES.values()])


def kernel(
    trigger: Row, audio: Row, body: Row, pitch_note: Row, size: Row, decay_s: Row, material: Row, place: Row,
    hardness: Row, strength: Row, out: Row, state: State, rate: Scalar, scratch: Scratch,
) -> None:  # fmt: skip
    """State: samples since the modes were set, last trigger, samples of the strike that are left, its length and force,
    then for each mode its two numbers, its turn by one sample, what a strike and what the drive give it; then the
    values for which these were worked out.

    A mode is a number in the plane that turns and shrinks from sample to sample. A strike is one smooth push of unit
    area, shorter the harder.
    """
    n, i, count = out.size, 0, int(state[COUNT])
    while i < n:
        if count == 0:
            values = body[i], pitch_note[i], size[i], decay_s[i], material[i], place[i]
            if not _known(state, values):
                _set(state, int(body[i] + 0.5), pitch_note[i], size[i], decay_s[i], material[i], place[i], rate)
        last = min(n, i + STEP - count)
        count = (count + last - i) % STEP
        _strike(trigger, hardness, strength, scratch, state, i, last, rate)
        _ring(audio, scratch, out, state, i, last, scratch[64:])
        i = last
    state[COUNT] = count


@njit(error_model="numpy", forceinline=True)
def _strike(
    trigger: Row, hardness: Row, strength: Row, push: Row, state: State, first: int, end: int, rate: float
) -> None:
    last, left, length, force = state[LAST], state[LEFT], state[LENGTH], state[FORCE]
    for i in range(first, end):
        if trigger[i] > 0.5 and last <= 0.5:
            left = length = max(2.0, float(int(rate * 0.012 * exp2(-6.0 * hardness[i]))))
            force = 2.0 * strength[i] / length
        last = trigger[i]
        push[i] = 0.0
        if left > 0.0:
            bow = sine(0.5 * (length - left + 0.5) / length)
            push[i] = force * bow * bow
            left -= 1.0
    state[LAST], state[LEFT], state[LENGTH], state[FORCE] = last, left, length, force


@njit(error_model="numpy", forceinline=True)
def _ring(audio: Row, push: Row, out: Row, state: State, first: int, end: int, room: Row) -> None:
    n = end - first
    ring_modes(room, 0, state, RE, audio, push, first, n)
    for i in range(0, n, EIGHT):
        for k in range(0, MODES, EIGHT):
            turn_eight(room, TURNED + STEP * k + i, STEP, room, MODES * i + k, MODES)
    even, odd = room[SUMS : SUMS + n], room[SUMS + STEP : SUMS + STEP + n]
    for i in range(n):
        even[i] = odd[i] = 0.0
    for k in range(0, MODES, 2):
        for i in range(n):
            even[i] += room[TURNED + STEP * k + i]
            odd[i] += room[TURNED + STEP * (k + 1) + i]
    for i in range(n):
        out[first + i] = saturate(even[i] + odd[i], KNEE)


@njit(error_model="numpy", forceinline=True)
def _known(state: State, values: tuple[float, float, float, float, float, float]) -> bool:
    """Whether the modes were worked out for these values; they are noted."""
    same = True
    for k in range(VALUES):
        same = same and state[KNOWN + k] == values[k]
        state[KNOWN + k] = values[k]
    return same


@njit(error_model="numpy", forceinline=True)
def _set(
    state: State, body: int, note: float, size: float, decay: float, material: float, place: float, rate: float
) -> None:
    """Turns and shares of all modes: a mode's decay falls with its frequency, slowly in metal, fast in wood; a mode is
    heard as far as the place of the strike moves in it."""
    base = note_to_hz(note) / size
    for k in range(MODES):
        ratio = RATIOS[body, k]
        hz = base * ratio
        if ratio == 0.0 or hz > HIGHEST * rate:
            state[TURN_RE + k] = state[TURN_IM + k] = state[STRIKE + k] = state[DRIVE + k] = 0.0
            continue
        fade = decay * size * exp2(-math.log2(ratio) * fma(1.8, material, 0.2))
        shrink = fall_factor(fade, rate)
        angle = hz / rate
        state[TURN_RE + k], state[TURN_IM + k] = shrink * sine(angle + 0.25), shrink * sine(angle)
        share = LOUD * abs(sine(0.5 * (k + 1.0) * place)) / math.sqrt(1.0 + k)
        state[STRIKE + k] = share
        state[DRIVE + k] = share * math.sqrt(2.0 * (1.0 - shrink))


MODULE = ModuleSpec(
    id="struck-body",
    name="Struck body",
    stage="source",
    sentence="A bar, drum skin, bell, plate or glass, struck by triggers or excited by a sound.",
    kernel=kernel,
    inputs=(
        Input("trigger", "Trigger", "gate", "Each rising edge strikes it.", listens=True),
        Input("audio", "Drive", "audio", "A sound that excites it."),
    ),
    params=(
        Param("body", "Body", "choice", 0, 4, 0, "What is struck.", tuple(BODIES)),
        Param("pitch_note", "Pitch", "note", 0, 120, 57, "Note of the first mode (of the prime, for a bell); a linked "
              "pitch is relative to C4.", amount=7.0),
        Param("size", "Size", "factor", 0.1, 10, 1, "A larger body rings lower and longer.", taper="octaves",
              amount=1.0),
        Param("decay_s", "Decay", "s", 0.02, 60, 2.5, "Time to −60 dB of the first mode.", taper="octaves", amount=1.0),
        Param("material", "Material", "ratio", 0, 1, 0.3, "From metal, whose high modes last, to wood.", amount=0.3),
        Param("place", "Place", "ratio", 0.01, 0.5, 0.23, "Where it is struck, from the edge to the middle.",
              amount=0.2),
        Param("hardness", "Hardness", "ratio", 0, 1, 0.6, "From felt to steel.", amount=0.3),
        Param("strength", "Strength", "ratio", 0, 1, 0.8, "Force of a strike.", amount=0.3),
    ),
    outputs=(Output("out", "Tone", "audio"),),
    state=STATE,
    cached=(KNOWN + 2,),  # a size of 0: they are worked out anew
    handle=("place", "decay_s"),
    cycle=Cycle(memory_s=lambda g: ringing(g, "decay_s")),
    face="pitch_note",
    shows="spectrum",
    words=("bell", "drum", "bar", "glass", "plate", "metal", "wood", "modal", "strike", "percussion", "resonator",
           "kick", "tom"),
    presets=(
        Preset("Kick", "A low membrane, struck softly.",
               {"body": "membrane", "pitch_note": 31, "decay_s": 0.4, "hardness": 0.25, "strength": 1.0},
               ("bass drum", "kick drum", "thud")),
        Preset("Tom", "A membrane of middle size.",
               {"body": "membrane", "pitch_note": 45, "decay_s": 0.7, "hardness": 0.4}, ("drum",)),
        Preset("Church bell", "A large bell that rings for a long time.",
               {"body": "bell", "pitch_note": 48, "decay_s": 12.0}, ("bell", "tolling", "chime")),
        Preset("Wood block", "A short bar of wood.",
               {"body": "bar", "pitch_note": 76, "decay_s": 0.15, "material": 0.9}, ("wood", "knock", "clave")),
        Preset("Glass bowl", "A bowl of glass that sings on.",
               {"body": "glass", "pitch_note": 72, "decay_s": 5.0}, ("glass", "crystal")),
        Preset("Metal sheet", "A plate of steel, struck hard.",
               {"body": "plate", "pitch_note": 38, "decay_s": 6.0, "hardness": 0.8}, ("steel", "gong", "clang")),
    ),
    sources=("Fletcher and Rossing, The Physics of Musical Instruments (modes; bell and glass from memory)",
             "zeros of Bessel functions (membrane), roots of cosh x cos x = 1 (bar)"),
)  # fmt: skip
