"""Noise: white, pink and red, with glides between them."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from dunefall.catalogue.declare import ModuleSpec, Output, Param
from dunefall.dsp.maths import fma
from dunefall.dsp.random import philox

__all__ = ["MODULE"]

COUNT, RATE, RED, RED_POLE, GROUP, LANES, POLES, STEPS = 0, 1, 2, 3, 4, 5, 9, 17
BANDS = 8
STATE = STEPS + 2 * BANDS
LOWEST_HZ, SPACING = 1.5, 4.0
WHITE_PEAK = 0.25 * math.sqrt(3.0)  # all colours have an RMS of 0.25 (-12 dBFS)
RED_CORNER_HZ = 8.0


def kernel(colour, out, state, key, rate, moving):  # type: ignore[no-untyped-def]
    """State: samples made, rate of the factors, red's value and pole, group and four numbers in hand, pink's bands,
    steps, gains.

    Pink is one white source through one-pole low-passes at even distances in octaves, each weighted by the root of its
    corner: their sum falls by 3 dB per octave. Red is a leaky integrator.
    """
    if state[RATE] != rate:
        _prepare(state, rate)
    _white(out, state, key)
    form = colour[0]
    if moving != 0 or form not in (0.0, 1.0, 2.0):
        for i in range(out.size):
            form, white, value = colour[i], out[i], 0.0
            if form < 1.0:
                value += (1.0 - form) * white
            if 0.0 < form < 2.0:
                value += (1.0 - abs(form - 1.0)) * _pink(white, state)
            if form > 1.0:
                value += (form - 1.0) * _red(white, state)
            out[i] = value
    elif form == 1.0:
        for i in range(out.size):
            out[i] = _pink(out[i], state)
    elif form == 2.0:
        for i in range(out.size):
            out[i] = _red(out[i], state)


@njit(error_model="numpy", forceinline=True)
def _white(out, state, key):  # type: ignore[no-untyped-def]
    """Even noise: four samples from each draw; whole groups without detour."""
    n, count = out.size, int(state[COUNT])
    state[COUNT] += n
    if (n | count) & 3 == 0:
        for g in range(n >> 2):
            a, b, c, d = philox(key, np.uint64(count + 4 * g), np.uint64(0))
            out[4 * g], out[4 * g + 1] = _level(a), _level(b)
            out[4 * g + 2], out[4 * g + 3] = _level(c), _level(d)
        return
    for i in range(n):
        group = (count + i) & ~3
        if state[GROUP] != group + 1.0:
            state[GROUP] = group + 1.0
            a, b, c, d = philox(key, np.uint64(group), np.uint64(0))
            state[LANES], state[LANES + 1], state[LANES + 2], state[LANES + 3] = (
                _level(a),
                _level(b),
                _level(c),
                _level(d),
            )
        out[i] = state[LANES + ((count + i) & 3)]


@njit(error_model="numpy", forceinline=True)
def _level(number):  # type: ignore[no-untyped-def]
    return fma(np.float64(np.int64(number)), 2.0 / 4294967296.0 * WHITE_PEAK, -WHITE_PEAK)


@njit(error_model="numpy", forceinline=True)
def _pink(white, state):  # type: ignore[no-untyped-def]
    for b in range(BANDS):
        step = state[STEPS + b]
        state[POLES + b] = fma(1.0 - step, state[POLES + b], step * white)
    return (_share(state, 0) + _share(state, 1)) + (_share(state, 2) + _share(state, 3))


@njit(error_model="numpy", forceinline=True)
def _share(state, b):  # type: ignore[no-untyped-def]
    return fma(state[STEPS + BANDS + b], state[POLES + b], state[STEPS + BANDS + 4 + b] * state[POLES + 4 + b])


@njit(error_model="numpy", forceinline=True)
def _red(white, state):  # type: ignore[no-untyped-def]
    pole = state[RED_POLE]
    state[RED] = fma(pole, state[RED], white * math.sqrt(1.0 - pole * pole))
    return state[RED]


@njit(error_model="numpy")
def _prepare(state, rate):  # type: ignore[no-untyped-def]
    state[RATE] = rate
    state[RED_POLE] = math.exp(-2.0 * math.pi * RED_CORNER_HZ / rate)
    power = 0.0
    for b in range(BANDS):
        corner = LOWEST_HZ * SPACING**b
        state[STEPS + b] = 1.0 - math.exp(-2.0 * math.pi * corner / rate)
        state[STEPS + BANDS + b] = 1.0 / math.sqrt(corner)
    for a in range(BANDS):
        for b in range(BANDS):
            sa, sb = state[STEPS + a], state[STEPS + b]
            joint = sa * sb / (1.0 - (1.0 - sa) * (1.0 - sb))
            power += joint * state[STEPS + BANDS + a] * state[STEPS + BANDS + b]
    for b in range(BANDS):
        state[STEPS + BANDS + b] /= math.sqrt(power)


MODULE = ModuleSpec(
    id="noise",
    name="Noise",
    stage="source",
    sentence="Air, sea and rain to start from: white, pink or red noise at the same loudness.",
    kernel=kernel,
    params=(
        Param("colour", "Colour", "choice", 0, 2, 1, "White is even, pink falls by 3 dB, red by 6 dB per octave.",
              ("white", "pink", "red"), amount=0.5),
    ),
    outputs=(Output("out", "Noise", "audio"),),
    state=STATE,
    face="colour",
    words=("white", "pink", "red", "brown", "wind", "rain", "sea", "hiss", "rumble"),
    sources=(
        "Salmon et al. 2011, doi:10.1145/2063384.2063405 (random numbers)",
        "1/f noise as a sum of first-order processes: van der Ziel 1950, doi:10.1016/0031-8914(50)90078-4",
    ),
)  # fmt: skip
