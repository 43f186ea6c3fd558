"""Transpose: a pitch moved by octaves, steps and cents."""

from __future__ import annotations

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param, Preset

__all__ = ["MODULE"]


def kernel(pitch: Row, octaves: Row, semitones: Row, cents: Row, out: Row, state: State) -> None:
    """State: unused."""
    for i in range(out.size):
        out[i] = pitch[i] + 12.0 * float(int(octaves[i] + 8.5) - 8) + semitones[i] + 0.01 * cents[i]


MODULE = ModuleSpec(
    id="transpose",
    name="Transpose",
    stage="pitch",
    sentence="Moves a pitch up or down by octaves, semitones and cents.",
    kernel=kernel,
    inputs=(Input("pitch", "Pitch", "pitch", "What is moved."),),
    params=(
        Param("octaves", "Octaves", "none", -5, 5, 0, "Whole octaves.", amount=1.0, whole=True),
        Param("semitones", "Semitones", "st", -48, 48, 0, "Semitones; links can move it in steps or freely.",
              amount=7.0),
        Param("cents", "Cents", "cents", -100, 100, 0, "Hundredths of a semitone.", amount=10.0),
    ),
    outputs=(Output("out", "Pitch", "pitch"),),
    face="semitones",
    passes="pitch",
    words=("shift notes", "octave", "interval", "key change"),
    presets=(
        Preset("Octave up", "Every note twelve semitones higher.",
               {"octaves": 1}, ("higher", "+12")),
        Preset("Octave down", "Every note twelve semitones lower.",
               {"octaves": -1}, ("lower", "−12")),
        Preset("Fifth up", "Every note seven semitones higher.",
               {"semitones": 7.0}, ("+7",)),
    ),
    sources=("twelve equal steps to the octave (definition)",),
)  # fmt: skip
