"""LFO: a slow wave."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import floor, fma, on_grid, ramp, ramp_by, sine

__all__ = ["MODULE"]

PHASE, RESET = range(2)
RESET_MOVES, RATE_MOVES, WAVE_MOVES = 0b00001, 0b00010, 0b11100


def kernel(reset, rate_hz, shape, phase, polarity, out, state, rate, moving):  # type: ignore[no-untyped-def]
    """State: phase in cycles [0, 1), last reset gate."""
    position, last_reset, per = state[PHASE], state[RESET], 1.0 / rate
    if moving & RESET_MOVES:
        for i in range(out.size):
            if reset[i] > 0.5 and last_reset <= 0.5:
                position = 0.0
            last_reset = reset[i]
            out[i] = position
            position += on_grid(rate_hz[i] * per)
            position -= 1.0 if position >= 1.0 else 0.0
    elif moving & RATE_MOVES:
        position = ramp_by(out, position, rate_hz, per)
    else:
        position = ramp(out, position, rate_hz[0] * per)
    state[PHASE], state[RESET] = position, reset[out.size - 1]
    form, shift, polar = shape[0], phase[0], polarity[0]
    if moving & WAVE_MOVES or form not in (0.0, 1.0, 2.0, 3.0):
        for i in range(out.size):
            out[i] = _spanned(_blend(_place(out[i], phase[i]), shape[i]), polarity[i])
    elif form == 0.0:
        for i in range(out.size):
            out[i] = _spanned(sine(out[i] + shift), polar)
    elif form == 1.0:
        for i in range(out.size):
            out[i] = _spanned(_triangle(_place(out[i], shift)), polar)
    elif form == 2.0:
        for i in range(out.size):
            out[i] = _spanned(fma(2.0, _place(out[i], shift), -1.0), polar)
    else:
        for i in range(out.size):
            out[i] = _spanned(_square(_place(out[i], shift)), polar)


@njit(error_model="numpy", forceinline=True)
def _place(position, phase):  # type: ignore[no-untyped-def]
    at = position + phase
    return at - floor(at)


@njit(error_model="numpy", forceinline=True)
def _spanned(wave, polarity):  # type: ignore[no-untyped-def]
    """From -1..1 to 0..1 as polarity goes from 0 to 1."""
    return fma(fma(-0.5, wave, 0.5), polarity, wave)


@njit(error_model="numpy", forceinline=True)
def _triangle(at):  # type: ignore[no-untyped-def]
    quarter = at + 0.25 - floor(at + 0.25)
    return 1.0 - abs(fma(4.0, quarter, -2.0))


@njit(error_model="numpy", forceinline=True)
def _square(at):  # type: ignore[no-untyped-def]
    return 1.0 if at < 0.5 else -1.0


@njit(error_model="numpy", forceinline=True)
def _blend(at, form):  # type: ignore[no-untyped-def]
    """The wave at a phase in [0, 1); a form between two waves blends them."""
    wave = max(1.0 - form, 0.0) * sine(at) + max(1.0 - abs(form - 1.0), 0.0) * _triangle(at)
    return wave + max(1.0 - abs(form - 2.0), 0.0) * fma(2.0, at, -1.0) + max(form - 2.0, 0.0) * _square(at)


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
    handle=("phase", "shape"),
    face="rate_hz",
    words=("slow wave", "wobble", "vibrato", "tide", "sway"),
    sources=("definition of the four waves",),
)
