"""Low-pass gate: level and brightness that open and close together."""

from __future__ import annotations

import numpy as np
from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, ringing
from dunefall.dsp.follow import approach_step
from dunefall.dsp.maths import exp2, fma
from dunefall.dsp.svf import mean, svf_factors, svf_next

__all__ = ["MODULE"]

LIGHT, S1, S2, MADE_AT, MADE_FOR, TAKE, CROSS, SINK, LAST, FLASH = range(10)
STRIKE, OPENING, DECAY, COLOUR = 0b10, 0b100, 0b1000, 0b10000
ATTACK_S = 0.012
FLASH_S = 0.03
"""How long a strike's lamp is lit: the resistor has come within a tenth of full light by then."""
DARK_HZ, OCTAVES = 30.0, 9.4
"""Cutoff in the dark, and how far full light opens it: to 20 kHz."""
DAMPING = 1.6


def kernel(
    audio: Row, strike: Row, opening: Row, decay_s: Row, colour: Row, out: Row, state: State, rate: Scalar,
    moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: light on the resistor (0..1), the integrators of a low-pass; its last constant factors, and the light
    (from 1 on) and the colour that they were made for; the last strike, samples for which its lamp stays lit.

    The resistor follows the light quickly upwards and slowly downwards, the slower the darker it is: that tail is the
    sound of these gates.
    """
    n, light = out.size, state[LIGHT]
    level, take, cross, sink = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n], scratch[192 : 192 + n]
    rise = approach_step(ATTACK_S, rate)
    if moving & DECAY:
        for i in range(n):
            take[i] = approach_step(decay_s[i], rate)
    else:
        take[:] = approach_step(decay_s[0], rate)
    lit = moving & STRIKE != 0 or state[FLASH] > 0.0 or strike[0] != state[LAST]
    even = not lit and moving & (OPENING | DECAY) == 0 and _followed(light, opening[0], rise, take[0]) == light
    if even:  # it has arrived
        level[:] = light
    elif lit:
        last, flash = state[LAST], state[FLASH]
        for i in range(n):
            if strike[i] > 0.5 and last <= 0.5:
                flash = np.ceil(FLASH_S * rate)
            last = strike[i]
            light = _followed(light, 1.0 if flash > 0.0 else opening[i], rise, take[i])
            level[i] = light
            flash = max(0.0, flash - 1.0)
        state[LAST], state[FLASH] = last, flash
    else:
        for i in range(n):
            light = _followed(light, opening[i], rise, take[i])
            level[i] = light
    if even and moving & COLOUR == 0:
        if state[MADE_AT] != light + 1.0 or state[MADE_FOR] != colour[0]:
            state[MADE_AT], state[MADE_FOR] = light + 1.0, colour[0]
            state[TAKE], state[CROSS], state[SINK] = _factors(light, colour[0], rate)
        take[:], cross[:], sink[:] = state[TAKE], state[CROSS], state[SINK]
    else:
        for i in range(n):
            take[i], cross[i], sink[i] = _factors(level[i], colour[i], rate)
    s1, s2 = state[S1], state[S2]
    for i in range(n):
        t1, t2 = svf_next(s1, s2, audio[i], take[i], cross[i], sink[i])
        out[i] = mean(s2, t2)
        s1, s2 = t1, t2
    for i in range(n):
        out[i] *= level[i]
    state[LIGHT], state[S1], state[S2] = light, s1, s2


@njit(error_model="numpy", forceinline=True)
def _followed(light: float, opening: float, rise: float, take: float) -> float:
    gap = opening - light
    return fma(gap, rise if gap > 0.0 else take * fma(1.7, light, 0.3), light)


@njit(error_model="numpy", forceinline=True)
def _factors(level: float, colour: float, rate: float) -> tuple[float, float, float]:
    """Full colour: the cutoff follows the light; none: it stays open."""
    return svf_factors(DARK_HZ * exp2(OCTAVES * fma(colour, level - 1.0, 1.0)), DAMPING, 2.0 / rate)


MODULE = ModuleSpec(
    id="low-pass-gate",
    name="Low-pass gate",
    stage="shape",
    sentence="Opens level and brightness together and lets them fall with the slow tail of a light-dependent resistor.",
    kernel=kernel,
    inputs=(
        Input("audio", "Audio", "audio"),
        Input("strike", "Strike", "gate", "Each rising edge is a flash of full light: a pluck.", listens=True),
    ),
    params=(
        Param("opening", "Opening", "ratio", 0, 1, 0, "How far it is open between strikes.",
              amount=1.0),
        Param("decay_s", "Decay", "s", 0.01, 10, 0.3, "Time to fall by 26 dB; the rest falls ever more slowly.",
              taper="octaves", amount=1.0),
        Param("colour", "Colour", "ratio", 0, 1, 1, "From level only to level and brightness together.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=10,
    cached=(MADE_AT,),
    begins={"opening": 0.7},
    cycle=Cycle(memory_s=lambda g: ringing(g, "decay_s")),
    face="opening",
    passes="audio",
    shows="wave",
    words=("pluck", "bongo", "drip", "light", "gate", "percussion"),
    sources=("Parker and D'Angelo 2013, DAFx-13 (level and cutoff driven by a light-dependent resistor)",),
)  # fmt: skip
