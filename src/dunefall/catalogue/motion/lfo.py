"""LFO: a slow wave."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Drawn, Key, Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, Preset, Series
from dunefall.dsp.curves import drawn
from dunefall.dsp.maths import floor, fma, on_grid, ramp, ramp_by, sine
from dunefall.dsp.random import uniform

__all__ = ["MODULE"]

PHASE, RESET, CYCLES, SINCE = range(4)
RESET_MOVES, RATE_MOVES, WAVE_MOVES, FADE_MOVES, CHANCE_MOVES = 1, 0b10000001110, 0b11110000, 1 << 8, 1 << 9
DRAWN = 4.0
SHORTEST_S = 0.001
"""This short a fade is none."""
WAVE = (0, 0.4, 0.8, 1, 0.6, 0.7, 0.3, 0, -0.2, -0.8, -1, -0.6, -0.7, -0.3, -0.4, -0.2)


def kernel(
    reset: Row, sync: Row, rate_hz: Row, period_beats: Row, shape: Row, width: Row, phase: Row, polarity: Row,
    fade_s: Row, unevenness: Row, tempo_bpm: Row, wave: Drawn, out: Row, state: State, rate: Scalar, key: Key,
    moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: phase in cycles [0, 1), last reset gate, whole cycles so far, samples since the last reset."""
    position, last_reset, per, since = state[PHASE], state[RESET], 1.0 / rate, state[SINCE]
    size = out.size
    height, speeds, ages = scratch[:size], rate_hz, scratch[128 : 128 + size]
    fades = fade_s[0] > SHORTEST_S or moving & FADE_MOVES
    uneven = unevenness[0] > 0.0 or moving & CHANCE_MOVES
    if sync[0] >= 0.5 or moving & 2:
        speeds = scratch[64 : 64 + size]
        for i in range(size):
            speeds[i] = rate_hz[i] if sync[i] < 0.5 else tempo_bpm[i] / (60.0 * period_beats[i])
    if moving & RESET_MOVES or uneven or fades:
        cycle, drawn_for, luck = state[CYCLES], -1.0, 0.0
        for i in range(size):
            if reset[i] > 0.5 and last_reset <= 0.5:
                position, since, cycle = 0.0, 0.0, cycle + 1.0
            last_reset = reset[i]
            if uneven and cycle != drawn_for:
                luck, drawn_for = uniform(key, cycle, 0), cycle
            out[i], height[i], ages[i] = position, 1.0 - unevenness[i] * luck, since
            position += on_grid(speeds[i] * per)
            if position >= 1.0:
                position, cycle = position - 1.0, cycle + 1.0
            since += 1.0
        state[CYCLES] = cycle
    elif moving & RATE_MOVES:
        position, since = ramp_by(out, position, speeds, per), since + size
    else:
        position, since = ramp(out, position, speeds[0] * per), since + size
    state[PHASE], state[RESET], state[SINCE] = position, reset[size - 1], since
    form, shift, polar = shape[0], phase[0], polarity[0]
    if moving & WAVE_MOVES or form not in (0.0, 1.0, 2.0, 3.0) or width[0] != 0.5:
        for i in range(size):
            out[i] = _spanned(_blend(_place(out[i], phase[i]), shape[i], width[i], wave), polarity[i])
    elif form == 0.0:
        for i in range(size):
            out[i] = _spanned(sine(out[i] + shift), polar)
    elif form == 1.0:
        for i in range(size):
            out[i] = _spanned(_triangle(_place(out[i], shift)), polar)
    elif form == 2.0:
        for i in range(size):
            out[i] = _spanned(fma(2.0, _place(out[i], shift), -1.0), polar)
    else:
        for i in range(size):
            out[i] = _spanned(_square(_place(out[i], shift), 0.5), polar)
    if uneven or fades:
        for i in range(size):
            out[i] *= height[i] * min(ages[i] / max((fade_s[i] - SHORTEST_S) * rate, 1e-9), 1.0)


@njit(error_model="numpy", forceinline=True)
def _place(position: float, phase: float) -> float:
    at = position + phase
    return at - floor(at)


@njit(error_model="numpy", forceinline=True)
def _spanned(wave: float, polarity: float) -> float:
    """From -1..1 to 0..1 as polarity goes from 0 to 1."""
    return fma(fma(-0.5, wave, 0.5), polarity, wave)


@njit(error_model="numpy", forceinline=True)
def _triangle(at: float) -> float:
    quarter = at + 0.25 - floor(at + 0.25)
    return 1.0 - abs(fma(4.0, quarter, -2.0))


