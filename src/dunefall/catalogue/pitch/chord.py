"""Chord: four pitches from one."""

from __future__ import annotations

import numpy as np

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param, Preset

__all__ = ["CHORDS", "MODULE"]

CHORDS = {
    "octaves": (0, 12, 24, 36),
    "fifths": (0, 7, 12, 19),
    "minor": (0, 3, 7, 12),
    "major": (0, 4, 7, 12),
    "suspended": (0, 5, 7, 12),
    "minor seventh": (0, 3, 7, 10),
    "major seventh": (0, 4, 7, 11),
    "seventh": (0, 4, 7, 10),
    "added ninth": (0, 4, 7, 14),
    "minor ninth": (0, 3, 10, 14),
    "half-diminished": (0, 3, 6, 10),
    "fourths": (0, 5, 10, 15),
    "cluster": (0, 1, 2, 3),
}
"""Semitones of the four notes above the root."""
TABLE = np.array(list(CHORDS.values()), np.float64)


def kernel(
    pitch: Row, kind: Row, inversion: Row, spread: Row, note_a: Row, note_b: Row, note_c: Row, note_d: Row, state: State
) -> None:
    """State: unused."""
    for i in range(note_a.size):
        which, turned = int(kind[i] + 0.5), int(inversion[i] + 0.5)
        wide = float(int(spread[i] + 0.5))
        note_a[i] = pitch[i] + TABLE[which, 0] + (12.0 if turned > 0 else 0.0)
        note_b[i] = pitch[i] + TABLE[which, 1] + (12.0 if turned > 1 else 0.0) + (12.0 if wide > 0.0 else 0.0)
        note_c[i] = pitch[i] + TABLE[which, 2] + (12.0 if turned > 2 else 0.0) + (12.0 if wide > 2.0 else 0.0)
        note_d[i] = pitch[i] + TABLE[which, 3] + (12.0 if wide > 1.0 else 0.0)


MODULE = ModuleSpec(
    id="chord",
    name="Chord",
    stage="pitch",
    sentence="Makes four pitches from one: a chord with adjustable inversion and spread.",
    kernel=kernel,
    inputs=(Input("pitch", "Root", "pitch", "Root of the chord."),),
    params=(
        Param("kind", "Chord", "choice", 0, len(CHORDS) - 1, 5, "Type of chord.", tuple(CHORDS)),
        Param("inversion", "Inversion", "none", 0, 3, 0, "Inversion: how many of the lowest notes go up an octave.",
              amount=1.0, whole=True),
        Param("spread", "Spread", "none", 0, 3, 0, "Spread: how many of the upper notes go up an octave.", amount=1.0,
              whole=True),
    ),
    outputs=(
        Output("note_a", "Note a", "pitch"),
        Output("note_b", "Note b", "pitch"),
        Output("note_c", "Note c", "pitch"),
        Output("note_d", "Note d", "pitch"),
    ),
    face="kind",
    passes="pitch",
    words=("harmony", "triad", "stack", "voices", "inversion"),
    presets=(
        Preset("Minor chord", "A note with its minor third and fifth.",
               {"kind": "minor"}, ("minor triad",)),
        Preset("Major chord", "A note with its major third and fifth.",
               {"kind": "major"}, ("major triad",)),
        Preset("Open fifths", "A note with its fifth.",
               {"kind": "fifths"}, ("power chord", "fifth")),
        Preset("Suspended chord", "A note with its fourth and fifth.",
               {"kind": "suspended"}, ("sus", "sus4")),
        Preset("Cluster", "Neighbouring notes at once.",
               {"kind": "cluster"}, ("dissonance", "tension")),
    ),
    sources=("chords: music theory (common practice)",),
)  # fmt: skip
