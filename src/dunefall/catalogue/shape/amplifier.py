"""Amplifier: the level of a sound, to be moved."""

from __future__ import annotations

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param

__all__ = ["MODULE"]


def kernel(audio, gain, out):  # type: ignore[no-untyped-def]
    """Keeps nothing."""
    for i in range(out.size):
        out[i] = audio[i] * gain[i]


MODULE = ModuleSpec(
    id="amplifier",
    name="Amplifier",
    stage="shape",
    sentence="Makes a sound louder or softer as something else moves it.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("gain", "Gain", "ratio", 0, 4, 1, "Level with nothing moving it; 0 % for a sound that only an envelope "
              "opens.", amount=1.0),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    face="gain",
    passes="audio",
    words=("level", "volume", "gate", "tremolo"),
    sources=("definition",),
)  # fmt: skip
