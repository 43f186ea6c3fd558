"""Amplifier: the level of a sound, to be moved."""

from __future__ import annotations

from dunefall.base.arrays import Mask, Row
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import db_to_gain

__all__ = ["MODULE"]

LEVEL_MOVES = 0b100


def kernel(audio: Row, gain: Row, level_db: Row, out: Row, moving: Mask) -> None:
    """Keeps nothing."""
    if moving & LEVEL_MOVES:
        for i in range(out.size):
            out[i] = audio[i] * (gain[i] * db_to_gain(level_db[i]))
    else:
        level = db_to_gain(level_db[0])
        for i in range(out.size):
            out[i] = audio[i] * (gain[i] * level)


MODULE = ModuleSpec(
    id="amplifier",
    name="Amplifier",
    stage="shape",
    sentence="Controls the level of a sound by a modulator, linearly or in decibels.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("gain", "Gain", "ratio", 0, 4, 1, "Level without modulation; 0 % for a sound that only an envelope "
              "opens.", amount=1.0),
        Param("level_db", "Level", "db", -96, 24, 0, "The same in decibels: modulation here follows perceived "
              "loudness.", amount=12.0),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    face="gain",
    passes="audio",
    shows="wave",
    words=("level", "volume", "gate", "tremolo", "decibel", "vca", "fader"),
    sources=("definition",),
)  # fmt: skip
