"""Quantiser: the nearest note of a scale."""

from __future__ import annotations

import numpy as np
from numba import njit

from dunefall.base.arrays import Drawn, Mask, Row, Scalar, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param, Preset, Series
from dunefall.dsp.maths import floor, fma
from dunefall.dsp.triggers import PULSE_S

__all__ = ["MODULE", "SCALES"]

SCALES = {
    "chromatic": range(12),
    "major": (0, 2, 4, 5, 7, 9, 11),
    "minor": (0, 2, 3, 5, 7, 8, 10),
    "dorian": (0, 2, 3, 5, 7, 9, 10),
    "phrygian": (0, 1, 3, 5, 7, 8, 10),
    "lydian": (0, 2, 4, 6, 7, 9, 11),
    "harmonic minor": (0, 2, 3, 5, 7, 8, 11),
    "major pentatonic": (0, 2, 4, 7, 9),
    "minor pentatonic": (0, 3, 5, 7, 10),
    "whole tones": (0, 2, 4, 6, 8, 10),
    "fifths": (0, 7),
    "octaves": (0,),
}
"""Notes of each scale in semitones above its root."""
ROOTS = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
OWN_SCALE = len(SCALES)
MIDDLE = 60.0
"""The octave in which a scale of one's own has its root."""
WAYS = ("nearest", "up", "down")
FARTHEST_ST = 1e6
"""Beyond it there is no note: a degree could not be told exactly."""
HELD, PULSE, BEGUN = range(3)
CHANGED_WANTED = 0b10


def _tables() -> tuple[np.ndarray, np.ndarray]:
    """For each scale and semitone: distance down to the note at or below it, distance up to the next one above."""
    down = np.zeros((len(SCALES), 12))
    up = np.zeros((len(SCALES), 12))
    for s, notes in enumerate(SCALES.values()):
        for k in range(12):
            down[s, k] = min((k - note) % 12 for note in notes)
            up[s, k] = min((note - k - 1) % 12 + 1 for note in notes)
    return down, up


DOWN, UP = _tables()


def kernel(
    pitch: Row, scale: Row, root: Row, hold_st: Row, way: Row, pull: Row, steps_ct: Drawn, weights: Drawn, out: Row,
    changed: Row, state: State, rate: Scalar, moving: Mask, wanted: Mask,
) -> None:  # fmt: skip
    """State: the note now, samples for which the change pulse stays high, 1 once begun."""
    held, pulse, begun = state[HELD], state[PULSE], state[BEGUN]
    many = out.size if moving else 1  # what rests is brought into the scale once
    for i in range(many):
        which = int(scale[i] + 0.5)
        if way[i] == 0.0 and pull[i] == 0.0 and which < OWN_SCALE:
            note = _nearest(pitch[i], which, int(root[i] + 0.5))
        else:
            note = _chosen(pitch[i], which, int(root[i] + 0.5), int(way[i] + 0.5), pull[i], steps_ct, weights)
        # A loop that runs once at most: a branch that is nearly always foretold, where a choice would be waited for.
        while note != held and (begun == 0.0 or abs(pitch[i] - held) - abs(pitch[i] - note) > hold_st[i]
                                or way[i] != 0.0 or pull[i] != 0.0):  # fmt: skip
            pulse = PULSE_S * rate * begun
            held, begun = note, 1.0
        out[i] = held
        if wanted & CHANGED_WANTED:
            changed[i] = 1.0 if pulse > 0.0 else 0.0
            pulse = max(pulse - 1.0, 0.0)
    for i in range(many, out.size):
        out[i] = held
        if wanted & CHANGED_WANTED:
            changed[i] = 1.0 if pulse > 0.0 else 0.0
            pulse = max(pulse - 1.0, 0.0)
    state[HELD], state[PULSE], state[BEGUN] = held, pulse, begun


@njit(error_model="numpy", forceinline=True)
def _nearest(pitch: float, scale: int, root: float) -> float:
    pitch = min(max(pitch, -FARTHEST_ST), FARTHEST_ST)
    whole = floor(pitch)
    above = whole - root
    degree = np.uint64(int(fma(-12.0, floor(fma(above, 1.0 / 12.0, 0.5 / 12.0)), above)))  # no sign to be asked for
    low: float = whole - DOWN[scale, degree]
    high: float = whole + UP[scale, degree]
    return low if pitch - low <= high - pitch else high


