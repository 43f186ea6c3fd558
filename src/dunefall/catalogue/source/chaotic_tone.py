"""Chaotic tone: maps and shift registers at a pitch, from a tone to a disturbance."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Key, Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import ModuleSpec, Output, Param
from dunefall.dsp.maths import floor, fma, note_to_hz, sine, smooth_step
from dunefall.dsp.random import uniform

__all__ = ["MODULE"]

PLACE, X, Y, WAS, NOW, DRAWS, DC_IN, DC_OUT = range(8)
KINDS = ("logistic", "circle", "standard", "register")
MOVES = 0b1001
TOP = 14
"""The highest of the shift register's bits."""
BLOCK_HZ = 8.0
"""A high-pass at this frequency takes off what does not move."""


def kernel(
    pitch_note: Row, kind: Row, temper: Row, smooth: Row, level: Row, out: Row, state: State, key: Key, rate: Scalar,
    moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: place between two steps [0, 1), the map's two numbers, the values of the last two steps, random numbers
    drawn, the high-pass.

    Two steps go to a cycle of the pitch: at low temper all maps alternate between two values, a tone; towards full
    temper their orbits double, break up and fill the range.
    """
    place, x, y, was, now = state[PLACE], state[X], state[Y], state[WAS], state[NOW]
    low, high = state[DC_IN], state[DC_OUT]
    keep = 1.0 - 2.0 * math.pi * BLOCK_HZ / rate
    steps, slopes = scratch[: out.size], scratch[64 : 64 + out.size]
    if moving & MOVES:
        for i in range(out.size):
            steps[i], slopes[i] = _factors(pitch_note[i], smooth[i], rate)
    else:
        steps[:], slopes[:] = _factors(pitch_note[0], smooth[0], rate)
    for i in range(out.size):
        place += steps[i]
        if place >= 1.0:
            place -= 1.0
            was = now
            x, y, now = _next(int(kind[i] + 0.5), temper[i], x, y, state, key)
        # a straight line over the share of the step that is smooth
        share = min(place * slopes[i], 1.0)
        sound = fma(smooth_step(share), now - was, was)
        high = fma(keep, high, sound - low)
        low = sound
        out[i] = high * level[i]
    state[PLACE], state[X], state[Y], state[WAS], state[NOW] = place, x, y, was, now
    state[DC_IN], state[DC_OUT] = low, high


@njit(error_model="numpy", forceinline=True)
def _factors(note: float, smooth: float, rate: float) -> tuple[float, float]:
    """Steps of the map in a sample; slope of the line to the next value."""
    return min(2.0 * note_to_hz(note) / rate, 1.0), 1.0 / max(smooth, 1e-3)


@njit(error_model="numpy", forceinline=True)
def _next(kind: float, temper: float, x: float, y: float, state: State, key: Key) -> tuple[float, float, float]:
    """The map's numbers a step later, and the value that is heard (-1..1)."""
    if kind == 0:
        x = x if 0.0 < x < 1.0 else 0.5 + 0.1 * uniform(key, 0.0, 0)
        r = fma(0.9, temper, 3.1)
        x = r * x * (1.0 - x)
        return x, y, fma(2.0, x, -1.0)
    if kind == 1:
        x = fma(-temper * 6.0 / (2.0 * math.pi), sine(x), x + 0.5)
        x -= floor(x)
        return x, y, sine(x + 0.125)
    if kind == 2:
        y = fma(0.9 * temper, sine(x) + 0.001 * uniform(key, 0.0, 0), y)
        y -= floor(y)
        x = x + y + 0.5 * (1.0 - temper)
        x -= floor(x)
        return x, y, sine(x + 0.125)
    bits = int(x) if x >= 1.0 else 1 + int(uniform(key, 0.0, 0) * (2.0 ** (TOP + 1.0) - 1.0))
    draws = state[DRAWS]
    state[DRAWS] = draws + 1.0
    last = bits & 1
    fed = (bits ^ (bits >> 1)) & 1 if uniform(key, draws, 1) < temper else 1 - (bits >> TOP)
    bits = (bits >> 1) | (fed << TOP)
    return float(bits), y, 1.0 if last == 1 else -1.0


MODULE = ModuleSpec(
    id="chaotic-tone",
    name="Chaotic tone",
    stage="source",
    sentence="A tone that breaks up: it doubles its period, splinters and ends as pitched noise.",
    kernel=kernel,
    params=(
        Param("pitch_note", "Pitch", "note", -24, 120, 45, "The note while it is calm; a linked pitch is relative to "
              "C4.", amount=7.0),
        Param("kind", "Kind", "choice", 0, 3, 0, "The generator: three chaotic maps, or a shift register.", KINDS),
        Param("temper", "Temper", "ratio", 0, 1, 0.4, "From tone to disturbance.", amount=0.2),
        Param("smooth", "Smoothness", "ratio", 0, 1, 0.6, "From steps to smooth interpolation.", amount=0.3),
        Param("level", "Level", "ratio", 0, 1, 0.4, "Height of the sound.", amount=0.3),
    ),
    outputs=(Output("out", "Tone", "audio"),),
    state=8,
    face="temper",
    words=("chaos", "logistic", "glitch", "noise", "electric", "disturbance", "broken", "digital"),
    sources=("May 1976 (logistic map)", "Arnold 1961 (circle map)", "Chirikov 1979 (standard map)",
             "maximal shift register x^15 + x^14 + 1 (textbook)"),
)  # fmt: skip
