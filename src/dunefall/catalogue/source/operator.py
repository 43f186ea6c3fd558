"""FM operator: a sine whose phase another sound bends."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma, note_to_hz, ramp, ramp_by, sine
from dunefall.dsp.strike import fall_factor, rise_share, struck

__all__ = ["MODULE"]

PHASE, LAST, BEFORE, HEIGHT, RISING, GATE, NOTE, HZ = range(8)
TRIGGER, FREQUENCY_MOVES, FEEDBACK_MOVES = 0b10, 0b001111100, 0b100000000
PER_RADIAN = 1.0 / (2.0 * math.pi)


def kernel(
    phase_in: Row, trigger: Row, pitch_note: Row, ratio: Row, fine_ct: Row, fixed_hz: Row, tuning: Row, index: Row,
    feedback: Row, level: Row, attack_s: Row, decay_s: Row, velocity: Row, out: Row, state: State, rate: Scalar,
    moving: Mask, linked: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: phase in cycles [0, 1), the last two values (before the level); height of the strike, whether it rises,
    last trigger; the last constant note and its frequency.

    Feedback takes the mean of the last two values, which keeps it from hunting between two of them.
    """
    n, phase = out.size, state[PHASE]
    if moving & FREQUENCY_MOVES:
        for i in range(n):
            hz = note_to_hz(_note(pitch_note[i], fine_ct[i]))
            scratch[i] = _step(hz, ratio[i], fixed_hz[i], tuning[i], rate)
        phase = ramp_by(out, phase, scratch, 1.0)
    else:
        note = _note(pitch_note[0], fine_ct[0])
        if state[NOTE] != note or state[HZ] == 0.0:
            state[NOTE], state[HZ] = note, note_to_hz(note)
        phase = ramp(out, phase, _step(state[HZ], ratio[0], fixed_hz[0], tuning[0], rate))
    state[PHASE] = phase
    for i in range(n):
        out[i] = fma(phase_in[i] * index[i], PER_RADIAN, out[i])
    last, before = state[LAST], state[BEFORE]
    if moving & FEEDBACK_MOVES or feedback[0] != 0.0:
        for i in range(n):
            bend = feedback[i] * (0.5 * PER_RADIAN)
            wave = sine(fma(bend, last, fma(bend, before, out[i])))
            before, last = last, wave
            out[i] = wave * level[i]
    else:
        for i in range(n):
            out[i] = sine(out[i])
        before, last = out[n - 2] if n > 1 else last, out[n - 1]
        for i in range(n):
            out[i] *= level[i]
    state[LAST], state[BEFORE] = last, before
    if linked & TRIGGER:
        _strike(trigger, attack_s, decay_s, velocity, out, state, rate)


@njit(error_model="numpy", forceinline=True)
def _strike(trigger: Row, attack_s: Row, decay_s: Row, velocity: Row, out: Row, state: State, rate: float) -> None:
    """The level has its own strike envelope."""
    height, rising, gate = state[HEIGHT], state[RISING], state[GATE]
    for i in range(out.size):
        if trigger[i] > 0.5 and gate <= 0.5:
            rising = 1.0
        gate = trigger[i]
        height, rising = struck(height, rising, rise_share(attack_s[i], rate), fall_factor(decay_s[i], rate))
        out[i] *= height * velocity[i]
    state[HEIGHT], state[RISING], state[GATE] = height, rising, gate


@njit(error_model="numpy", forceinline=True)
def _note(note: float, cents: float) -> float:
    return fma(cents, 0.01, note)


@njit(error_model="numpy", forceinline=True)
def _step(hz: float, ratio: float, fixed: float, tuning: float, rate: float) -> float:
    """Phase step in cycles; between its two ways of tuning the frequency glides in a straight line."""
    free = hz * ratio
    return min(fma(tuning, fixed - free, free) * (1.0 / rate), 0.5)


MODULE = ModuleSpec(
    id="operator",
    name="FM operator",
    stage="source",
    sentence="A sine operator for phase modulation by another sound or by itself: bells, metal, growls.",
    kernel=kernel,
    inputs=(
        Input("phase_in", "Phase", "audio", "The modulator; its depth is the index, in radians."),
        Input("trigger", "Trigger", "gate", "Each rising edge strikes it; with nothing linked it sounds continuously."),
    ),
    params=(
        Param("pitch_note", "Pitch", "note", -24, 136, 48, "The note; a linked pitch is relative to C4.", amount=7.0),
        Param("ratio", "Ratio", "factor", 0, 64, 1, "Frequency as a multiple of the pitch.", amount=0.5),
        Param("fine_ct", "Fine", "cents", -100, 100, 0, "Detune: slow beating.", amount=10.0),
        Param("fixed_hz", "Fixed frequency", "hz", 0.01, 20000, 110, "Frequency when it does not follow the pitch.",
              taper="octaves", amount=0.5),
        Param("tuning", "Tuned by", "choice", 0, 1, 0, "Source of the frequency.",
              ("pitch and ratio", "fixed frequency")),
        Param("index", "Index", "factor", 0, 40, 1, "Modulation index: peak phase deviation in radians.", amount=1.0),
        Param("feedback", "Feedback", "factor", 0, 4, 0, "Feedback onto itself, in radians; rough above 1.",
              amount=0.3),
        Param("level", "Level", "ratio", 0, 1, 0.5, "Height of the wave.", amount=0.3),
        Param("attack_s", "Attack", "s", 0.0005, 20, 0.002, "Time of a strike's rise.", taper="octaves", amount=1.0),
        Param("decay_s", "Decay", "s", 0.005, 120, 1.5, "Decay time to −60 dB.", taper="octaves", amount=1.0),
        Param("velocity", "Velocity", "ratio", 0, 1, 1, "Strength of a strike: link a keyboard's velocity.",
              amount=1.0),
    ),
    outputs=(Output("out", "Tone", "audio"),),
    state=8,
    handle=("ratio", "index"),
    cycle=Cycle(free=lambda g: True),
    face="ratio",
    groups=(
        ("Tuning", ("fine_ct", "fixed_hz", "tuning")),
        ("Strike", ("attack_s", "velocity")),
    ),
    words=("fm", "phase modulation", "bell", "metal", "ratio", "index", "sine"),
    sources=("Chowning 1973, J. AES 21 (spectrum of frequency modulation)",),
)  # fmt: skip
