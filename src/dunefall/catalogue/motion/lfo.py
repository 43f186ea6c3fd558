"""LFO: a slow wave."""

from __future__ import annotations

import math

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma, ramp, sine, stepped

__all__ = ["MODULE"]

PHASE, RESET = range(2)
RESET_MOVES, RATE_MOVES, SHAPE_MOVES = 0b0001, 0b0010, 0b0100


def kernel(reset, rate_hz, shape, phase, polarity, out, state, rate, moving):  # type: ignore[no-untyped-def]
    """State: phase in cycles [0, 1), last reset gate."""
    position, last_reset, per = state[PHASE], state[RESET], 1.0 / rate
    if moving & RESET_MOVES:
        for i in range(out.size):
            if reset[i] > 0.5 and last_reset <= 0.5:
                position = 0.0
            last_reset = reset[i]
            out[i] = position
            position = stepped(position, rate_hz[i] * per)
    else:
        last_reset = reset[0]
        if moving & RATE_MOVES:
            for i in range(out.size):
                out[i] = position
                position = stepped(position, rate_hz[i] * per)
        else:
            position = ramp(out, position, rate_hz[0] * per)
    state[PHASE], state[RESET] = position, last_reset
    if moving & SHAPE_MOVES or shape[0] != 0.0:
        for i in range(out.size):
            at = out[i] + phase[i]
            wave = _wave(at - math.floor(at), shape[i])
            out[i] = fma(fma(-0.5, wave, 0.5), polarity[i], wave)
    else:
        for i in range(out.size):
            wave = sine(out[i] + phase[i])
            out[i] = fma(fma(-0.5, wave, 0.5), polarity[i], wave)


@njit(error_model="numpy")
def _wave(at, form):  # type: ignore[no-untyped-def]
    """The wave at a phase in [0, 1); a form between two waves blends them."""
    wave = 0.0
    if form < 1.0:
        wave += (1.0 - form) * sine(at)
    if 0.0 < form < 2.0:
        quarter = at + 0.25 - math.floor(at + 0.25)
        wave += (1.0 - abs(form - 1.0)) * (1.0 - abs(4.0 * quarter - 2.0))
    if 1.0 < form < 3.0:
        wave += (1.0 - abs(form - 2.0)) * (2.0 * at - 1.0)
    if form > 2.0:
        wave += (form - 2.0) * (1.0 if at < 0.5 else -1.0)
    return wave


MODULE = ModuleSpec(
    id="lfo",
    name="LFO",
    stage="motion",
    sentence="A slow wave that moves other things evenly to and fro.",
    kernel=kernel,
    inputs=(Input("reset", "Reset", "gate", "Starts the wave anew when it goes high."),),
    params=(
        Param("rate_hz", "Rate", "hz", 1 / 3600, 200, 0.2, "Cycles per second.", taper="octaves", amount=1.0),
        Param("shape", "Shape", "choice", 0, 3, 0, "Form of the wave.", ("sine", "triangle", "saw", "square")),
        Param("phase", "Phase", "ratio", 0, 1, 0, "Where in the cycle the wave starts.", amount=0.25),
        Param("polarity", "Span", "choice", 0, 1, 0, "Both ways, or upwards only.", ("−1 to 1", "0 to 1")),
    ),
    outputs=(Output("out", "Wave", "control"),),
    state=2,
    face="rate_hz",
    words=("slow wave", "wobble", "vibrato", "tide", "sway"),
    sources=("definition of the four waves",),
)
