"""Position: a sound at a place, left or right, near or far."""

from __future__ import annotations

from dunefall.base.arrays import Mask, Memory, Row, Scalar, State
from dunefall.base.layouts import LAYOUTS
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.lines import read_ring
from dunefall.dsp.maths import fma
from dunefall.dsp.place import AIR_POLES, SOUND_M_PER_S, air_share, arrived, falloff_gain, pan_gains, through_air
from dunefall.dsp.surround import speaker_gains

__all__ = ["MODULE"]

WRITE, DELAY, LATE, DULL = range(4)
STATE = DULL + AIR_POLES
FARTHEST_M, LONGEST_S = 60.0, 0.2
AIR_S = 0.02
"""Until what the air lets through has fallen by 90 dB."""
BEND = 0.5
MOVES = 0b1111110
TAPS_S = (0.0031, 0.0067, 0.0109, 0.0173)
TAP_GAINS = (0.5, -0.4, 0.33, -0.27)
TAP_SIDES = (-1.0, 1.0, 0.6, -0.6)
FOUR = len(TAPS_S)


def kernel(
    audio: Row, angle_deg: Row, distance_m: Row, falloff_db: Row, air: Row, early: Row, doppler: Row, layout: Row,
    out: Row, out_right: Row, behind: Row, behind_right: Row, far: Row, state: State, memory: Memory,
    rate: Scalar, moving: Mask,
) -> None:  # fmt: skip
    """State: place of writing, the sound's way in samples (0: not begun), how long ago what arrives now was sent, what
    the air lets through. Memory: a ring of the sound, and one of its way.

    Near, the sound itself is loud; far, the reflections from the ground and surroundings approach its level, and the
    output for rooms falls half as fast. In more than stereo, what comes from behind goes to the pair behind.
    """
    size, write, way, late_by = memory.size // 2, int(state[WRITE]), state[DELAY], state[LATE]
    kind, around = int(layout[0] + 0.5), layout[0] > 0.5
    held = state[DULL], state[DULL + 1], state[DULL + 2], state[DULL + 3]
    for i in range(out.size):
        if i == 0 or moving & MOVES:
            gain, share = falloff_gain(distance_m[i], falloff_db[i]), air_share(distance_m[i], air[i], rate)
            late = falloff_gain(distance_m[i], 0.5 * falloff_db[i])
            left, right = pan_gains(angle_deg[i])
            left_behind, right_behind = 0.0, 0.0
            if around:
                left, right, _, left_behind, right_behind = speaker_gains(angle_deg[i], 0.0, kind)
            goal = min(distance_m[i] * (1.0 / SOUND_M_PER_S) * rate * doppler[i], size * 0.5) + 1.0
        if way == 0.0:
            way = late_by = goal
            memory[size:] = goal
        way += min(max(goal - way, -BEND), BEND)
        memory[write], memory[size + write] = audio[i], way
        write = write + 1 if write + 1 < size else 0
        late_by = arrived(memory, size, size, write, late_by)
        held = through_air(read_ring(memory, 0, size, write, late_by), share, held)
        dull = held[3]
        a, b = dull * gain * left, dull * gain * right
        if early[i] > 0.0:
            for k in range(FOUR):
                level = TAP_GAINS[k] * early[i] * late
                tap = read_ring(memory, 0, size, write, fma(TAPS_S[k], rate, late_by)) * level
                a, b = fma(tap, 0.5 - 0.4 * TAP_SIDES[k], a), fma(tap, 0.5 + 0.4 * TAP_SIDES[k], b)
        out[i], out_right[i], far[i] = a, b, dull * late
        if around:
            behind[i], behind_right[i] = dull * gain * left_behind, dull * gain * right_behind
        else:
            behind[i] = behind_right[i] = 0.0
    state[WRITE], state[DELAY], state[LATE] = write, way, late_by
    state[DULL], state[DULL + 1], state[DULL + 2], state[DULL + 3] = held


def _remembers(given: Given) -> float:
    """The way through the air, the reflections, and what the air lets through."""
    away = FARTHEST_M if "distance_m" in given.linked else given.values["distance_m"]
    return away / SOUND_M_PER_S + TAPS_S[-1] + AIR_S


MODULE = ModuleSpec(
    id="position",
    name="Position",
    stage="space",
    sentence="Places a sound left or right, near or far; distant sounds are softer, duller, and give "
    "more of themselves to a room.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("angle_deg", "Angle", "deg", -180, 180, 0, "0° ahead, 90° right, −90° left, 180° behind.", amount=45.0),
        Param("distance_m", "Distance", "m", 0.3, FARTHEST_M, 3, "How far away.", taper="octaves", amount=1.0),
        Param("falloff_db", "Falloff", "db", 0, 9, 6, "Loss for each doubling of the distance; 6 dB in the open.",
              amount=1.0),
        Param("air", "Air", "factor", 0, 20, 1, "Air absorption: 1 is normal air, more is fog.", amount=2.0),
        Param("early", "Reflections", "ratio", 0, 1, 0.3, "Level of early reflections from the ground and "
              "surroundings.", amount=0.3),
        Param("doppler", "Doppler", "choice", 0, 1, 1, "Doppler: moving it bends the pitch.",
              ("off", "on")),
        Param("layout", "Layout", "choice", 0, 2, 0, "The loudspeakers of the patch.",
              tuple(layout.name for layout in LAYOUTS), follows="layout"),
    ),
    outputs=(
        Output("out", "Audio", "audio", stereo=True),
        Output("behind", "Behind", "audio", stereo=True),
        Output("far", "For a room", "audio"),
    ),
    state=STATE,
    cycle=Cycle(memory_s=_remembers),
    cached=(DELAY,),
    memory_s=2 * LONGEST_S * 2,
    face="distance_m",
    passes="audio",
    words=("pan", "distance", "near", "far", "doppler", "fly-by", "place", "surround"),
    presets=(
        Preset("Far away", "Forty metres off, with the air between.",
               {"distance_m": 40.0}, ("distant", "distance")),
        Preset("Close by", "Half a metre off.",
               {"distance_m": 0.5}, ("near", "intimate")),
    ),
    sources=("constant-power pan law (textbook)", "ISO 9613-1 (air, from memory)", "inverse distance law (textbook)",
             "Pulkki 1997 (quad and 5.1, from memory)"),
)  # fmt: skip
