"""Layer output: the end of every layer: its level, its place in the field, and what makes way for what."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, Scratch, State
from dunefall.base.layouts import LAYOUTS
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.follow import approach, approach_step
from dunefall.dsp.lines import read_ring
from dunefall.dsp.loudness import LOUDNESS_SIZE, loudness_of
from dunefall.dsp.maths import db_to_gain, fma, level_db, smooth_step
from dunefall.dsp.place import AIR_POLES, SOUND_M_PER_S, air_share, arrived, falloff_gain, pan_gains, through_air
from dunefall.dsp.reading import put
from dunefall.dsp.surround import SURROUND, back_deg, front_half_deg, speaker_gains
from dunefall.dsp.svf import mean, svf_factors, svf_next

__all__ = ["MODULE"]

WRITE, DELAY, LATE, KEY, DUCKED, HELD, LOW = range(7)
DULL = LOW + 4
DULL_RIGHT = DULL + AIR_POLES
STATE = DULL_RIGHT + AIR_POLES
SILENT_DB = -96.0
FARTHEST_M, FALLOFF_DB, BEND = 40.0, 4.0, 0.5
MIDDLE = 0.7071067811865476
EACH = 0.35355339059327373
"""Half of the difference of both sides, at -3 dB: what a pan law gives to each of them in the middle."""
QUIETEST_KEY_DB, KEY_SPAN_DB = -42.0, 30.0
"""A key below this does nothing; so much louder, and the layer makes way fully."""
KEY_FALL_S, HOLD_S = 0.05, 1.5
BACK, DUCK, LEVEL, PLACE, FAR = 0b1100, 0b10000, 0b101100000, 1 << 9, 0b1010000000000
DOPPLER, DUCK_TIMES = 1 << 12, 0b11 << 14
"""Among what is linked or moves: the pair behind; the key; level, mute and heard; the angle; distance and Doppler;
Doppler alone; how fast it makes way."""
OUT, BEFORE, DUCKING, PEAK, LOUD = 0b11000000, 0b1100000000, 1 << 10, 1 << 11, 1 << 12
BEYOND = 0b111100
"""What stereo has not: centre, low effects, both behind."""
MORE = 0b1111111111100
ANY = 0b1111111111100000
"""All outputs but left and right; all values that a layer in stereo has."""
AROUND, TO_LOW = 1 << 9 | 1 << 16, 1 << 17
LOW_HZ, DAMPING = 120.0, 1.4142135623730951
"""Low effects end here (common practice), by two second-order low-passes of Q 0.71 in a row."""


def kernel(
    audio: Row, audio_right: Row, behind: Row, behind_right: Row, duck: Row, level_db: Row, mute: Row, solo: Row,
    heard: Row, angle_deg: Row, distance_m: Row, width: Row, doppler: Row, duck_db: Row, duck_attack_s: Row,
    duck_release_s: Row, centre_share: Row, low_effects_db: Row, layout: Row, left: Row, right: Row, centre: Row,
    low_effects: Row, left_behind: Row, right_behind: Row, out: Row, out_right: Row, before: Row, before_right: Row,
    ducking: Row, peak: Row, loudness: Row, state: State, memory: Memory, rate: Scalar, moving: Mask, linked: Mask,
    wanted: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: place of writing, the way in samples (0: not begun), how long ago what arrives now was sent, level of the
    key, how far the layer makes way, the held peak, the integrators of what goes to the low effects, what the air lets
    through on both sides. Memory: a ring for each side and one for the way, then the loudness.

    The place applies to what goes into the mix; effect sends have the level, but not the distance.
    """
    n = out.size
    near = distance_m[0] <= 1.0 and doppler[0] <= 0.0 and state[DELAY] <= 1.0 and width[0] == 1.0
    if near and wanted & MORE == 0 and moving & ANY == 0 and linked & (DUCK | BACK) == 0 and layout[0] < 0.5:
        _plain(audio, audio_right, _gain(level_db[0]) * ((1.0 - mute[0]) * heard[0]), angle_deg[0], left, right)
        return
    gains, x, y = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    ducks = linked & DUCK != 0
    if moving & LEVEL:
        for i in range(n):
            gains[i] = _gain(level_db[i]) * ((1.0 - mute[i]) * heard[i])
    else:
        gains[:] = _gain(level_db[0]) * ((1.0 - mute[0]) * heard[0])
    if ducks:
        _make_way(duck, duck_db, duck_attack_s, duck_release_s, gains, scratch[192 : 192 + n], state, rate,
                  moving)  # fmt: skip
        if wanted & DUCKING:
            ducking[:] = scratch[192 : 192 + n]
    elif wanted & DUCKING:
        ducking[:] = 0.0
    for i in range(n):
        side = 0.5 * (width[i] - 1.0) * (audio[i] - audio_right[i])
        x[i], y[i] = audio[i] + side, audio_right[i] - side
    if wanted & (OUT | BEFORE | PEAK | LOUD):
        _show(x, y, behind, behind_right, gains, mute, heard, out, out_right, before, before_right, peak, loudness,
              state, memory, rate, wanted, scratch)  # fmt: skip
    if moving & FAR or distance_m[0] > 1.0 or doppler[0] > 0.0 or state[DELAY] > 1.0:
        _carry(x, y, gains, distance_m, doppler, state, memory, rate, moving & FAR, scratch)
    if layout[0] > 0.5:
        _around(x, y, gains, angle_deg, centre_share, layout[0], left, right, centre, left_behind, right_behind, moving)
        if linked & BACK:
            _add_behind(behind, behind_right, x, y, gains, angle_deg, layout[0], left, right, left_behind,
                        right_behind, moving)  # fmt: skip
        _go_low(x, y, gains, low_effects_db, layout[0], low_effects, state, rate, moving & TO_LOW)
        return
    if wanted & BEYOND:
        for i in range(n):
            centre[i] = low_effects[i] = left_behind[i] = right_behind[i] = 0.0
    for i in range(n):
        if i == 0 or moving & PLACE:
            gain_left, gain_right = pan_gains(angle_deg[i])
        left[i], right[i] = x[i] * (gains[i] * gain_left), y[i] * (gains[i] * gain_right)


