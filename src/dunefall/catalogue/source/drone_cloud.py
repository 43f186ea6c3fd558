"""Drone cloud: many sines on a series, each wandering by itself."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from dunefall.base.arrays import Key, Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import exp2, floor, fma, note_to_hz, sine, smooth_step
from dunefall.dsp.random import philox

__all__ = ["MODULE"]

COUNT, LAST, SEEDS, GONE, PLACE, DRAWS = range(6)
MOST = 64
PHASE, STEP, LEFT, RIGHT, LEFT_BY, RIGHT_BY = (8 + MOST * k for k in range(6))
STATE = 8 + 6 * MOST
STRIDE = 64
"""Pitches and levels are worked out every so many samples; levels go from one to the next in a straight line."""
HIGHEST = 0.45
ROOT_2 = math.sqrt(2.0)
SPARES = 4294967296.0
SERIES = ("harmonic", "stretched", "sub-harmonic", "chord")
CHORD = np.array([0.0, 7.0, 12.0, 16.0, 19.0, 24.0, 26.0, 31.0])
"""Semitones of the chord: fifths, octaves, a tenth, a ninth; it goes on three octaves higher."""
CHORD_SPAN = 36.0
STIFFNESS = 0.0016
SPAN_DB = 30.0


def kernel(
    trigger: Row, pitch_note: Row, partials: Row, series: Row, tilt_db: Row, scatter_ct: Row, unlike: Row,
    drift_ct: Row, drift_level: Row, drift_hz: Row, move_s: Row, spread: Row, level: Row, out: Row, out_right: Row,
    state: State, key: Key, rate: Scalar, wanted: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: samples since pitches and levels were set, last trigger, triggers heard, how far the move to the present
    seed is (0..1), place and number of the drift's draws; then for each partial phase, step, levels of both channels
    and their steps.
    """
    n, i, count, both = out.size, 0, int(state[COUNT]), wanted & 0b10 != 0
    out[:] = 0.0
    if both:
        out_right[:] = 0.0
    while i < n:
        _listen(trigger, state, i)
        if count == 0:
            _move(drift_hz[i], move_s[i], state, rate)
            for k in range(MOST):
                _set(k, pitch_note[i], partials[i], series[i], tilt_db[i], scatter_ct[i], unlike[i], drift_ct[i],
                     drift_level[i], spread[i] if both else 0.0, state, key, rate)  # fmt: skip
        last = min(n, i + STRIDE - count)
        for j in range(i + 1, last):
            _listen(trigger, state, j)
        for k in range(MOST):
            _add(k, count, out[i:last], out_right[i:last] if both else out[i:last], both, state)
        count = (count + last - i) % STRIDE
        if count == 0:
            _turn(state)
        i = last
    for i in range(n):
        out[i] *= level[i]
    if both:
        for i in range(n):
            out_right[i] *= level[i]
    state[COUNT] = count


@njit(error_model="numpy", forceinline=True)
def _listen(trigger: Row, state: State, i: int) -> None:
    if trigger[i] > 0.5 and state[LAST] <= 0.5:
        state[SEEDS] += 1.0
        state[GONE] = 0.0
    state[LAST] = trigger[i]


@njit(error_model="numpy", forceinline=True)
def _move(drift_hz: float, move_s: float, state: State, rate: float) -> None:
    """The move to a new seed and the drift, a stride further."""
    state[GONE] = min(state[GONE] + STRIDE / (move_s * rate), 1.0)
    place = state[PLACE] + min(drift_hz * STRIDE / rate, 1.0)
    state[DRAWS] += floor(place)
    state[PLACE] = place - floor(place)


@njit(error_model="numpy", forceinline=True)
def _chances(key: Key, count: float, stream: float) -> tuple[float, float, float]:
    """Three numbers in [-1, 1)."""
    a, b, c, _ = philox(key, np.uint64(count), np.uint64(stream))
    scale = 2.0 / SPARES
    return fma(np.float64(a), scale, -1.0), fma(np.float64(b), scale, -1.0), fma(np.float64(c), scale, -1.0)


@njit(error_model="numpy", forceinline=True)
def _semitones(k: int, series: float) -> float:
    """Distance of a partial from the first, between two neighbouring series where the choice glides."""
    low, share = floor(series), series - floor(series)
    here = _one_series(k, low)
    return fma(share, _one_series(k, low + 1.0) - here, here) if share > 0.0 else here


