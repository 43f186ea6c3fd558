"""Live input: a microphone or an instrument, as it sounds just now."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, ModuleSpec, Output, Param
from dunefall.dsp.follow import approach, approach_step
from dunefall.dsp.maths import db_to_gain, exp2, fma

__all__ = ["MODULE"]

LEVEL, OPEN, LOW, MADE, RISE, FALL, SWING, GAIN, BAR, SHARE = range(10)
RISE_S, FALL_S = 0.002, 0.08
"""How fast the gate hears that a sound begins, and ends."""
SWING_S = 0.01
"""In which it opens and shuts."""
NEVER_DB = -96.0


def kernel(
    gain_db: Row, gate_db: Row, cutoff_hz: Row, out: Row, state: State, rate: Scalar, moving: Mask, scratch: Scratch,
    live: Row,
) -> None:  # fmt: skip
    """State: level that the gate hears, how far it is open (0..1), the low-pass; 1 where the rest holds the steps of
    level and gate and what follows from the constant values.

    A gate with a one-pole detector, then a one-pole low-pass of matched corner.
    """
    n = out.size
    gains, bars, shares = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    if state[MADE] == 0.0:
        state[RISE], state[FALL] = approach_step(RISE_S, rate), approach_step(FALL_S, rate)
        state[SWING] = approach_step(SWING_S, rate)
        state[GAIN], state[BAR], state[SHARE] = _factors(gain_db[0], gate_db[0], cutoff_hz[0], rate)
    state[MADE] = 0.0 if moving else 1.0
    if moving:
        for i in range(n):
            gains[i], bars[i], shares[i] = _factors(gain_db[i], gate_db[i], cutoff_hz[i], rate)
    else:
        gains[:], bars[:], shares[:] = state[GAIN], state[BAR], state[SHARE]
    level, opened, low = state[LEVEL], state[OPEN], state[LOW]
    rise, fall, swing = state[RISE], state[FALL], state[SWING]
    for i in range(n):
        sound = live[i] * gains[i]
        level = approach(level, abs(sound), rise, fall)
        opened = fma((1.0 if level >= bars[i] else 0.0) - opened, swing, opened)
        low = fma(sound * opened - low, shares[i], low)
        out[i] = low
    state[LEVEL], state[OPEN], state[LOW] = level, opened, low


@njit(error_model="numpy", forceinline=True)
def _factors(gain: float, bar: float, cutoff: float, rate: float) -> tuple[float, float, float]:
    """Gain, the level at which the gate opens, and the low-pass's share."""
    share = 1.0 - exp2(-2.0 * math.pi / math.log(2.0) * cutoff / rate)
    return db_to_gain(gain), db_to_gain(bar) if bar > NEVER_DB else 0.0, share


MODULE = ModuleSpec(
    id="live-input",
    name="Live input",
    stage="source",
    sentence="Live microphone input; every take records it and plays it back exactly.",
    kernel=kernel,
    params=(
        Param("gain_db", "Gain", "db", -48, 48, 0, "Level of what comes in.", amount=6.0),
        Param("gate_db", "Gate", "db", NEVER_DB, 0, -60, "Noise gate threshold; −96 dB lets everything through.",
              amount=6.0),
        Param("cutoff_hz", "Low-pass", "hz", 20, 20000, 16000, "Low-pass: removes hiss above this frequency.",
              taper="octaves", amount=1.0),
    ),
    outputs=(Output("out", "Sound", "audio"),),
    state=10,
    cached=(MADE,),
    cycle=Cycle(outside=True),
    face="gain_db",
    words=("microphone", "mic", "voice", "instrument", "line in", "record"),
    sources=("gate and one-pole low-pass, step response 1 - exp(-2 pi f t) (textbook)",),
)  # fmt: skip