@njit(error_model="numpy", forceinline=True)
def _show(
    x: Row, y: Row, behind: Row, behind_right: Row, gains: Row, mute: Row, heard: Row, out: Row, out_right: Row,
    before: Row, before_right: Row, peak: Row, loudness: Row, state: State, memory: Memory, rate: float, wanted: Mask,
    scratch: Scratch,
) -> None:  # fmt: skip
    """What sends and meters get: both pairs together, without the place."""
    n = x.size
    u, v = scratch[320 : 320 + n], scratch[384 : 384 + n]
    for i in range(n):
        u[i], v[i] = x[i] + behind[i], y[i] + behind_right[i]
    if wanted & OUT:
        for i in range(n):
            out[i], out_right[i] = u[i] * gains[i], v[i] * gains[i]
    if wanted & BEFORE:
        for i in range(n):
            shown = (1.0 - mute[i]) * heard[i]
            before[i], before_right[i] = u[i] * shown, v[i] * shown
    if wanted & (PEAK | LOUD):
        _measure(u, v, gains, peak, loudness, state, memory, rate, scratch[256 : 256 + n])


@njit(error_model="numpy", forceinline=True)
def _plain(audio: Row, audio_right: Row, gain: float, angle_deg: float, left: Row, right: Row) -> None:
    """A layer's output with constant values: two factors."""
    gain_left, gain_right = pan_gains(angle_deg)
    gain_left, gain_right = gain * gain_left, gain * gain_right
    for i in range(left.size):
        left[i], right[i] = audio[i] * gain_left, audio_right[i] * gain_right


