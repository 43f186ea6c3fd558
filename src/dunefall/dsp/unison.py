"""Several voices of one tone: how far apart they are in pitch, where they stand, and how each drifts by itself.

However many there are, they are evenly spaced about the pitch and about the middle of the stereo field (the project's
own rule); a number between two whole ones lies between both arrangements.
"""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Key, Memory, Row
from dunefall.dsp.maths import exp2, floor, fma, on_grid, sine, smooth_step
from dunefall.dsp.random import uniform
from dunefall.dsp.reading import constant

__all__ = ["arrange", "begin_phase", "bend", "drifts", "own_steps", "sides", "weight"]

ROOT_2 = math.sqrt(2.0)
PHASE_STREAM, CHANCE_STREAM, DRIFT_STREAM = 1, 2, 16
"""Streams of random numbers: where a voice begins, how irregularly it is off, and the first voice's drift."""


@njit(error_model="numpy", forceinline=True)
def begin_phase(v: int, key: Key) -> float:
    """Phase at which a voice begins: the first at 0, the others anywhere."""
    return on_grid(uniform(key, float(v), PHASE_STREAM)) if v > 0 else 0.0


@njit(error_model="numpy", forceinline=True)
def weight(v: int, unison: float) -> float:
    """Share of a voice in the sound of ``1 + unison`` voices: the last one comes in by degrees."""
    return smooth_step(min(max(1.0 + unison - v, 0.0), 1.0))


@njit(error_model="numpy", forceinline=True)
def _rank(v: int, count: int, across: bool) -> float:
    """Place of a voice among so many, -1 to 1: in pitch from low to high; across the field every other one first, so
    that left is not low."""
    if count < 2:
        return 0.0
    half = (count + 1) // 2
    at = v if not across else 2 * v if v < half else 2 * (v - half) + 1
    return 2.0 * min(at, count - 1) / (count - 1) - 1.0


@njit(error_model="numpy", forceinline=True)
def _place(v: int, unison: float, across: bool) -> float:
    whole = int(unison)
    coming = weight(whole + 1, unison)
    later = _rank(v, whole + 2, across)
    return later if v > whole else fma(later - _rank(v, whole + 1, across), coming, _rank(v, whole + 1, across))


@njit(error_model="numpy", forceinline=True)
def _aside(v: int, unison: float, scatter: float, key: Key) -> float:
    return fma(scatter, 2.0 * uniform(key, float(v), CHANCE_STREAM) - 1.0, _place(v, unison, False))


@njit(error_model="numpy", forceinline=True)
def arrange(unison: Row, level: Row, scatter: Row, middles: Row, gains: Row, key: Key, most: int, moves: int) -> None:
    """What all voices have in common: the middle of their places, which is taken off each, and the gain that keeps
    their sum as strong as one.

    Parameters
    ----------
    unison, level, scatter : ndarray [shape=(n,)]
        Voices beside the first; height of the wave; how irregular the distances are, 0..1.
    middles, gains : ndarray [shape=(n,)]
        Receive both.
    key : uint64
        Key of the module's random numbers.
    most : int
        How many voices there can be.
    moves : int
        Not 0: unison, level or scatter may change within the row.
    """
    for i in range(unison.size):
        if i > 0 and moves == 0:
            middles[i], gains[i] = middles[0], gains[0]
            continue
        total = sums = 0.0
        for v in range(min(most, int(unison[i] + 1.999999))):
            share = weight(v, unison[i])
            total += share
            if unison[i] > 0.0:
                sums += share * _aside(v, unison[i], scatter[i], key)
        middles[i], gains[i] = sums / total, level[i] / math.sqrt(total)


@njit(error_model="numpy", forceinline=True)
def sides(v: int, unison: float, spread: float, both: float) -> tuple[float, float]:
    """Gains of a voice to the left and to the right: 1 and 1 in the middle, 1 and 0 where there is one channel.

    Parameters
    ----------
    v : int
        Number of the voice.
    unison : float
        Voices beside the first.
    spread : float [0, 1]
        How far apart they stand.
    both : float
        0 where there is one channel.

    Returns
    -------
    (float, float)
    """
    if not both:
        return 1.0, 0.0
    angle = fma(0.125 * _place(v, unison, True), spread, 0.125)
    return ROOT_2 * sine(angle + 0.25), ROOT_2 * sine(angle)


