"""Sends: where what the layers send comes into an effect lane."""

from __future__ import annotations

from dunefall.base.arrays import Mask, Row
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import db_to_gain

__all__ = ["MODULE"]


def kernel(audio: Row, audio_right: Row, gain_db: Row, out: Row, out_right: Row, moving: Mask) -> None:
    """Keeps nothing."""
    gain = db_to_gain(gain_db[0])
    for i in range(out.size):
        if moving & 0b100:
            gain = db_to_gain(gain_db[i])
        out[i], out_right[i] = audio[i] * gain, audio_right[i] * gain


MODULE = ModuleSpec(
    id="sends",
    name="Sends",
    stage="source",
    sentence="The sum of what the layers send to this lane.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", "What the layers send.", stereo=True),),
    params=(Param("gain_db", "Gain", "db", -48, 24, 0, "Level of the sum.", amount=6.0),),
    outputs=(Output("out", "Audio", "audio", stereo=True),),
    face="gain_db",
    passes="audio",
    words=("bus", "return", "effect lane", "shared"),
    sources=("definition",),
)  # fmt: skip
