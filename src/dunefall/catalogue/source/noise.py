"""Noise: white, pink and red, with glides between them."""

from __future__ import annotations

import math

import numpy as np

from dunefall.catalogue.declare import ModuleSpec, Output, Param
from dunefall.dsp.random import philox

__all__ = ["MODULE"]

COUNT, RATE, RED, RED_POLE, LANES, POLES, STEPS = 0, 1, 2, 3, 4, 8, 16
BANDS = 8
STATE = STEPS + 2 * BANDS
LOWEST_HZ, SPACING = 1.5, 4.0
WHITE_PEAK = 0.25 * math.sqrt(3.0)  # all colours have an RMS of 0.25 (-12 dBFS)
RED_CORNER_HZ = 8.0


def kernel(colour, out, state, key, rate):  # type: ignore[no-untyped-def]
    """State: samples made, rate of the factors, red's value and pole, four numbers in hand, pink's bands, steps, gains.

    Pink is one white source through one-pole low-passes at even distances in octaves, each weighted by the root of its
    corner: their sum falls by 3 dB per octave. Red is a leaky integrator.
    """
    if state[RATE] != rate:
        state[RATE] = rate
        state[RED_POLE] = math.exp(-2.0 * math.pi * RED_CORNER_HZ / rate)
        power = 0.0
        for b in range(BANDS):
            corner = LOWEST_HZ * SPACING**b
            step = 1.0 - math.exp(-2.0 * math.pi * corner / rate)
            state[STEPS + b] = step
            state[STEPS + BANDS + b] = 1.0 / math.sqrt(corner)
        for a in range(BANDS):
            for b in range(BANDS):
                sa, sb = state[STEPS + a], state[STEPS + b]
                joint = sa * sb / (1.0 - (1.0 - sa) * (1.0 - sb))
                power += joint * state[STEPS + BANDS + a] * state[STEPS + BANDS + b]
        for b in range(BANDS):
            state[STEPS + BANDS + b] /= math.sqrt(power)
    count, red, pole = state[COUNT], state[RED], state[RED_POLE]
    red_gain = math.sqrt(1.0 - pole * pole)
    for i in range(out.size):
        lane = int(count) & 3
        if lane == 0:
            a, b, c, d = philox(key, np.uint64(count), np.uint64(0))
            state[LANES], state[LANES + 1] = np.float64(a), np.float64(b)
            state[LANES + 2], state[LANES + 3] = np.float64(c), np.float64(d)
        white = (state[LANES + lane] * (2.0 / 4294967296.0) - 1.0) * WHITE_PEAK
        count += 1.0
        red = red * pole + white * red_gain
        value = 0.0
        form = colour[i]
        if form < 1.0:
            value += (1.0 - form) * white
        if 0.0 < form < 2.0:
            pink = 0.0
            for b in range(BANDS):
                state[POLES + b] += state[STEPS + b] * (white - state[POLES + b])
                pink += state[STEPS + BANDS + b] * state[POLES + b]
            value += (1.0 - abs(form - 1.0)) * pink
        if form > 1.0:
            value += (form - 1.0) * red
        out[i] = value
    state[COUNT], state[RED] = count, red


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
