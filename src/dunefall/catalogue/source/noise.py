"""Noise: seven colours, with glides between them."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from dunefall.base.arrays import Key, Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, ModuleSpec, Output, Param, Preset
from dunefall.dsp.maths import floor, fma
from dunefall.dsp.random import philox

__all__ = ["MODULE"]

COUNT, RATE, RED, RED_POLE, GROUP, LANES, POLES, STEPS = 0, 1, 2, 3, 4, 5, 9, 17
BANDS = 8
BLUE_GAIN = STEPS + 2 * BANDS
BLUE, VIOLET, CELL, WAIT, SIGN, DRAWS = range(BLUE_GAIN + 1, BLUE_GAIN + 7)
STATE = DRAWS + 1
LOWEST_HZ, SPACING = 1.5, 4.0
WHITE_PEAK = 0.25 * math.sqrt(3.0)  # all colours have an RMS of 0.25 (-12 dBFS), velvet and crackle peaks of 0.8
RED_CORNER_HZ = 8.0
PEAK = 0.8
EARLY = 1e-6
"""A cell of whole samples ends there, however its last digits were rounded."""
SEED_STRIDE = 1000003
PER_DRAW = 1.0 / 4294967296.0
SEED_MOVES = 0b1000
COLOURS = ("white", "pink", "red", "blue", "violet", "velvet", "crackle")
OTHER_SIDE = 0x9E3779B97F4A7C15
"""Turns the key of the left channel into the right one's."""