@njit(error_model="numpy", forceinline=True)
def _square(at: float, width: float) -> float:
    return 1.0 if at < width else -1.0


@njit(error_model="numpy", forceinline=True)
def _blend(at: float, form: float, width: float, wave: Row) -> float:
    """The wave at a phase in [0, 1); a form between two waves blends them. The width is the middle of all of them."""
    bent = 0.5 * at / width if at < width else 0.5 + 0.5 * (at - width) / (1.0 - width)
    value = max(1.0 - form, 0.0) * sine(bent) + max(1.0 - abs(form - 1.0), 0.0) * _triangle(bent)
    value += max(1.0 - abs(form - 2.0), 0.0) * fma(2.0, bent, -1.0)
    value += max(1.0 - abs(form - 3.0), 0.0) * _square(at, width)
    if form > DRAWN - 1.0:
        value += (form - DRAWN + 1.0) * drawn(wave, at, True)
    return value


def _period_s(given: Given) -> float:
    values = given.values
    return values["period_beats"] * 60.0 / values["tempo_bpm"] if values["sync"] else 1.0 / values["rate_hz"]


MODULE = ModuleSpec(
    id="lfo",
    name="LFO",
    stage="motion",
    sentence="A slow periodic wave that modulates other values.",
    kernel=kernel,
    inputs=(Input("reset", "Reset", "gate", "Restarts the wave when it goes high."),),
    params=(
        Param("sync", "Counts in", "choice", 0, 1, 0, "Unit of the rate.", ("hertz", "beats")),
        Param("rate_hz", "Rate", "hz", 1 / 3600, 200, 0.2, "Cycles per second.", taper="octaves", amount=1.0,
              shown_when=("sync", (0,))),
        Param("period_beats", "Period in beats", "beats", 1 / 64, 256, 16, "Length of a cycle.", taper="octaves",
              amount=1.0, shown_when=("sync", (1,))),
        Param("shape", "Shape", "choice", 0, 4, 0, "Form of the wave.", ("sine", "triangle", "saw", "square", "drawn")),
        Param("width", "Width", "ratio", 0.02, 0.98, 0.5, "Share of the cycle taken by its first half.", amount=0.2),
        Param("phase", "Phase", "ratio", 0, 1, 0, "Where in the cycle the wave starts.", amount=0.25),
        Param("polarity", "Span", "choice", 0, 1, 0, "Both ways, or upwards only.", ("−1 to 1", "0 to 1")),
        Param("fade_s", "Fade in", "s", SHORTEST_S, 60, SHORTEST_S, "Fade-in time after a reset.",
              taper="octaves", amount=1.0),
        Param("unevenness", "Unevenness", "ratio", 0, 1, 0, "How much each cycle's depth is randomly reduced.",
              amount=0.3),
        Param("tempo_bpm", "Tempo", "bpm", 10, 400, 92, follows="tempo"),
    ),
    series=(
        Series("wave", "Drawn wave", "none", -1, 1, WAVE,
               "The shape “drawn”, over one cycle.", least=2, most=64, drawn="curve"),
    ),
    outputs=(Output("out", "Wave", "control"),),
    state=4,
    handle=("phase", "shape"),
    cycle=Cycle(lambda g: g.used("unevenness"), _period_s, ("rate_hz", "period_beats", "sync")),
    face="rate_hz",
    groups=(
        ("Form and fade", ("width", "phase", "fade_s", "unevenness", "reset")),
    ),
    words=("slow wave", "wobble", "vibrato", "tide", "sway"),
    presets=(
        Preset("Slow wave", "A sine that takes fifty seconds.",
               {"rate_hz": 0.02}, ("very slow", "slow sine")),
        Preset("Slow triangle", "A triangle that takes half a minute.",
               {"rate_hz": 0.033, "shape": "triangle"}, ("slow triangles", "ramp up and down")),
        Preset("Vibrato", "A sine at 5.5 Hz that fades in.",
               {"rate_hz": 5.5, "fade_s": 0.4}, ("pitch wobble",)),
        Preset("Repeating ramp", "A saw from 0 to 1 every four seconds.",
               {"rate_hz": 0.25, "shape": "saw", "polarity": "0 to 1"}, ("ramp", "sawtooth movement", "rise")),
        Preset("On and off", "A square of one second.",
               {"rate_hz": 1.0, "shape": "square", "polarity": "0 to 1"}, ("square wave", "alternating", "blink")),
    ),
    sources=("definition of the four waves",),
)  # fmt: skip