@njit(error_model="numpy", forceinline=True)
def drifts(
    drift_ct: Row, drift_hz: Row, places: Row, draws: Row, memory: Memory, place_at: int, draw_at: int, rate: float
) -> None:
    """Where between two of its random places each voice is, and which two they are.

    Parameters
    ----------
    drift_ct, drift_hz : ndarray [shape=(n,)]
        How far and how fast; where the first is 0 nothing moves.
    places, draws : ndarray [shape=(n,)]
        Receive both.
    memory : ndarray
        Place and number are kept in it, at ``place_at`` and ``draw_at``.
    place_at, draw_at : int
        Where.
    rate : float
        Sample rate in Hz.
    """
    place, draw = memory[place_at], memory[draw_at]
    for i in range(places.size):
        places[i], draws[i] = smooth_step(place), draw
        if drift_ct[i] != 0.0:
            place += min(drift_hz[i] / rate, 1.0)
            if place >= 1.0:
                place -= 1.0
                draw += 1.0
    memory[place_at], memory[draw_at] = place, draw


@njit(error_model="numpy", forceinline=True)
def own_steps(
    v: int, steps: Row, unison: Row, middles: Row, places: Row, draws: Row, detune_ct: Row, scatter: Row, drift_ct: Row,
    fm_hz: Row, own: Row, key: Key, rate: float,
) -> None:  # fmt: skip
    """Steps of a voice's phase: its place among the voices, how far it is off that, its drift, and linear FM.

    Parameters
    ----------
    v : int
        Number of the voice.
    steps : ndarray [shape=(n,)]
        Cycles per sample of the pitch.
    unison, middles, places, draws : ndarray [shape=(n,)]
        See ``arrange`` and ``drifts``.
    detune_ct, scatter, drift_ct, fm_hz : ndarray [shape=(n,)]
        Values of the module.
    own : ndarray [shape=(n,)]
        Receives the steps, [-0.5, 0.5], on the grid of ``on_grid``.
    key : uint64
        Key of the module's random numbers.
    rate : float
        Sample rate in Hz.
    """
    n = own.size
    drawn, a, b = draws[0], uniform(key, draws[0], DRIFT_STREAM + v), uniform(key, draws[0] + 1.0, DRIFT_STREAM + v)
    if constant(draws):  # the same for all samples, and so for each of the loops below, which then run in vectors
        for i in range(n):
            own[i] = fma(2.0, fma(b - a, places[i], a), -1.0)
    else:
        for i in range(n):
            if draws[i] != drawn:
                drawn = draws[i]
                a, b = uniform(key, drawn, DRIFT_STREAM + v), uniform(key, drawn + 1.0, DRIFT_STREAM + v)
            own[i] = fma(2.0, fma(b - a, places[i], a), -1.0)
    if constant(unison) and constant(scatter) and constant(middles):
        aside = _aside(v, unison[0], scatter[0], key) - middles[0] if unison[0] > 0.0 else 0.0
        for i in range(n):
            own[i] = _step(steps[i], aside, detune_ct[i], drift_ct[i] * own[i], fm_hz[i] / rate)
        return
    aside = 0.0
    for i in range(n):
        if i == 0 or unison[i] != unison[i - 1] or scatter[i] != scatter[i - 1]:
            aside = _aside(v, unison[i], scatter[i], key) - middles[i] if unison[i] > 0.0 else 0.0
        own[i] = _step(steps[i], aside, detune_ct[i], drift_ct[i] * own[i], fm_hz[i] / rate)


@njit(error_model="numpy", forceinline=True)
def _step(step: float, aside: float, detune_ct: float, drifted_ct: float, added: float) -> float:
    cents = fma(aside, detune_ct, drifted_ct)
    return on_grid(min(max(fma(step, exp2(cents * (1.0 / 1200.0)), added), -0.5), 0.5))


@njit(error_model="numpy", forceinline=True)
def bend(at: Row, steps: Row, phase_deg: Row) -> None:
    """Phases moved by degrees, back into [0, 1), and the size of their steps."""
    for i in range(at.size):
        at[i] = fma(phase_deg[i], 1.0 / 360.0, at[i])
        at[i] -= floor(at[i])
        steps[i] = abs(steps[i])