@njit(error_model="numpy", forceinline=True)
def _one_series(k: int, series: float) -> float:
    number = k + 1.0
    if series < 0.5:
        return 12.0 * math.log2(number)
    if series < 1.5:
        return 12.0 * math.log2(number * math.sqrt((1.0 + STIFFNESS * number * number) / (1.0 + STIFFNESS)))
    if series < 2.5:
        return -12.0 * math.log2(number)
    note: float = CHORD[k % CHORD.size]
    return note + CHORD_SPAN * (k // CHORD.size)


@njit(error_model="numpy", forceinline=True)
def _set(
    k: int, note: float, partials: float, series: float, tilt: float, scatter: float, unlike: float,
    drift_ct: float, drift_level: float, spread: float, state: State, key: Key, rate: float,
) -> None:  # fmt: skip
    """Step and levels of a partial at the end of this stride."""
    here = min(max(partials - k, 0.0), 1.0)
    if here == 0.0 and state[LEFT + k] == 0.0 and state[RIGHT + k] == 0.0:
        state[LEFT_BY + k] = state[RIGHT_BY + k] = 0.0
        return
    gone, place = smooth_step(state[GONE]), smooth_step(state[PLACE])
    seeds = state[SEEDS]
    was_at, was_loud, was_aside = _chances(key, max(seeds - 1.0, 0.0), 2 * k)
    at, loud, aside = _chances(key, seeds, 2 * k)
    at, loud, aside = fma(gone, at - was_at, was_at), fma(gone, loud - was_loud, was_loud), fma(
        gone, aside - was_aside, was_aside)  # fmt: skip
    pitch_a, level_a, _ = _chances(key, state[DRAWS], 2 * k + 1)
    pitch_b, level_b, _ = _chances(key, state[DRAWS] + 1.0, 2 * k + 1)
    cents = fma(at, scatter, drift_ct * fma(place, pitch_b - pitch_a, pitch_a))
    away = _semitones(k, series)
    step = note_to_hz(note + away + 0.01 * cents) / rate
    wander = fma(0.5 * drift_level, fma(place, level_b - level_a, level_a) - 1.0, 1.0)
    db = fma(tilt, abs(away) * (1.0 / 12.0), 0.5 * SPAN_DB * unlike * loud)
    gain = here * wander * exp2(db * 0.16609640474436813) if step < HIGHEST else 0.0
    gain /= math.sqrt(0.5 * max(partials, 1.0))
    angle = fma(0.125 * spread, aside, 0.125)
    left, right = (ROOT_2 * sine(angle + 0.25), ROOT_2 * sine(angle)) if spread > 0.0 else (1.0, 1.0)
    state[STEP + k] = min(step, 0.5)
    state[LEFT_BY + k] = (gain * left - state[LEFT + k]) / STRIDE
    state[RIGHT_BY + k] = (gain * right - state[RIGHT + k]) / STRIDE


@njit(error_model="numpy", forceinline=True)
def _add(k: int, count: int, out: Row, out_right: Row, both: float, state: State) -> None:
    """Add a partial, counted from the beginning of the stride, so that it does not matter where a block ends."""
    left, left_by, right, right_by = state[LEFT + k], state[LEFT_BY + k], state[RIGHT + k], state[RIGHT_BY + k]
    if left == 0.0 and left_by == 0.0 and right == 0.0 and right_by == 0.0:
        return
    phase, step = state[PHASE + k], state[STEP + k]
    for i in range(out.size):
        at = float(count + i)
        wave = sine(fma(at, step, phase))
        out[i] = fma(wave, fma(at, left_by, left), out[i])
        if both:
            out_right[i] = fma(wave, fma(at, right_by, right), out_right[i])


@njit(error_model="numpy", forceinline=True)
def _turn(state: State) -> None:
    """The end of a stride: phases and levels as they are now."""
    for k in range(MOST):
        phase = fma(float(STRIDE), state[STEP + k], state[PHASE + k])
        state[PHASE + k] = phase - floor(phase)
        state[LEFT + k] = fma(float(STRIDE), state[LEFT_BY + k], state[LEFT + k])
        state[RIGHT + k] = fma(float(STRIDE), state[RIGHT_BY + k], state[RIGHT + k])
        if abs(state[LEFT + k]) + abs(state[RIGHT + k]) < 1e-12:
            state[LEFT + k] = state[RIGHT + k] = 0.0


MODULE = ModuleSpec(
    id="drone-cloud",
    name="Drone cloud",
    stage="source",
    sentence="Many sine partials that each wander on their own; a trigger moves them all to new places.",
    kernel=kernel,
    inputs=(Input("trigger", "New seed", "gate", "Each rising edge picks new places and moves there."),),
    params=(
        Param("pitch_note", "Pitch", "note", -12, 108, 36, "Note of the first partial; a linked pitch is relative to "
              "C4.", amount=7.0),
        Param("partials", "Partials", "none", 4, MOST, 16, "How many sines.", amount=4.0),
        Param("series", "Series", "choice", 0, 3, 0, "Where they stand.", SERIES, amount=1.0),
        Param("tilt_db", "Tilt", "db", -24, 6, -6, "Level change per octave above the first partial.", amount=3.0),
        Param("scatter_ct", "Scatter", "cents", 0, 200, 12, "Random detuning of each partial, set by the seed.",
              amount=10.0),
        Param("unlike", "Unlike", "ratio", 0, 1, 0.65, "How much the levels of the partials differ, set by the seed.",
              amount=0.3),
        Param("drift_ct", "Pitch drift", "cents", 0, 100, 8, "How far each partial wanders in pitch.", amount=5.0),
        Param("drift_level", "Level drift", "ratio", 0, 1, 0.6, "How far each partial fades in and out.", amount=0.3),
        Param("drift_hz", "Drift rate", "hz", 0.005, 20, 0.15, "How fast they wander.", taper="octaves", amount=1.0),
        Param("move_s", "Move time", "s", 0.02, 120, 6, "Time to move to the new places.", taper="octaves",
              amount=1.0),
        Param("spread", "Spread", "ratio", 0, 1, 0.7, "Stereo spread of the partials.", amount=0.3),
        Param("level", "Level", "ratio", 0, 1, 0.5, "Height of all together.", amount=0.3),
    ),
    outputs=(Output("out", "Tone", "audio", stereo=True, width="spread"),),
    state=STATE,
    face="partials",
    shows="spectrum",
    groups=(
        ("Drift", ("scatter_ct", "unlike", "drift_ct", "drift_level", "drift_hz", "move_s", "trigger")),
    ),
    words=("drone", "additive", "pad", "organ", "sines", "chord", "hum", "reseed", "ambient"),
    sources=("additive synthesis (textbook)", "Fletcher 1964, stiff strings: f = n f1 sqrt(1 + B n**2) (stretched)"),
)  # fmt: skip
