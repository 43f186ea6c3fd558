"""Waveshaper: a curve from level in to level out."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset, pole_s
from dunefall.dsp.halfband import FOUR_SIZE, quartered, risen_twice
from dunefall.dsp.maths import db_to_gain, exp2, fma, log2, nearest, sine

__all__ = ["MODULE"]

LAST, DC_IN, DC_OUT, UP = range(4)
DOWN, DRY = UP + FOUR_SIZE, UP + 2 * FOUR_SIZE
CURVES = ("soft", "round", "hard", "diode", "rectify", "steps", "drawn")
POINTS = 7
TWO_OVER_PI, PER_LOG2 = 2.0 / math.pi, math.log(2.0)
NEAR = 1e-5
"""Below this step the curve at the mean of two values is used instead of the quotient."""
STEPS = 4.0
BLOCK_HZ = 8.0
"""A high-pass at this frequency takes off what the curve adds that does not move."""


def kernel(
    audio: Row, curve: Row, drive_db: Row, bias: Row, mix: Row, point_1: Row, point_2: Row, point_3: Row, point_4: Row,
    point_5: Row, point_6: Row, point_7: Row, out: Row, state: State, rate: Scalar, scratch: Scratch,
) -> None:  # fmt: skip
    """State: the last driven value without the bias, the high-pass, then the filters to four times the rate and back
    for the shaped sound and for the plain one.

    At four times the sample rate, the mean of the curve over each step of the driven sound (antiderivative
    antialiasing).
    """
    last, low, high = state[LAST], state[DC_IN], state[DC_OUT]
    keep = 1.0 - 2.0 * math.pi * BLOCK_HZ / rate
    points = scratch[:POINTS]
    for i in range(out.size):
        form, shift = curve[i], bias[i]
        points[0], points[1], points[2], points[3] = point_1[i], point_2[i], point_3[i], point_4[i]
        points[4], points[5], points[6] = point_5[i], point_6[i], point_7[i]
        a, b, c, d = risen_twice(audio[i], state, UP)
        plain = quartered(a, b, c, d, state, DRY)
        gain = db_to_gain(drive_db[i])
        a, b, c, d = fma(a, gain, shift), fma(b, gain, shift), fma(c, gain, shift), fma(d, gain, shift)
        still = _value(form, shift, points)
        first, second = _mean(form, last + shift, a, points), _mean(form, a, b, points)
        third, fourth = _mean(form, b, c, points), _mean(form, c, d, points)
        last = d - shift
        shaped = quartered(first - still, second - still, third - still, fourth - still, state, DOWN)
        high = fma(keep, high, shaped - low)
        low = shaped
        out[i] = fma(high - plain, mix[i], plain)
    state[LAST], state[DC_IN], state[DC_OUT] = last, low, high


@njit(error_model="numpy", forceinline=True)
def _mean(form: float, a: float, b: float, points: Row) -> float:
    """Mean of the curve between two values."""
    step = b - a
    if abs(step) < NEAR:
        return _value(form, 0.5 * (a + b), points)
    return (_area(form, b, points) - _area(form, a, points)) / step


@njit(error_model="numpy", forceinline=True)
def _value(form: float, x: float, points: Row) -> float:
    """The curve, between two neighbours of the choice where it glides."""
    low = int(form)
    share = form - low
    here = _one_value(low, x, points)
    return here if share == 0.0 else fma(share, _one_value(low + 1, x, points) - here, here)


@njit(error_model="numpy", forceinline=True)
def _area(form: float, x: float, points: Row) -> float:
    """An antiderivative of the curve."""
    low = int(form)
    share = form - low
    here = _one_area(low, x, points)
    return here if share == 0.0 else fma(share, _one_area(low + 1, x, points) - here, here)


@njit(error_model="numpy")
def _one_value(kind: float, x: float, points: Row) -> float:
    size = abs(x)
    if kind == 0:
        return x / (1.0 + size)
    if kind == 1:
        return sine(0.25 * x) if size < 1.0 else math.copysign(1.0, x)
    if kind == 2:
        return min(max(x, -1.0), 1.0)
    if kind == 3:
        return x / (1.0 + 0.5 * x) if x >= 0.0 else exp2(max(x / PER_LOG2, -400.0)) - 1.0
    if kind == 4:
        return min(size, 2.0)
    if kind == 5:
        return nearest(STEPS * min(max(x, -1.0), 1.0)) / STEPS
    at = min(max((x + 1.0) * 0.5, 0.0), 1.0) * (POINTS - 1)
    k = min(int(at), POINTS - 2)
    return fma(at - k, points[k + 1] - points[k], points[k])


@njit(error_model="numpy")
def _one_area(kind: float, x: float, points: Row) -> float:
    size = abs(x)
    if kind == 0:
        return size - PER_LOG2 * log2(1.0 + size)
    if kind == 1:
        return TWO_OVER_PI * (1.0 - sine(0.25 * x + 0.25)) if size < 1.0 else TWO_OVER_PI + size - 1.0
    if kind == 2:
        return 0.5 * x * x if size < 1.0 else size - 0.5
    if kind == 3:
        if x >= 0.0:
            return 2.0 * x - 4.0 * PER_LOG2 * log2(1.0 + 0.5 * x)
        return exp2(max(x / PER_LOG2, -400.0)) - 1.0 - x
    if kind == 4:
        return 0.5 * x * size if size < 2.0 else math.copysign(2.0 * size - 2.0, x)
    if kind == 5:
        u = STEPS * min(size, 1.0)
        r = nearest(u)
        return (r * u - 0.5 * r * r) / (STEPS * STEPS) + max(size - 1.0, 0.0)
    wide = 2.0 / (POINTS - 1)
    area, left = 0.0, -1.0
    if x < left:
        return points[0] * (x - left)
    for k in range(POINTS - 1):
        part = min(x - left, wide)
        end = fma(part / wide, points[k + 1] - points[k], points[k])
        area = fma(0.5 * part, points[k] + end, area)
        left += wide
        if x <= left:
            return area
    return fma(points[POINTS - 1], x - 1.0, area)


def _point(number: int) -> Param:
    at = 2.0 * (number - 1) / (POINTS - 1) - 1.0
    place = f"{100 * at:+.0f} %".replace("-", "−")
    return Param(f"point_{number}", f"Drawn {place}", "ratio", -1, 1, round(at, 2),
                 f"Output of the drawn curve at an input of {place}.", amount=0.3)  # fmt: skip


MODULE = ModuleSpec(
    id="waveshaper",
    name="Waveshaper",
    stage="shape",
    sentence="Distorts the wave by a curve: warmth, rasp, octaves, steps, or a curve of your own.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("curve", "Curve", "choice", 0, 6, 0, "Transfer curve; glides from one to the next.",
              CURVES, amount=1.0),
        Param("drive_db", "Drive", "db", -24, 48, 6, "Level before the curve.", amount=6.0),
        Param("bias", "Bias", "ratio", -1, 1, 0, "Bias: adds even harmonics.", amount=0.3),
        Param("mix", "Mix", "ratio", 0, 1, 1, "Dry/wet: from the dry sound to the shaped one.", amount=0.3),
        *(_point(number) for number in range(1, POINTS + 1)),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=UP + 3 * FOUR_SIZE,
    handle=("bias", "drive_db"),
    cycle=Cycle(memory_s=lambda g: pole_s(BLOCK_HZ)),
    face="drive_db",
    passes="audio",
    shows="wave",
    words=("distortion", "saturation", "overdrive", "warmth", "clip", "tube", "rectifier", "octave", "fuzz"),
    presets=(
        Preset("Soft clip", "Rounds the peaks.",
               {"curve": "soft", "drive_db": 9.0}, ("gentle saturation",)),
        Preset("Hard clip", "Cuts the peaks off.",
               {"curve": "hard", "drive_db": 12.0}, ("clipping", "harsh")),
        Preset("Rectifier", "Turns the lower half up: an octave higher.",
               {"curve": "rectify"}, ("octave fuzz", "full-wave")),
    ),
    sources=("Parker, Zavalishin, Le Bivic 2016, antiderivative antialiasing (DAFx-16)",
             "Orfanidis 2006, elliptic filter design (half-band filters, from memory)"),
)  # fmt: skip
