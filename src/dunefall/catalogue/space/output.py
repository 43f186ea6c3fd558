"""Layer output: the end of every layer, with its level and its place between left and right."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import db_to_gain, fma, sine

__all__ = ["MODULE"]

SILENT_DB = -96.0
LEVEL_MOVES, PAN_MOVES = 0b0100, 0b1000


def kernel(audio, audio_right, level_db, pan, left, right, moving):  # type: ignore[no-untyped-def]
    """Keeps nothing."""
    if moving & LEVEL_MOVES == 0 and moving & PAN_MOVES:
        gain = _gain(level_db[0])
        for i in range(left.size):
            angle = fma(0.125, pan[i], 0.125)
            left[i], right[i] = audio[i] * (gain * sine(angle + 0.25)), audio_right[i] * (gain * sine(angle))
    elif moving & LEVEL_MOVES:
        for i in range(left.size):
            gain_left, gain_right = _gains(level_db[i], pan[i])
            left[i], right[i] = audio[i] * gain_left, audio_right[i] * gain_right
    else:
        gain_left, gain_right = _gains(level_db[0], pan[0])
        for i in range(left.size):
            left[i], right[i] = audio[i] * gain_left, audio_right[i] * gain_right


@njit(error_model="numpy", forceinline=True)
def _gains(level, place):  # type: ignore[no-untyped-def]
    gain, angle = _gain(level), fma(0.125, place, 0.125)
    return gain * sine(angle + 0.25), gain * sine(angle)


@njit(error_model="numpy", forceinline=True)
def _gain(level):  # type: ignore[no-untyped-def]
    return db_to_gain(level) if level > SILENT_DB else 0.0


MODULE = ModuleSpec(
    id="output",
    name="Layer output",
    stage="space",
    sentence="Where a layer's sound leaves for the mix, with its level and its place between left and right.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("level_db", "Level", "db", SILENT_DB, 12, -12, "Level in the mix; −96 dB is silence.", amount=6.0),
        Param(
            "pan",
            "Left–right",
            "pan",
            -1,
            1,
            0,
            "Place between left and right, at constant power.",
            amount=0.5,
        ),
    ),
    outputs=(Output("left", "Left", "audio"), Output("right", "Right", "audio")),
    face="level_db",
    shows="wave",
    words=("level", "pan", "mix", "out"),
    sources=("constant-power pan law, −3.01 dB in the middle (textbook)",),
    lane_end=True,
)
