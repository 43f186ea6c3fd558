"""Layer output: the end of every layer, with its level and its place between left and right."""

from __future__ import annotations

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import db_to_gain, sine

__all__ = ["MODULE"]

LEVEL, PAN, LEFT, RIGHT = range(4)
SILENT_DB = -96.0


def kernel(audio, level_db, pan, left, right, state):  # type: ignore[no-untyped-def]
    """State: last level and pan, and the two gains (constant power) that follow from them."""
    level, place, gain_left, gain_right = state[LEVEL], state[PAN], state[LEFT], state[RIGHT]
    begun = gain_left + gain_right > 0.0
    for i in range(left.size):
        if not begun or level_db[i] != level or pan[i] != place:
            begun = True
            level, place = level_db[i], pan[i]
            gain = db_to_gain(level) if level > SILENT_DB else 0.0
            angle = 0.125 * (place + 1.0)
            gain_left = gain * sine(angle + 0.25)
            gain_right = gain * sine(angle)
        left[i] = audio[i] * gain_left
        right[i] = audio[i] * gain_right
    state[LEVEL], state[PAN], state[LEFT], state[RIGHT] = level, place, gain_left, gain_right


MODULE = ModuleSpec(
    id="output",
    name="Layer output",
    stage="space",
    sentence="Where a layer's sound leaves for the mix, with its level and its place between left and right.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
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
    state=4,
    face="level_db",
    words=("level", "pan", "mix", "out"),
    sources=("constant-power pan law, −3.01 dB in the middle (textbook)",),
    lane_end=True,
)
