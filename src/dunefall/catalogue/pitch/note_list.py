"""Note list: listed or held notes, one after the other."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Drawn, Key, Row, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, Preset, Series
from dunefall.catalogue.pitch.keyboard import COUNT, EVENT_SIZE, EVENTS, MOST_EVENTS
from dunefall.dsp.steps import after
from dunefall.dsp.triggers import wrapped

__all__ = ["MODULE"]

LAST, RESET = 0, 1
STEP = EVENTS + MOST_EVENTS * EVENT_SIZE
PRESSED, NOTE, HELD = STEP + 1, STEP + 2, STEP + 3
MOST_HELD = 16
KEYS = HELD + 1
UP, DOWN, BOTH, PLAYED, ANY = range(5)
WAYS = (0, 1, 2, 0, 3)
"""Directions of ``dsp.steps`` for these orders."""
MOST_LISTED = 32


def kernel(
    clock: Row, reset: Row, order: Row, octaves: Row, repeats: Row, hold: Row, notes: Drawn, out: Row, gate: Row,
    place: Row, state: State, key: Key,
) -> None:  # fmt: skip
    """State: last clock, last reset, notes by hand that wait, steps since the reset, how many keys are down, the note
    of now, how many keys are held, which.

    Held keys take the place of the list; with ``hold`` they stay until others are pressed.
    """
    for k in range(int(state[COUNT])):
        _by_hand(state, state[EVENTS + 2 * k], state[EVENTS + 2 * k + 1], hold[0])
    state[COUNT] = 0.0
    for i in range(out.size):
        if reset[i] > 0.5 and state[RESET] <= 0.5:
            state[STEP] = 0.0
        state[RESET] = reset[i]
        from_keys = state[HELD] > 0.0
        count = state[HELD] if from_keys else notes[0]
        span = max(float(int(octaves[i] + 0.5)), 1.0)
        if clock[i] > 0.5 and state[LAST] <= 0.5:
            times = max(float(int(repeats[i] + 0.5)), 1.0)
            step = float(int(state[STEP] / times))
            at = after(0.0, step, WAYS[int(order[i] + 0.5)], count * span, key, 0)
            octave = float(int(at / count))
            rank = int(at - octave * count)
            sorts = int(order[i] + 0.5) != PLAYED
            if from_keys:
                base = _ranked(state, KEYS, int(count), rank) if sorts else state[KEYS + rank]
            else:
                base = _ranked(notes, 1, int(count), rank) if sorts else notes[1 + rank]
            state[NOTE] = base + 12.0 * octave
            state[STEP] += 1.0
        state[LAST] = clock[i]
        out[i] = state[NOTE] if state[STEP] > 0.0 else notes[1]
        gate[i] = 1.0 if clock[i] > 0.5 and state[STEP] > 0.0 else 0.0
        place[i] = wrapped(max(state[STEP] - 1.0, 0.0), count * span) / (count * span)


@njit(error_model="numpy")
def _ranked(values: Row, first: int, count: int, rank: float) -> float:
    """The value of a rank from below, without moving any."""
    for k in range(count):
        below = 0
        for other in range(count):
            smaller = values[first + other] < values[first + k]
            if smaller or (values[first + other] == values[first + k] and other < k):
                below += 1
        if below == rank:
            return values[first + k]
    return values[first]


@njit(error_model="numpy")
def _by_hand(state: State, note: float, force: float, hold: float) -> None:
    count = int(state[HELD])
    if force > 0.0:
        if hold >= 0.5 and state[PRESSED] == 0.0:
            count = 0  # all keys had been let go: others begin
        if count < MOST_HELD:
            state[KEYS + count] = note
            count += 1
        state[PRESSED] += 1.0
    else:
        state[PRESSED] = max(state[PRESSED] - 1.0, 0.0)
        if hold < 0.5:
            left = 0
            for k in range(count):
                if state[KEYS + k] != note:
                    state[KEYS + left] = state[KEYS + k]
                    left += 1
            count = left
    state[HELD] = count


def _round(given: Given) -> int:
    """Notes of a round, there and back with the ends once."""
    values = given.values
    count = len(given.series["notes"]) * round(values["octaves"])
    return round(values["repeats"]) * (max(2 * (count - 1), 1) if values["order"] == BOTH else count)


MODULE = ModuleSpec(
    id="note-list",
    name="Note list",
    stage="pitch",
    sentence="Arpeggiator: plays the notes of a list, or those held on the keys, one per clock tick, over octaves.",
    kernel=kernel,
    inputs=(
        Input("clock", "Clock", "gate", "Each rising edge plays the next note.", listens=True),
        Input("reset", "Reset", "gate", "Restarts at the first note with the next trigger."),
    ),
    params=(
        Param("order", "Order", "choice", 0, 4, 0, "Which note is next.",
              ("up", "down", "up and down", "as written", "random")),
        Param("octaves", "Octaves", "none", 1, 5, 2, "Range in octaves.", amount=1.0, whole=True),
        Param("repeats", "Repeats", "none", 1, 8, 1, "Repeats of each note.", amount=1.0, whole=True),
        Param("hold", "Hold", "choice", 0, 1, 0, "Latch: released keys stay until new ones are pressed.",
              ("while pressed", "until the next")),
    ),
    series=(
        Series("notes", "Notes", "note", 0, 127, (50, 53, 57, 60), "The list; held keys replace it.",
               most=MOST_LISTED),
    ),
    outputs=(
        Output("out", "Note", "pitch"),
        Output("gate", "Gate", "gate", 0, 1),
        Output("place", "Place", "control", 0, 1, seen=True),
    ),
    state=KEYS + MOST_HELD,
    keys=True,
    cycle=Cycle(lambda g: g.values["order"] == ANY, steps=_round, at=("clock",)),
    face="order",
    words=("arpeggiator", "arpeggio", "broken chord", "list of notes", "held notes"),
    presets=(
        Preset("Rising arpeggio", "The notes one after the other, upwards.",
               {"order": "up"}, ("arpeggio up",)),
        Preset("Falling arpeggio", "The notes one after the other, downwards.",
               {"order": "down"}, ("arpeggio down",)),
        Preset("Random arpeggio", "The notes in random order.",
               {"order": "random"}, ("random notes of a chord",)),
    ),
    sources=("orders of an arpeggio (common practice)",),
)  # fmt: skip