@njit(error_model="numpy", forceinline=True)
def _around(
    x: Row, y: Row, gains: Row, angle_deg: Row, share: Row, layout: float, left: Row, right: Row, centre: Row,
    left_behind: Row, right_behind: Row, moving: Mask,
) -> None:  # fmt: skip
    """Over the speakers of a layout: what both sides have in common at its angle; what tells them apart as far to both
    sides of it as the speakers in front stand, so that ahead of the listener left is left and right is right."""
    kind = int(layout + 0.5)
    half = front_half_deg(kind)
    for i in range(x.size):
        if i == 0 or moving & AROUND:
            to_left, to_right, to_centre, behind_left, behind_right = speaker_gains(angle_deg[i], share[i], kind)
            a, b, _, c, d = speaker_gains(angle_deg[i] - half, 0.0, kind)
            a2, b2, _, c2, d2 = speaker_gains(angle_deg[i] + half, 0.0, kind)
            a, b, c, d = a - a2, b - b2, c - c2, d - d2
        middle, side = (x[i] + y[i]) * (0.5 * gains[i]), (x[i] - y[i]) * (EACH * gains[i])
        left[i], right[i] = fma(middle, to_left, side * a), fma(middle, to_right, side * b)
        left_behind[i] = fma(middle, behind_left, side * c)
        right_behind[i] = fma(middle, behind_right, side * d)
        centre[i] = middle * to_centre


@njit(error_model="numpy", forceinline=True)
def _add_behind(
    behind: Row, behind_right: Row, x: Row, y: Row, gains: Row, angle_deg: Row, layout: float, left: Row, right: Row,
    left_behind: Row, right_behind: Row, moving: Mask,
) -> None:  # fmt: skip
    """The pair that is behind already: its sides keep the places of the speakers behind, turned with the layer; ``x``
    and ``y`` become both pairs together."""
    kind = int(layout + 0.5)
    back = back_deg(kind)
    for i in range(x.size):
        if i == 0 or moving & AROUND:
            a, b, _, c, d = speaker_gains(angle_deg[i] - back, 0.0, kind)
            a2, b2, _, c2, d2 = speaker_gains(angle_deg[i] + back, 0.0, kind)
        p, q = behind[i] * (MIDDLE * gains[i]), behind_right[i] * (MIDDLE * gains[i])
        left[i] += fma(p, a, q * a2)
        right[i] += fma(p, b, q * b2)
        left_behind[i] += fma(p, c, q * c2)
        right_behind[i] += fma(p, d, q * d2)
        x[i], y[i] = x[i] + behind[i], y[i] + behind_right[i]


@njit(error_model="numpy", forceinline=True)
def _go_low(
    x: Row, y: Row, gains: Row, level_db: Row, layout: float, low: Row, state: State, rate: float, moves: int
) -> None:
    """What goes to the low effects, of both sides together."""
    if layout < SURROUND - 0.5 or (moves == 0 and level_db[0] <= SILENT_DB):
        low[:] = 0.0
        state[LOW : LOW + 4] = 0.0
        return
    t, c, s = svf_factors(LOW_HZ, DAMPING, 2.0 / rate)
    for i in range(low.size):
        if i == 0 or moves:
            gain = 0.5 * _gain(level_db[i])
        value = (x[i] + y[i]) * (gains[i] * gain)
        for k in range(LOW, LOW + 4, 2):
            before = state[k + 1]
            state[k], state[k + 1] = svf_next(state[k], before, value, t, c, s)
            value = mean(before, state[k + 1])
        low[i] = value


@njit(error_model="numpy", forceinline=True)
def _gain(level: float) -> float:
    return db_to_gain(level) if level > SILENT_DB else 0.0


@njit(error_model="numpy", forceinline=True)
def _make_way(
    key: Row, depth_db: Row, attack_s: Row, release_s: Row, gains: Row, share: Row, state: State, rate: float,
    moving: Mask,
) -> None:  # fmt: skip
    """Lower the gains while the key is loud; ``share`` becomes how far, 0..1."""
    falls = approach_step(KEY_FALL_S, rate)
    held, ducked = state[KEY], state[DUCKED]
    for i in range(key.size):
        size = abs(key[i])
        held = size if size > held else approach(held, size, falls, falls)
        share[i] = max(held, 1e-6)
    for i in range(key.size):
        loud = (level_db(share[i]) - QUIETEST_KEY_DB) * (1.0 / KEY_SPAN_DB)
        share[i] = smooth_step(min(max(loud, 0.0), 1.0))
    for i in range(key.size):
        if i == 0 or moving & DUCK_TIMES:
            rises, sinks = approach_step(attack_s[i], rate), approach_step(release_s[i], rate)
        ducked = approach(ducked, share[i], rises, sinks)
        share[i] = ducked
    for i in range(key.size):
        gains[i] *= db_to_gain(-depth_db[i] * share[i])
    state[KEY], state[DUCKED] = held, ducked