@njit(error_model="numpy")
def _chosen(pitch: float, scale: int, root: float, way: float, pull: float, steps_ct: Row, weights: Row) -> float:
    """The note at, above or below a pitch of any scale; heavier degrees draw from further away. A scale in which all
    weights are 0 leaves the pitch unchanged."""
    own = scale >= OWN_SCALE
    count = int(steps_ct[0]) if own else 12
    period = 0.01 * steps_ct[count] if own else 12.0
    if period <= 0.0:
        return pitch
    root = root + MIDDLE if own else root  # one that does not repeat by octaves goes out from the middle
    below = floor((pitch - root) / period)
    best, cost, rank = pitch, np.inf, 0
    for k in range(count):
        if not own and DOWN[scale, k] != 0.0:
            continue
        height = (0.01 * steps_ct[k] if k > 0 else 0.0) if own else float(k)
        weight = weights[1 + rank % int(weights[0])]
        rank += 1
        if pull > 0.0 and weight <= 0.0:
            continue
        heavy = 1.0 + pull * (1.0 / max(weight, 1e-3) - 1.0)
        for octave in range(-1, 2):
            note = root + (below + octave) * period + height
            if (way == 1 and note < pitch - 1e-9) or (way == 2 and note > pitch + 1e-9):
                continue
            if abs(note - pitch) * heavy < cost:
                best, cost = note, abs(note - pitch) * heavy
    return best


MODULE = ModuleSpec(
    id="quantiser",
    name="Quantiser",
    stage="pitch",
    sentence="Moves any pitch to a note of a scale, built in or from a tuning file, and triggers when the "
             "note changes.",
    kernel=kernel,
    inputs=(Input("pitch", "Pitch", "pitch", "The pitch to quantise, as a note number."),),
    params=(
        Param("scale", "Scale", "choice", 0, OWN_SCALE, 1, "Notes that are allowed.", (*SCALES, "own tuning")),
        Param("root", "Root", "choice", 0, 11, 0, "Root of the scale.", ROOTS),
        Param("hold_st", "Hold", "st", 0, 2, 0.1, "Hysteresis: how much nearer another note must be before the output "
              "changes.", amount=0.2),
        Param("way", "Way", "choice", 0, 2, 0, "Round to the nearest note, or always up or down.", WAYS, usual=0),
        Param("pull", "Weights count", "ratio", 0, 1, 0, "How much farther degrees of more weight attract.",
              amount=0.3, usual=0),
    ),
    series=(
        Series("steps_ct", "Own tuning", "cents", 0, 9600, tuple(100.0 * k for k in range(1, 13)),
               "Cents above the root, ascending; the last is the period of repetition. Load a .scl file to set it.",
               most=128),
        Series("weights", "Weights", "ratio", 0, 1, (1.0,) * 7, "Weight of each degree, from the root up; 0: never.",
               most=128),
    ),
    outputs=(Output("out", "Note", "pitch"), Output("changed", "Changed", "gate", 0, 1)),
    state=3,
    face="scale",
    passes="pitch",
    words=("scale", "key", "notes", "tune", "mode", "scl", "microtonal", "just intonation", "quantise"),
    presets=(
        Preset("Minor scale", "The nearest note of natural minor.",
               {"scale": "minor"}, ("minor", "natural minor", "aeolian")),
        Preset("Major scale", "The nearest note of major.",
               {"scale": "major"}, ("major", "ionian")),
        Preset("Minor pentatonic scale", "The nearest of five notes.",
               {"scale": "minor pentatonic"}, ("pentatonic", "five notes")),
        Preset("Semitones", "The nearest semitone.",
               {"scale": "chromatic"}, ("chromatic", "twelve notes")),
        Preset("Whole-tone scale", "The nearest of six even notes.",
               {"scale": "whole tones"}, ("whole tone",)),
    ),
    sources=("scales: music theory (common practice)",),
)  # fmt: skip