def kernel(
    colour: Row, density_hz: Row, width: Row, seed: Row, out: Row, out_right: Row, state: State, key: Key, rate: Scalar,
    moving: Mask, wanted: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State, once for each channel: samples made, rate of the factors, red's value and pole, group and four numbers in
    hand, pink's bands, steps, gains, blue's gain; blue's and violet's last values; what is left of a grain's cell and
    until the grain, its height, random numbers drawn.

    Pink is one white source through one-pole low-passes at even distances in octaves, each weighted by the root of its
    corner: their sum falls by 3 dB per octave. Red is a leaky integrator; blue and violet are the differences of pink
    and white. Velvet has one grain of either sign in each of equal cells, crackle grains at any time and of any height.
    """
    _channel(colour, density_hz, seed, out, state[:STATE], key, rate, moving)
    if wanted & 0b10:
        other = scratch[: out.size]
        _channel(colour, density_hz, seed, other, state[STATE:], key ^ np.uint64(OTHER_SIDE), rate, moving)
        for i in range(out.size):
            out_right[i] = fma(width[i], other[i], math.sqrt(1.0 - width[i] * width[i]) * out[i])


@njit(error_model="numpy", forceinline=True)
def _channel(
    colour: Row, density_hz: Row, seed: Row, out: Row, state: State, key: Key, rate: float, moving: Mask
) -> None:
    if state[RATE] != rate:
        _prepare(state, rate)
    form = colour[0]
    even = moving & 1 == 0 and form == floor(form)
    if even and form >= 5.0:
        for i in range(out.size):
            out[i] = _grain(form, density_hz[i], state, _own(key, seed[i]), rate)
        return
    _white(out, state, key, seed, moving & SEED_MOVES)
    if not even:
        for i in range(out.size):
            out[i] = _between(colour[i], out[i], density_hz[i], state, _own(key, seed[i]), rate)
    elif form == 1.0:
        for i in range(out.size):
            out[i] = _pink(out[i], state)
    elif form == 2.0:
        for i in range(out.size):
            out[i] = _red(out[i], state)
    elif form == 3.0:
        for i in range(out.size):
            out[i] = _blue(out[i], state)
    elif form == 4.0:
        for i in range(out.size):
            out[i] = _violet(out[i], state)


@njit(error_model="numpy", forceinline=True)
def _between(form: float, white: float, density: float, state: State, key: Key, rate: float) -> float:
    """A sample between two colours; a colour that is not heard is not computed."""
    value = 0.0
    for k in range(len(COLOURS)):
        share = 1.0 - abs(form - k)
        if share <= 0.0:
            continue
        if k == 0:
            sound = white
        elif k == 1:
            sound = _pink(white, state)
        elif k == 2:
            sound = _red(white, state)
        elif k == 3:
            sound = _blue(white, state)
        elif k == 4:
            sound = _violet(white, state)
        else:
            sound = _grain(float(k), density, state, key, rate)
        value += share * sound
    return value


@njit(error_model="numpy", forceinline=True)
def _blue(white: float, state: State) -> float:
    pink, last = _pink(white, state), state[BLUE]
    state[BLUE] = pink
    return (pink - last) * state[BLUE_GAIN]


@njit(error_model="numpy", forceinline=True)
def _violet(white: float, state: State) -> float:
    last = state[VIOLET]
    state[VIOLET] = white
    return (white - last) * math.sqrt(0.5)


@njit(error_model="numpy", forceinline=True)
def _grain(form: float, density: float, state: State, key: Key, rate: float) -> float:
    """Velvet (5) and crackle (6), sample by sample."""
    if state[CELL] <= EARLY:
        draw, sign, height, _ = philox(key, np.uint64(state[DRAWS]), np.uint64(1))
        state[DRAWS] += 1.0
        place, tall = np.float64(draw) * PER_DRAW, np.float64(height) * PER_DRAW
        cell = max(rate / density, 1.0)
        state[SIGN] = PEAK if sign & np.uint64(1) else -PEAK
        if form == 5.0:
            state[WAIT] = floor(place * cell)
            state[CELL] += cell
        else:
            state[WAIT] = 0.0
            state[CELL] += max(-math.log(1.0 - place) * cell, 1.0)
            state[SIGN] *= tall * tall
    value = state[SIGN] if state[WAIT] == 0.0 else 0.0
    state[WAIT] -= 1.0
    state[CELL] -= 1.0
    return value


@njit(error_model="numpy", forceinline=True)
def _white(out: Row, state: State, key: Key, seed: Row, moves: int) -> None:
    """Even noise: four samples from each draw; whole groups without detour."""
    n, count = out.size, int(state[COUNT])
    state[COUNT] += n
    if (n | count) & 3 == 0 and moves == 0:
        own = _own(key, seed[0])
        for g in range(n >> 2):
            a, b, c, d = philox(own, np.uint64(count + 4 * g), np.uint64(0))
            out[4 * g], out[4 * g + 1] = _level(a), _level(b)
            out[4 * g + 2], out[4 * g + 3] = _level(c), _level(d)
        return
    for i in range(n):
        group = (count + i) & ~3
        if state[GROUP] != group + 1.0:
            state[GROUP] = group + 1.0
            a, b, c, d = philox(_own(key, seed[i]), np.uint64(group), np.uint64(0))
            state[LANES], state[LANES + 1], state[LANES + 2], state[LANES + 3] = (
                _level(a),
                _level(b),
                _level(c),
                _level(d),
            )
        out[i] = state[LANES + ((count + i) & 3)]


@njit(error_model="numpy", forceinline=True)
def _own(key: Key, seed: float) -> Key:
    return key + np.uint64(seed) * np.uint64(SEED_STRIDE)


@njit(error_model="numpy", forceinline=True)
def _level(number: np.uint64) -> float:
    return fma(np.float64(np.int64(number)), 2.0 / 4294967296.0 * WHITE_PEAK, -WHITE_PEAK)


@njit(error_model="numpy", forceinline=True)
def _pink(white: float, state: State) -> float:
    for b in range(BANDS):
        step = state[STEPS + b]
        state[POLES + b] = fma(1.0 - step, state[POLES + b], step * white)
    return (_share(state, 0) + _share(state, 1)) + (_share(state, 2) + _share(state, 3))


@njit(error_model="numpy", forceinline=True)
def _share(state: State, b: int) -> float:
    return fma(state[STEPS + BANDS + b], state[POLES + b], state[STEPS + BANDS + 4 + b] * state[POLES + 4 + b])


@njit(error_model="numpy", forceinline=True)
def _red(white: float, state: State) -> float:
    pole = state[RED_POLE]
    state[RED] = fma(pole, state[RED], white * math.sqrt(1.0 - pole * pole))
    return state[RED]


@njit(error_model="numpy")
def _prepare(state: State, rate: float) -> None:
    state[RATE] = rate
    state[RED_POLE] = math.exp(-2.0 * math.pi * RED_CORNER_HZ / rate)
    power = later = 0.0
    for b in range(BANDS):
        corner = LOWEST_HZ * SPACING**b
        state[STEPS + b] = 1.0 - math.exp(-2.0 * math.pi * corner / rate)
        state[STEPS + BANDS + b] = 1.0 / math.sqrt(corner)
    for a in range(BANDS):
        for b in range(BANDS):
            sa, sb = state[STEPS + a], state[STEPS + b]
            joint = sa * sb / (1.0 - (1.0 - sa) * (1.0 - sb))
            joint *= state[STEPS + BANDS + a] * state[STEPS + BANDS + b]
            power += joint
            later += (1.0 - sa) * joint  # covariance with the sample before
    state[BLUE_GAIN] = 1.0 / math.sqrt(2.0 * (1.0 - later / power))
    for b in range(BANDS):
        state[STEPS + BANDS + b] /= math.sqrt(power)


MODULE = ModuleSpec(
    id="noise",
    name="Noise",
    stage="source",
    sentence="Raw material for air, sea, rain and fire: five noise colours of one RMS level, and two kinds of grains.",
    kernel=kernel,
    params=(
        Param("colour", "Colour", "choice", 0, 6, 1, "White is even; pink falls by 3 dB, red by 6 dB per octave; blue "
              "and violet rise as much; velvet and crackle are single grains.", COLOURS, amount=0.5),
        Param("density_hz", "Density", "hz", 0.1, 24000, 800, "Grains per second of velvet and crackle.",
              taper="octaves", amount=1.0),
        Param("width", "Width", "ratio", 0, 1, 0, "From mono to two independent channels.",
              amount=0.3),
        Param("seed", "Own seed", "none", 0, 9999, 0, "Another noise from the same patch seed."),
    ),
    outputs=(Output("out", "Noise", "audio", stereo=True, width="width"),),
    state=2 * STATE,
    handle=("colour", "density_hz"),
    cycle=Cycle(noise=True),
    face="colour",
    words=("white", "pink", "red", "brown", "blue", "violet", "velvet", "crackle", "wind", "rain", "sea", "fire",
           "hiss", "rumble", "dust"),
    presets=(
        Preset("White noise", "Equal power at every frequency.",
               {"colour": "white"}, ("hiss", "static")),
        Preset("Pink noise", "Equal power in every octave.",
               {"colour": "pink"}, ("even noise",)),
        Preset("Red noise", "Dark: falls by 6 dB in each octave.",
               {"colour": "red"}, ("brown noise", "brownian noise", "rumble", "low noise")),
        Preset("Blue noise", "Bright: rises by 3 dB in each octave.",
               {"colour": "blue"}, ("bright noise", "spray")),
        Preset("Velvet noise", "Sparse pulses at random places.",
               {"colour": "velvet"}, ("dust",)),
        Preset("Crackle", "Rare clicks of random height.",
               {"colour": "crackle", "density_hz": 12.0}, ("fire", "vinyl", "crackling")),
    ),
    sources=(
        "Salmon et al. 2011, doi:10.1145/2063384.2063405 (random numbers)",
        "1/f noise as a sum of first-order processes: van der Ziel 1950, doi:10.1016/0031-8914(50)90078-4",
        "Karjalainen and Jarvelainen 2007 (velvet noise, from memory)",
    ),
)  # fmt: skip
