"""Envelope: rises at a trigger and falls again."""

from __future__ import annotations

import math

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import exp2, flush

__all__ = ["MODULE"]

LEVEL, RISING, LAST, ATTACK, RISE, DECAY, FALL = range(7)
OVERSHOOT = 1.3  # the rise aims above its end, as a charging capacitor that is stopped at the top does
RISE_OCTAVES = -math.log2(OVERSHOOT / (OVERSHOOT - 1.0))
SETTLED = math.log2(1000.0)  # the fall has reached -60 dB after the decay time


def kernel(trigger, attack_s, decay_s, level, state, rate, out):  # type: ignore[no-untyped-def]
    """State: level, 1 while rising, last trigger, then the last times and their factors."""
    value, rising, last = state[LEVEL], state[RISING], state[LAST]
    attack, rise, decay, fall = state[ATTACK], state[RISE], state[DECAY], state[FALL]
    for i in range(out.size):
        if attack_s[i] != attack:
            attack = attack_s[i]
            rise = 1.0 - exp2(RISE_OCTAVES / (attack * rate))
        if decay_s[i] != decay:
            decay = decay_s[i]
            fall = exp2(-SETTLED / (decay * rate))
        if trigger[i] > 0.5 and last <= 0.5:
            rising = 1.0
        last = trigger[i]
        if rising > 0.5:
            value += (OVERSHOOT - value) * rise
            if value >= 1.0:
                value, rising = 1.0, 0.0
        else:
            value *= fall
        out[i] = value * level[i]
    state[LEVEL], state[RISING], state[LAST] = flush(value), rising, last
    state[ATTACK], state[RISE], state[DECAY], state[FALL] = attack, rise, decay, fall


MODULE = ModuleSpec(
    id="envelope",
    name="Envelope",
    stage="motion",
    sentence="Rises at each trigger and falls again; a new trigger goes on from the present level without a click.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "Each rising edge starts the rise."),),
    params=(
        Param(
            "attack_s",
            "Attack",
            "s",
            0.0005,
            60,
            0.005,
            "Time from rest to the top.",
            taper="octaves",
            amount=1.0,
        ),
        Param(
            "decay_s",
            "Decay",
            "s",
            0.001,
            120,
            0.5,
            "Time from the top to −60 dB.",
            taper="octaves",
            amount=1.0,
        ),
        Param("level", "Level", "ratio", 0, 1, 1, "Height of the top.", amount=0.3),
    ),
    outputs=(Output("out", "Level", "control", 0, 1),),
    state=7,
    rests=LEVEL,
    cached=(ATTACK, DECAY),
    face="decay_s",
    words=("strike", "attack", "decay", "percussion", "swell"),
    sources=("exponential rise and fall of a first-order circuit (textbook)",),
)
