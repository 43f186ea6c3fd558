"""Envelope: rises at a trigger and falls again."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.curves import bent
from dunefall.dsp.strike import fall_factor, rise_share, struck, struck_bent
from dunefall.dsp.triggers import PULSE_S, held_for, pulsed

__all__ = ["MODULE"]

LEVEL, STAGE, LAST, PLACE, FROM, HIGH, END = range(7)
TIMES_MOVE, CURVE_MOVES, KIND_MOVES, ENDED_WANTED = 0b1011000, 1 << 8, 0b100, 0b10
REST = 0.001
"""A strike that has fallen to −60 dB has ended."""
KINDS = ("strike", "hold", "sustain", "loop")
STRIKE, HOLD, SUSTAIN, LOOP = range(4)
RESTS, ATTACKS, HOLDS, DECAYS, STAYS, RELEASES = range(6)


def kernel(
    trigger: Row, velocity: Row, kind: Row, attack_s: Row, hold_s: Row, decay_s: Row, sustain: Row, release_s: Row,
    curve: Row, level: Row, force: Row, begins: Row, out: Row, ended: Row, state: State, rate: Scalar, moving: Mask,
    scratch: Scratch, linked: Mask, wanted: Mask,
) -> None:  # fmt: skip
    """State: level, stage, last trigger, how much of the stage is done, the level at its start, how high this one goes,
    samples for which the end's pulse stays high.

    A strike: the exponential curves of a capacitor. The other kinds: stages of a set time with a set bend, each from
    the level that is there.
    """
    if kind[0] == STRIKE and not moving & KIND_MOVES:
        _strikes(trigger, velocity, attack_s, decay_s, curve, force, begins, out, ended, state, rate, moving, scratch,
                 linked, wanted)  # fmt: skip
    else:
        _stages(trigger, velocity, kind, attack_s, hold_s, decay_s, sustain, release_s, curve, force, begins, out,
                ended, state, rate, linked)  # fmt: skip
    for i in range(out.size):
        out[i] *= level[i]


@njit(error_model="numpy", forceinline=True)
def _height(velocity: float, force: float) -> float:
    """How high a trigger of this velocity, 0..1, goes."""
    return 1.0 - force * (1.0 - min(max(velocity, 0.0), 1.0))


@njit(error_model="numpy", forceinline=True)
def _strikes(
    trigger: Row, velocity: Row, attack_s: Row, decay_s: Row, curve: Row, force: Row, begins: Row, out: Row, ended: Row,
    state: State, rate: float, moving: Mask, scratch: Scratch, linked: Mask, wanted: Mask,
) -> None:  # fmt: skip
    value, rising, last, n = state[LEVEL], 1.0 if state[STAGE] == ATTACKS else 0.0, state[LAST], out.size
    top = state[HIGH] if state[HIGH] > 0.0 else 1.0
    rises, falls = scratch[:n], scratch[64 : 64 + n]
    if moving & TIMES_MOVE:
        for i in range(n):
            rises[i] = rise_share(attack_s[i], rate)
            falls[i] = fall_factor(decay_s[i], rate)
    else:
        rises[:] = rise_share(attack_s[0], rate)
        falls[:] = fall_factor(decay_s[0], rate)
    before, end, straight = value, state[END], curve[0] == 0.0 and not moving & CURVE_MOVES
    for i in range(n):
        if trigger[i] > 0.5 and last <= 0.5:
            value = 0.0 if begins[i] > 0.5 else value
            high = _height(velocity[i], force[i]) if linked & 2 else 1.0
            rising, top = 1.0 if high > value else 0.0, max(high, value)
        last = trigger[i]
        if straight:
            value, rising = struck(value, rising, rises[i], falls[i], top)
        else:
            value, rising = struck_bent(value, rising, attack_s[i] * rate, decay_s[i] * rate, top, curve[i])
        out[i] = value
    if wanted & ENDED_WANTED:
        for i in range(n):
            over = before >= REST and out[i] < REST
            before = out[i]
            ended[i], end = pulsed(over, end, held_for(PULSE_S, rate))
    state[LEVEL], state[STAGE], state[LAST], state[END] = value, ATTACKS if rising > 0.5 else DECAYS, last, end
    state[HIGH] = top


@njit(error_model="numpy")
def _stages(
    trigger: Row, velocity: Row, kind: Row, attack_s: Row, hold_s: Row, decay_s: Row, sustain: Row, release_s: Row,
    curve: Row, force: Row, begins: Row, out: Row, ended: Row, state: State, rate: float, linked: Mask,
) -> None:  # fmt: skip
    value, stage, last = state[LEVEL], int(state[STAGE]), state[LAST]
    place, begin, high, end = state[PLACE], state[FROM], state[HIGH], state[END]
    for i in range(out.size):
        way = int(kind[i] + 0.5)
        held = trigger[i] > 0.5
        if held and last <= 0.5:
            value = 0.0 if begins[i] > 0.5 else value
            high = _height(velocity[i], force[i]) if linked & 2 else 1.0
            stage, place, begin = ATTACKS, 0.0, value
            if way == STRIKE:
                stage, high = ATTACKS if high > value else DECAYS, max(high, value)
        elif not held and last > 0.5 and way in (SUSTAIN, LOOP) and stage not in (RESTS, RELEASES):
            stage, place, begin = RELEASES, 0.0, value
        last = trigger[i]
        over = False
        if way == STRIKE and stage in (ATTACKS, DECAYS):
            before, rising = value, 1.0 if stage == ATTACKS else 0.0
            value, rising = struck_bent(value, rising, attack_s[i] * rate, decay_s[i] * rate, high, curve[i])
            over, stage, place, begin = before >= REST > value, ATTACKS if rising > 0.5 else DECAYS, 0.0, value
        elif stage == ATTACKS:
            place += 1.0 / max(attack_s[i] * rate, 1.0)
            value = begin + (high - begin) * bent(min(place, 1.0), curve[i] + 0.3)
            if place >= 1.0:
                stage, place, begin = (HOLDS if way in (HOLD, LOOP) else DECAYS), 0.0, high
        elif stage == HOLDS:
            place += 1.0 / max(hold_s[i] * rate, 1.0)
            if place >= 1.0:
                stage, place, begin = (RELEASES if way == HOLD else DECAYS), 0.0, value
        elif stage == DECAYS:
            goal = sustain[i] * high if way == SUSTAIN else 0.0
            place += 1.0 / max(decay_s[i] * rate, 1.0)
            value = begin + (goal - begin) * bent(min(place, 1.0), 0.6 - curve[i])
            if place >= 1.0:
                stage = STAYS if way == SUSTAIN else ATTACKS if way == LOOP and held else RESTS
                place, begin = 0.0, value
        elif stage == STAYS:
            value = sustain[i] * high
        elif stage == RELEASES:
            place += 1.0 / max(release_s[i] * rate, 1.0)
            value = begin * (1.0 - bent(min(place, 1.0), 0.6 - curve[i]))
            if place >= 1.0:
                over, stage, place, value = True, RESTS, 0.0, 0.0
        else:
            value = 0.0 if place >= 0.0 and stage == RESTS else value
        out[i] = value
        ended[i], end = pulsed(over, end, held_for(PULSE_S, rate))
    state[LEVEL], state[STAGE], state[LAST], state[PLACE], state[FROM] = value, stage, last, place, begin
    state[HIGH], state[END] = high, end


MODULE = ModuleSpec(
    id="envelope",
    name="Envelope",
    stage="motion",
    sentence="Rises at each trigger and falls again; a new trigger continues from the current level without a click.",
    kernel=kernel,
    inputs=(
        Input("trigger", "Trigger", "gate", "Each rising edge starts the attack; in sustaining modes the release "
              "starts when it falls.", listens=True),
        Input("velocity", "Velocity", "control", "Velocity, sampled at the trigger."),
    ),
    params=(
        Param("kind", "Kind", "choice", 0, 3, 0, "Attack and decay only, hold for a time, sustain while the gate is "
              "high, or loop while it is high.", KINDS),
        Param("attack_s", "Attack", "s", 0.0005, 60, 0.005, "Time from rest to the top.", taper="octaves", amount=1.0),
        Param("hold_s", "Hold", "s", 0.0005, 60, 0.2, "Time at the peak (hold, loop).", taper="octaves", amount=1.0,
              shown_when=("kind", (1, 3))),
        Param("decay_s", "Decay", "s", 0.001, 120, 0.5, "Time from the peak to −60 dB, or to the sustain level.",
              taper="octaves", amount=1.0),
        Param("sustain", "Sustain", "ratio", 0, 1, 0.6, "Level while the gate stays high (sustain).", amount=0.3,
              shown_when=("kind", (2,))),
        Param("release_s", "Release", "s", 0.001, 120, 0.4, "Time to silence (hold, sustain, loop).", taper="octaves",
              amount=1.0, shown_when=("kind", (1, 2, 3))),
        Param("curve", "Curve", "ratio", -1, 1, 0, "Bend of rise and fall: negative sags, positive bulges.",
              amount=0.3),
        Param("level", "Level", "ratio", 0, 1, 1, "Height of the top.", amount=0.3),
        Param("force", "Velocity counts", "ratio", 0, 1, 1, "How much velocity affects the level.", amount=0.3),
        Param("begins", "Begins", "choice", 0, 1, 0, "A trigger starts from the current level, or from zero; from "
              "zero, a level that still sounds is cut off.", ("where it is", "at zero")),
    ),
    outputs=(Output("out", "Level", "control", 0, 1), Output("ended", "Ended", "gate", 0, 1)),
    state=7,
    rests=LEVEL,
    face="decay_s",
    groups=(
        ("Curve and force", ("curve", "level", "force", "velocity", "begins")),
    ),
    words=("strike", "attack", "decay", "percussion", "swell", "adsr", "ahr", "loop", "sustain", "release"),
    presets=(
        Preset("Strike", "At once up, then down in half a second.",
               {"kind": "strike"}, ("percussive envelope", "hit")),
        Preset("Pluck", "At once up, and down in a fifth of a second.",
               {"kind": "strike", "attack_s": 0.001, "decay_s": 0.2}, ("short envelope", "blip")),
        Preset("Swell", "Up in three seconds and down in five.",
               {"kind": "strike", "attack_s": 3.0, "decay_s": 5.0},
               ("slow attack", "fade in and out", "rise and fall")),
        Preset("ADSR", "Attack, decay, sustain and release.",
               {"kind": "sustain", "attack_s": 0.02, "decay_s": 0.3, "sustain": 0.7, "release_s": 0.6},
               ("attack decay sustain release", "keyboard envelope")),
        Preset("Looping envelope", "Begins again when it has ended.",
               {"kind": "loop", "attack_s": 0.5, "decay_s": 1.0}, ("cycle", "function generator")),
    ),
    sources=("exponential rise and fall of a first-order circuit (textbook)",),
)  # fmt: skip