@njit(error_model="numpy", forceinline=True)
def _carry(
    x: Row, y: Row, gains: Row, distance_m: Row, doppler: Row, state: State, memory: Memory, rate: float, moves: int,
    scratch: Scratch,
) -> None:  # fmt: skip
    """What the way through the air does: softer, duller, and, where it bends the pitch, later."""
    size = (memory.size - LOUDNESS_SIZE) // 3
    if moves & DOPPLER == 0 and doppler[0] == 0.0 and state[DELAY] == 1.0 and state[LATE] == 1.0:
        _arrive_at_once(x, y, memory, size, state)
    else:
        _arrive(x, y, distance_m, doppler, memory, size, state, rate)
    n = x.size
    shares = scratch[448 : 448 + n]
    if moves:
        for i in range(n):
            shares[i] = air_share(max(distance_m[i] - 1.0, 0.0), 1.0, rate)
        for i in range(n):
            gains[i] *= falloff_gain(distance_m[i], FALLOFF_DB)
    else:
        shares[:] = air_share(max(distance_m[0] - 1.0, 0.0), 1.0, rate)
        fall = falloff_gain(distance_m[0], FALLOFF_DB)
        for i in range(n):
            gains[i] *= fall
    a = state[DULL], state[DULL + 1], state[DULL + 2], state[DULL + 3]
    b = state[DULL_RIGHT], state[DULL_RIGHT + 1], state[DULL_RIGHT + 2], state[DULL_RIGHT + 3]
    for i in range(n):
        a, b = through_air(x[i], shares[i], a), through_air(y[i], shares[i], b)
        x[i], y[i] = a[3], b[3]
    state[DULL], state[DULL + 1], state[DULL + 2], state[DULL + 3] = a
    state[DULL_RIGHT], state[DULL_RIGHT + 1], state[DULL_RIGHT + 2], state[DULL_RIGHT + 3] = b


@njit(error_model="numpy", forceinline=True)
def _arrive(
    x: Row, y: Row, distance_m: Row, doppler: Row, memory: Memory, size: int, state: State, rate: float
) -> None:
    """What arrives now of what was sent before, as long ago as the way was then."""
    write, way, late = int(state[WRITE]), state[DELAY], state[LATE]
    for i in range(x.size):
        goal = min(distance_m[i] * (1.0 / SOUND_M_PER_S) * rate * doppler[i], size - 5.0) + 1.0
        if way == 0.0:
            way = late = goal
            memory[2 * size : 3 * size] = goal
        way += min(max(goal - way, -BEND), BEND)
        memory[write], memory[size + write], memory[2 * size + write] = x[i], y[i], way
        write = write + 1 if write + 1 < size else 0
        late = arrived(memory, 2 * size, size, write, late)
        x[i], y[i] = read_ring(memory, 0, size, write, late), read_ring(memory, size, size, write, late)
    state[WRITE], state[DELAY], state[LATE] = write, way, late


@njit(error_model="numpy", forceinline=True)
def _arrive_at_once(x: Row, y: Row, memory: Memory, size: int, state: State) -> None:
    """As ``_arrive`` where the way bends nothing: what is sent arrives, and is kept for when it does."""
    write = int(state[WRITE])
    first = min(x.size, size - write)
    for done, at, count in ((0, write, first), (first, 0, x.size - first)):
        for i in range(count):
            put(memory, at + i, x[done + i])
            put(memory, size + at + i, y[done + i])
            put(memory, 2 * size + at + i, 1.0)
    for i in range(x.size):
        x[i], y[i] = x[i] + 0.0, y[i] + 0.0  # a zero has no sign, as when it is read from the line
    state[WRITE] = (write + x.size) % size


@njit(error_model="numpy", forceinline=True)
def _measure(
    x: Row, y: Row, gains: Row, peak: Row, loudness: Row, state: State, memory: Memory, rate: float, row: Row
) -> None:
    """The peak, held and then falling, and the loudness of the last three seconds, both before the place."""
    falls = approach_step(HOLD_S, rate)
    for i in range(x.size):
        size = gains[i] * max(abs(x[i]), abs(y[i]))
        state[HELD] = size if size > state[HELD] else approach(state[HELD], size, falls, falls)
        peak[i] = state[HELD]
    for i in range(x.size):
        row[i] = loudness_of(x[i] * gains[i], y[i] * gains[i], memory, memory.size - LOUDNESS_SIZE, rate)
    for i in range(x.size):
        loudness[i] = math.sqrt(row[i])


