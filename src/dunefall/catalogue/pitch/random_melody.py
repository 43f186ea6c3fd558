"""Random melody: random notes of a scale, with rules."""

from __future__ import annotations

import numpy as np
from numba import njit

from dunefall.base.arrays import Drawn, Key, Row, Scalar, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param, Series
from dunefall.catalogue.pitch.quantiser import ROOTS, SCALES
from dunefall.dsp.random import uniform
from dunefall.dsp.triggers import PULSE_S, held_for, pulsed, unchanged

__all__ = ["MODULE"]

NOTE, LAST, DRAWS, LEFT = range(4)
MOST = 128
LEAP = 7.0
"""Semitones over which steps fall to a tenth."""


def _members() -> np.ndarray:
    members = np.zeros((len(SCALES), 12))
    for s, notes in enumerate(SCALES.values()):
        for rank, note in enumerate(notes):
            members[s, note] = rank + 1
    return members


MEMBERS = _members()
"""For each scale and semitone above its root: its degree from 1 on; 0: none."""


def kernel(
    trigger: Row, scale: Row, root: Row, low: Row, high: Row, leaps: Row, repeats: Row, weights: Drawn, out: Row,
    new: Row, state: State, key: Key, rate: Scalar,
) -> None:  # fmt: skip
    """State: the note now (0: none yet), last trigger, number of draws, samples for which a new note's trigger stays
    high."""
    note, last, draws, left = state[NOTE], state[LAST], state[DRAWS], state[LEFT]
    pulse = held_for(PULSE_S, rate)
    if note != 0.0 and left == 0.0 and unchanged(trigger, last):
        for i in range(out.size):
            out[i], new[i] = note, 0.0
        state[LAST] = trigger[out.size - 1]
        return
    for i in range(out.size):
        fires = trigger[i] > 0.5 and last <= 0.5
        last = trigger[i]
        if note == 0.0 or fires:
            note = _next(note, int(scale[i] + 0.5), int(root[i] + 0.5), low[i], high[i], leaps[i], repeats[i], weights,
                         uniform(key, draws, 0))  # fmt: skip
            draws += 1.0
        out[i] = note
        new[i], left = pulsed(fires, left, pulse)
    state[NOTE], state[LAST], state[DRAWS], state[LEFT] = note, last, draws, left


@njit(error_model="numpy")
def _weight(key: int, note: float, scale: int, root: int, leaps: float, repeats: float, weights: Row) -> float:
    """How likely a key is after a note: its degree's weight, less the further away unless leaps are wanted."""
    degree = MEMBERS[scale, (key - root) % 12]
    if degree == 0.0:
        return 0.0
    size = weights[1 + (int(degree) - 1) % int(weights[0])]
    if note == 0.0:
        return size
    away = abs(key - note)
    if away == 0.0:
        return size * repeats
    near: float = 10.0 ** (-(away - 1.0) / LEAP)
    return size * (leaps + (1.0 - leaps) * near)


@njit(error_model="numpy")
def _next(
    note: float, scale: int, root: int, low: float, high: float, leaps: float, repeats: float, weights: Row, luck: float
) -> float:
    first, last = int(min(low, high) + 0.5), int(max(low, high) + 0.5)
    total = 0.0
    for key in range(first, last + 1):
        total += _weight(key, note, scale, root, leaps, repeats, weights)
    if total <= 0.0:  # no note of the scale, or none with a weight: the one there is, or the lowest
        return note if note > 0.0 else max(float(first), 1.0)
    rest, found = luck * total, float(first)
    for key in range(first, last + 1):
        weight = _weight(key, note, scale, root, leaps, repeats, weights)
        if weight > 0.0:
            found = float(key)
            if rest < weight:
                return max(found, 1e-9)
        rest -= weight
    return max(found, 1e-9)


MODULE = ModuleSpec(
    id="random-melody",
    name="Random melody",
    stage="pitch",
    sentence="Picks the next note of a scale at random, with a weight for each degree, in steps or leaps.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "Each rising edge is a note.", listens=True),),
    params=(
        Param("scale", "Scale", "choice", 0, len(SCALES) - 1, 8, "Notes that are allowed.", tuple(SCALES)),
        Param("root", "Root", "choice", 0, 11, 2, "Root of the scale.", ROOTS),
        Param("low", "Lowest", "note", 1, 127, 50, "No note lies below.", amount=7.0),
        Param("high", "Highest", "note", 1, 127, 74, "No note lies above.", amount=7.0),
        Param("leaps", "Leaps", "ratio", 0, 1, 0.1, "From stepwise motion to leaps anywhere.", amount=0.3),
        Param("repeats", "Repeats", "ratio", 0, 1, 0.2, "Probability that a note repeats at once.", amount=0.3),
    ),
    series=(
        Series("weights", "Weights", "ratio", 0, 1, (1, 0.4, 0.6, 0.4, 0.9, 0.4, 0.5),
               "How likely each degree of the scale is, from the root up.", least=1, most=12),
    ),
    outputs=(Output("out", "Note", "pitch"), Output("new", "New note", "gate", 0, 1)),
    state=4,
    face="scale",
    words=("generative", "random notes", "melody", "improvise", "markov"),
    sources=("weighted choice among the keys in range (the project's own)",),
)  # fmt: skip
