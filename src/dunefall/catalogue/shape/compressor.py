"""Compressor: makes loud parts softer, or ducks a sound under another."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset, settling
from dunefall.dsp.follow import approach, approach_step
from dunefall.dsp.maths import db_to_gain, fma, level_db

__all__ = ["MODULE"]

REDUCTION, MADE, SLOPE, BEND, RISE, FALL, LIFT = range(7)
SIDE = 0b100
RIGHT = 0b10
MOVES = 0b1111100000
"""All but the threshold and the mix."""


def kernel(
    audio: Row, audio_right: Row, side: Row, side_right: Row, threshold_db: Row, ratio: Row, knee_db: Row,
    attack_s: Row, release_s: Row, makeup_db: Row, mix: Row, out: Row, out_right: Row, reduction: Row, state: State,
    rate: Scalar, linked: Mask, moving: Mask, wanted: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: the reduction in dB, smoothed; 1 where the rest holds what follows from the constant values.

    The louder of both channels decides; what exceeds the static curve is smoothed and taken off both.
    """
    n = out.size
    goal, rise, fall = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    slope, bend, lift = scratch[192 : 192 + n], scratch[256 : 256 + n], scratch[320 : 320 + n]
    if moving & MOVES:
        state[MADE] = 0.0
        for i in range(n):
            slope[i], bend[i] = _curve(ratio[i], knee_db[i])
            rise[i], fall[i] = approach_step(attack_s[i], rate), approach_step(release_s[i], rate)
            lift[i] = db_to_gain(makeup_db[i])
    else:
        if state[MADE] == 0.0:
            state[SLOPE], state[BEND] = _curve(ratio[0], knee_db[0])
            state[RISE], state[FALL] = approach_step(attack_s[0], rate), approach_step(release_s[0], rate)
            state[LIFT], state[MADE] = db_to_gain(makeup_db[0]), 1.0
        slope[:], bend[:], rise[:], fall[:] = state[SLOPE], state[BEND], state[RISE], state[FALL]
        lift[:] = state[LIFT]
    first, second = (side, side_right) if linked & SIDE else (audio, audio_right)
    for i in range(n):
        loud = level_db(max(abs(first[i]), abs(second[i])))
        goal[i] = _too_loud(loud - threshold_db[i], slope[i], bend[i], 0.5 * knee_db[i])
    held = state[REDUCTION]
    for i in range(n):
        held = approach(held, goal[i], rise[i], fall[i])
        goal[i] = held
    state[REDUCTION] = held
    for i in range(n):
        left = db_to_gain(-goal[i])
        reduction[i] = 1.0 - left
        goal[i] = fma(fma(left, lift[i], -1.0), mix[i], 1.0)
        out[i] = audio[i] * goal[i]
    if wanted & RIGHT:
        for i in range(n):
            out_right[i] = audio_right[i] * goal[i]


@njit(error_model="numpy", forceinline=True)
def _curve(ratio: float, knee: float) -> tuple[float, float]:
    """Slope above the knee, and the factor of the square within it."""
    slope = 1.0 - 1.0 / ratio
    return slope, slope / (2.0 * knee + 1e-9)


@njit(error_model="numpy", forceinline=True)
def _too_loud(over: float, slope: float, bend: float, half_knee: float) -> float:
    """What the static curve takes off, in dB."""
    inside = over + half_knee
    return bend * inside * inside if abs(over) < half_knee else max(over, 0.0) * slope


MODULE = ModuleSpec(
    id="compressor",
    name="Compressor",
    stage="shape",
    sentence="Reduces the level of loud parts; with a sound at its side chain input it ducks under that sound instead.",
    kernel=kernel,
    inputs=(
        Input("audio", "Audio", "audio", stereo=True),
        Input("side", "Side", "audio", "Side chain: controls the compression in place of the input.", stereo=True,
              steers=True),
    ),
    params=(
        Param("threshold_db", "Threshold", "db", -72, 0, -24, "Level above which it works.", amount=6.0),
        Param("ratio", "Ratio", "factor", 1, 50, 3, "Input dB above the threshold for each dB at the output.",
              taper="octaves", amount=1.0),
        Param("knee_db", "Knee", "db", 0, 24, 6, "Width of the knee at the threshold.", amount=3.0),
        Param("attack_s", "Attack", "s", 0.0002, 1, 0.01, "Time to take a level off.", taper="octaves", amount=1.0),
        Param("release_s", "Release", "s", 0.005, 10, 0.25, "Time to let it come back.", taper="octaves", amount=1.0),
        Param("makeup_db", "Make-up", "db", -24, 36, 0, "Level afterwards.", amount=3.0),
        Param("mix", "Mix", "ratio", 0, 1, 1, "Dry/wet: from the dry sound to the compressed one.", amount=0.3),
    ),
    outputs=(
        Output("out", "Audio", "audio", stereo=True),
        Output("reduction", "Reduction", "control", 0, 1),
    ),
    state=7,
    cached=(MADE,),
    cycle=Cycle(memory_s=lambda g: settling(g, "release_s")),
    face="threshold_db",
    passes="audio",
    shows="course",
    groups=(
        ("Knee and mix", ("knee_db", "mix")),
    ),
    words=("duck", "sidechain", "pump", "dynamics", "leveller", "ducker"),
    presets=(
        Preset("Ducker", "Gives way to what comes into its side chain.",
               {"threshold_db": -40.0, "ratio": 8.0, "release_s": 0.5},
               ("ducking", "sidechain", "make way", "pumping")),
        Preset("Levelling", "Slow and gentle: evens out what swells.",
               {"threshold_db": -30.0, "ratio": 2.0, "attack_s": 0.1, "release_s": 1.5}, ("leveller", "even out")),
    ),
    sources=("Giannoulis, Massberg and Reiss 2012, J. AES 60 (static curve with knee, smooth branching detector)",),
)  # fmt: skip
