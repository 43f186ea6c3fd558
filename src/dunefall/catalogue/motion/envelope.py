"""Envelope: rises at a trigger and falls again."""

from __future__ import annotations

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.strike import fall_factor, rise_share, struck

__all__ = ["MODULE"]

LEVEL, RISING, LAST = range(3)
TIMES_MOVE = 0b110


def kernel(trigger, attack_s, decay_s, level, state, rate, out, moving, scratch):  # type: ignore[no-untyped-def]
    """State: level, 1 while rising, last trigger."""
    value, rising, last, n = state[LEVEL], state[RISING], state[LAST], out.size
    rises, falls = scratch[:n], scratch[64 : 64 + n]
    if moving & TIMES_MOVE:
        for i in range(n):
            rises[i] = rise_share(attack_s[i], rate)
            falls[i] = fall_factor(decay_s[i], rate)
    else:
        rises[:] = rise_share(attack_s[0], rate)
        falls[:] = fall_factor(decay_s[0], rate)
    for i in range(n):
        if trigger[i] > 0.5 and last <= 0.5:
            rising = 1.0
        last = trigger[i]
        value, rising = struck(value, rising, rises[i], falls[i])
        out[i] = value
    state[LEVEL], state[RISING], state[LAST] = value, rising, last
    for i in range(n):
        out[i] *= level[i]


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
    state=3,
    rests=LEVEL,
    face="decay_s",
    words=("strike", "attack", "decay", "percussion", "swell"),
    sources=("exponential rise and fall of a first-order circuit (textbook)",),
)
