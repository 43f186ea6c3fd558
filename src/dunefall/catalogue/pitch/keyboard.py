"""Keyboard: notes for a layer's voices, by hand or by linked triggers."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.catalogue.ports import MIDI_CHANNELS

__all__ = ["COUNT", "EVENTS", "EVENT_SIZE", "MODULE", "MOST_EVENTS"]

MOST_VOICES = 16
LAST, NOTES, COUNT, EVENTS = 0, 1, 2, 3
MOST_EVENTS, EVENT_SIZE = 16, 2
"""Notes that came by hand wait in the state: ``COUNT`` of them from ``EVENTS`` on, note and velocity (0: let go)."""
VOICES = EVENTS + MOST_EVENTS * EVENT_SIZE
ALL, LATEST, HIGHEST, LOWEST = range(4)
"""Every key has a voice; or only one key sounds: the last one, the highest or the lowest of those that are held."""
PITCH, VELOCITY, HELD, RELEASED, AGAIN, VOICE_SIZE = range(6)
MOST_KEYS = 16
KEYS = VOICES + MOST_VOICES * VOICE_SIZE
FREE, BY_HAND, BY_TRIGGER = 0.0, 1.0, 2.0


def kernel(
    trigger: Row, notes: Row, force: Row, priority: Row, channel: Row, lowest_note: Row, highest_note: Row, wheel: Row,
    pressure: Row, pitch: Row, gate: Row, velocity: Row, bend: Row, touch: Row, state: State, levels: Row, voices: int,
    start: int,
) -> None:  # fmt: skip
    """State: last trigger, number of notes so far, waiting notes, then for each voice its pitch, velocity, what holds
    it, the number of the note after which it was let go, and 1 where it was taken while still held; then how many keys
    are held, which, and how hard.

    The rows of the outputs hold all voices, one quantum each. A note takes the voice that was released first; with none
    released, the quietest.
    """
    n, begin = trigger.size, 0
    if state[COUNT] > 0.0:
        for k in range(int(state[COUNT])):
            note, hardness = state[EVENTS + 2 * k], state[EVENTS + 2 * k + 1]
            _hold(state, note, hardness)
            if priority[0] < 0.5:
                _by_hand(state, note, hardness, levels, voices)
            else:
                _alone(state, int(priority[0] + 0.5))
        state[COUNT] = 0.0
        begin = _write(pitch, gate, velocity, state, voices, start, 0, 1)
    for i in range(n):
        if (trigger[i] > 0.5) == (state[LAST] > 0.5):
            continue
        begin = _write(pitch, gate, velocity, state, voices, start, begin, i)
        state[LAST] = trigger[i]
        if trigger[i] > 0.5:
            _begin(state, _choose(state, levels, voices), notes[i], force[i], BY_TRIGGER)
        else:
            for v in range(voices):
                if state[VOICES + v * VOICE_SIZE + HELD] == BY_TRIGGER:
                    _release(state, v)
        begin = _write(pitch, gate, velocity, state, voices, start, i, i + 1)
    _write(pitch, gate, velocity, state, voices, start, begin, n)
    for i in range(n):
        bend[i], touch[i] = wheel[i], pressure[i]


@njit(error_model="numpy")
def _hold(state: State, note: float, force: float) -> None:
    """Keep account of the keys that are held, in the order in which they were pressed."""
    count, left = int(state[KEYS]), 0
    for k in range(count):
        if state[KEYS + 1 + 2 * k] != note:
            state[KEYS + 1 + 2 * left], state[KEYS + 2 + 2 * left] = state[KEYS + 1 + 2 * k], state[KEYS + 2 + 2 * k]
            left += 1
    if force > 0.0 and left < MOST_KEYS:
        state[KEYS + 1 + 2 * left], state[KEYS + 2 + 2 * left] = note, force
        left += 1
    state[KEYS] = left


@njit(error_model="numpy")
def _alone(state: State, priority: float) -> None:
    """One voice for all keys: the gate stays high from key to key, so that a slide can join them."""
    count, best = int(state[KEYS]), -1
    for k in range(count):
        note, chosen = state[KEYS + 1 + 2 * k], state[KEYS + 1 + 2 * max(best, 0)]
        if best < 0 or priority == LATEST or (note > chosen) == (priority == HIGHEST):
            best = k
    if best < 0:
        if state[VOICES + HELD] == BY_HAND:
            _release(state, 0)
    else:
        state[VOICES + PITCH], state[VOICES + HELD] = state[KEYS + 1 + 2 * best], BY_HAND
        state[VOICES + VELOCITY] = state[KEYS + 2 + 2 * best]


@njit(error_model="numpy")
def _write(pitch: Row, gate: Row, velocity: Row, state: State, voices: int, start: int, first: int, last: int) -> int:
    """Samples first..last of all voices; a gate that was taken over falls for the one sample that is written."""
    for v in range(voices):
        at, a, b = VOICES + v * VOICE_SIZE, 64 * v + start + first, 64 * v + start + last
        pitch[a:b] = state[at + PITCH]
        velocity[a:b] = state[at + VELOCITY]
        gate[a:b] = 1.0 if state[at + HELD] != FREE and state[at + AGAIN] == 0.0 else 0.0
        state[at + AGAIN] = 0.0 if last > first else state[at + AGAIN]
    return last


@njit(error_model="numpy")
def _by_hand(state: State, note: float, force: float, levels: Row, voices: int) -> None:
    if force > 0.0:
        _begin(state, _choose(state, levels, voices), note, force, BY_HAND)
        return
    for v in range(voices):
        at = VOICES + v * VOICE_SIZE
        if state[at + HELD] == BY_HAND and state[at + PITCH] == note:
            _release(state, v)


@njit(error_model="numpy")
def _begin(state: State, v: int, note: float, force: float, by: float) -> None:
    at = VOICES + v * VOICE_SIZE
    state[NOTES] += 1.0
    state[at + AGAIN] = 1.0 if state[at + HELD] != FREE else 0.0  # the gate falls for a sample
    state[at + PITCH], state[at + VELOCITY], state[at + HELD] = note, force, by


@njit(error_model="numpy")
def _release(state: State, v: int) -> None:
    at = VOICES + v * VOICE_SIZE
    state[NOTES] += 1.0
    state[at + HELD], state[at + RELEASED] = FREE, state[NOTES]


@njit(error_model="numpy")
def _choose(state: State, levels: Row, voices: int) -> int:
    best, oldest = -1, 0.0
    for v in range(voices):
        at = VOICES + v * VOICE_SIZE
        if state[at + HELD] == FREE and (best < 0 or state[at + RELEASED] < oldest):
            best, oldest = v, state[at + RELEASED]
    if best >= 0:
        return best
    best = 0
    for v in range(voices):
        if levels[v] < levels[best]:
            best = v
    return best


MODULE = ModuleSpec(
    id="keyboard",
    name="Keyboard",
    stage="pitch",
    sentence="Gives the layer's voices their notes, from a keyboard or one for each trigger.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "Each rising edge plays a note until it falls."),),
    params=(
        Param("notes", "Note", "note", 0, 127, 60, "Note a trigger plays; a linked pitch is relative to C4.",
              amount=7.0),
        Param("force", "Velocity", "ratio", 0.01, 1, 0.8, "How hard a trigger plays.", amount=0.2),
        Param("priority", "Keys", "choice", 0, 3, 0, "Polyphonic, or monophonic with a note priority.",
              ("a voice each", "the last one", "the highest", "the lowest"), set_up=True),
        Param("channel", "MIDI channel", "choice", 0, 16, 0, "Of the MIDI keyboard: the channel it listens to.",
              ("all", *MIDI_CHANNELS), set_up=True),
        Param("lowest_note", "Lowest key", "note", 0, 127, 0, "Of the MIDI keyboard: keys below are for others.",
              amount=7.0, set_up=True),
        Param("highest_note", "Highest key", "note", 0, 127, 127, "Of the MIDI keyboard: keys above are for others.",
              amount=7.0, set_up=True),
        Param("wheel", "Wheel", "none", -1, 1, 0, "Pitch wheel; MIDI moves it.", amount=0.5, set_up=True),
        Param("pressure", "Pressure", "ratio", 0, 1, 0, "Aftertouch; MIDI moves it.", amount=0.5, set_up=True),
    ),
    outputs=(
        Output("pitch", "Pitch", "pitch", per_voice=True),
        Output("gate", "Gate", "gate", 0, 1, per_voice=True),
        Output("velocity", "Velocity", "control", 0, 1, per_voice=True),
        Output("bend", "Wheel", "control"),
        Output("touch", "Pressure", "control", 0, 1),
    ),
    state=KEYS + 1 + 2 * MOST_KEYS,
    keys=True,
    face="notes",
    groups=(("MIDI keyboard", ("channel", "lowest_note", "highest_note", "wheel", "pressure")),),
    words=("keys", "notes", "midi", "voices", "polyphony", "play"),
    sources=("voice allocation: oldest released first, then the quietest (common practice)",),
)  # fmt: skip