MODULE = ModuleSpec(
    id="output",
    name="Layer output",
    stage="space",
    sentence="Sends the layer to the mix: its level, its position around you, and its ducking.",
    kernel=kernel,
    inputs=(
        Input("audio", "Audio", "audio", stereo=True),
        Input("behind", "Behind", "audio", "In more than stereo: what comes from behind the listener.", stereo=True),
        Input("duck", "Ducked by", "audio", "The sound that ducks this layer.", steers=True),
    ),
    params=(
        Param("level_db", "Level", "db", SILENT_DB, 12, -12, "Level in the mix; −96 dB is silence.", amount=6.0),
        Param("mute", "Mute", "choice", 0, 1, 0, "Silences the layer and its sends.", ("off", "on")),
        Param("solo", "Solo", "choice", 0, 2, 0, "Plays only this layer and the effects, or the others faintly.",
              ("off", "on", "others faint")),
        Param("heard", "Heard", "ratio", 0, 1, 1, follows="solo"),
        Param("angle_deg", "Angle", "deg", -180, 180, 0, "0° ahead, 90° right, −90° left, 180° behind.", amount=45.0),
        Param("distance_m", "Distance", "m", 0.5, FARTHEST_M, 1, "Up to 1 m there is no loss; farther away it is "
              "softer and duller.", taper="octaves", amount=1.0),
        Param("width", "Width", "ratio", 0, 1.2, 1, "Stereo width; above 100 % it gets thin in mono.", amount=0.3),
        Param("doppler", "Doppler", "choice", 0, 1, 0, "Doppler: changes of distance bend the pitch.", ("off", "on")),
        Param("duck_db", "Ducked up to", "db", 0, 48, 9, "How far it is lowered.", amount=6.0),
        Param("duck_attack_s", "Duck attack", "s", 0.001, 2, 0.02, "How fast it makes way.", taper="octaves",
              amount=1.0),
        Param("duck_release_s", "Duck release", "s", 0.01, 10, 0.4, "How fast it comes back.", taper="octaves",
              amount=1.0),
        Param("centre_share", "Centre", "ratio", 0, 1, 0, "Share of a centred sound that the centre speaker plays; "
              "left and right play the rest as a phantom centre.", amount=0.3, shown_when=("layout", (2,))),
        Param("low_effects_db", "Low effects", "db", SILENT_DB, 12, SILENT_DB, "Send to the LFE channel, below 120 "
              "Hz; −96 dB is off.", amount=6.0, shown_when=("layout", (2,))),
        Param("layout", "Layout", "choice", 0, 2, 0, "The loudspeakers of the patch.",
              tuple(layout.name for layout in LAYOUTS), follows="layout"),
    ),
    outputs=(
        Output("left", "Left", "audio"),
        Output("right", "Right", "audio"),
        Output("centre", "Centre", "audio"),
        Output("low_effects", "Low effects", "audio"),
        Output("left_behind", "Left behind", "audio"),
        Output("right_behind", "Right behind", "audio"),
        Output("out", "After level", "audio", stereo=True),
        Output("before", "Before level", "audio", stereo=True),
        Output("ducking", "Ducking", "control", 0, 1),
        Output("peak", "Peak", "control", 0, 1),
        Output("loudness", "Loudness", "control", 0, 1),
    ),
    state=STATE,
    cached=(DELAY,),
    memory=LOUDNESS_SIZE + 16,
    memory_s=3 * FARTHEST_M / SOUND_M_PER_S,
    face="level_db",
    shows="wave",
    words=("level", "pan", "mix", "out", "solo", "mute", "duck", "distance"),
    sources=("constant-power pan law, −3.01 dB in the middle (textbook)", "ISO 9613-1 (air, from memory)",
             "ITU-R BS.1770 (loudness)", "Pulkki 1997 and Gerzon 1992 (quad and 5.1, from memory)"),
    lane_end=True,
)  # fmt: skip
