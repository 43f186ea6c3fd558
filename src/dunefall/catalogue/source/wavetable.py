"""Wavetable: a tone from frames of single cycles, built in or from a file."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Key, Mask, Memory, Row, Scalar, Scratch, Sound, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.lanes import LANES, between_four
from dunefall.dsp.maths import exp2, floor, fma, log2, note_to_hz, on_grid, ramp_by
from dunefall.dsp.reading import get
from dunefall.dsp.unison import arrange, begin_phase, bend, drifts, own_steps, sides, weight
from dunefall.dsp.wavetables import FRAME_SIZE, HARMONICS, LEVELS, NAMES, OFFSETS, SIZES

__all__ = ["MODULE"]

VOICES = 7
LAST, PHASE, STATE = range(3)
PLACE, DRAWS, VOICE = range(3)
MEMORY = VOICE + VOICES
RESTART_LINK = 0b1
LEVEL_MOVES, VOICES_MOVE, SPREAD_MOVES, FM_MOVES, SCATTER_MOVES = 1 << 6, 1 << 7, 1 << 9, 1 << 11, 1 << 12
FORMANT_MOVES = 1 << 5
CROWD_MOVES, PHASE_MOVES = VOICES_MOVE | 1 << 13, 1 << 10

ROOM_AT = 896
"""Where the scratch is free for reading the tables."""
ROOM, FADE_SAMPLES, WIDENED, BEGINS = 0.11, 11.0, 3.25, 16.0
"""A squeezed cycle goes on by so much in a sample at most: a shorter one would fold back. It fades at both ends, over
so many samples or half of it, which makes each partial wider, by so much for a fade of its own length. It takes the
place of the whole cycle while that is squeezed by the first sixteenth."""


def kernel(
    restart: Row, pitch_note: Row, fine_ct: Row, table: Row, position: Row, formant_st: Row, level: Row, unison: Row,
    detune_ct: Row, spread: Row, phase_deg: Row, fm_hz: Row, scatter: Row, drift_ct: Row, drift_hz: Row, out: Row,
    out_right: Row, state: State, memory: Memory, key: Key, rate: Scalar, moving: Mask, linked: Mask, wanted: Mask,
    scratch: Scratch, sound: Sound, sound_rows: int,
) -> None:  # fmt: skip
    """State: last restart; phase of the first voice in cycles. Memory: place and number of the drift's draws; phases of
    the other voices.

    Each voice reads the two frames beside the position at the two levels that have no harmonic above half the sample
    rate. The formant shift squeezes the cycle into a part of its time and rests, at the value of its begin, for the
    remainder.
    """
    n, frames = out.size, int(sound_rows)
    out[:] = 0.0
    out_right[:] = 0.0
    if sound.size == 0:
        return
    tables = sound.size // (FRAME_SIZE * frames)
    many = VOICES if moving & VOICES_MOVE else int(unison[0] + 1.999999)
    crowd = moving & CROWD_MOVES != 0 or many > 1 or drift_ct[0] != 0.0
    at, own, even = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    middles, gains = scratch[192 : 192 + n], scratch[256 : 256 + n]
    places, draws = scratch[320 : 320 + n], scratch[384 : 384 + n]
    for i in range(n):
        even[i] = min(note_to_hz(fma(fine_ct[i], 0.01, pitch_note[i])) / rate, 0.5)
    if crowd:
        drifts(drift_ct, drift_hz, places, draws, memory, PLACE, DRAWS, rate)
    arrange(unison, level, scatter, middles, gains, key, VOICES, moving & (VOICES_MOVE | LEVEL_MOVES | SCATTER_MOVES))
    for v in range(many):
        if crowd:
            own_steps(v, even, unison, middles, places, draws, detune_ct, scatter, drift_ct, fm_hz, own, key, rate)
        else:
            for i in range(n):
                own[i] = on_grid(min(max(fma(fm_hz[i], 1.0 / rate, even[i]), -0.5), 0.5))
        first = memory[VOICE + v - 1] if v > 0 else state[PHASE]
        start = begin_phase(v, key)
        phase = start if first == 0.0 else first
        if linked & RESTART_LINK:
            phase = _restarted(restart, state[LAST], phase, start, at, own)
        else:
            phase = ramp_by(at, phase, own, 1.0)
        if v > 0:
            memory[VOICE + v - 1] = phase
        else:
            state[PHASE] = phase
        if moving & (PHASE_MOVES | FM_MOVES) or phase_deg[0] != 0.0 or fm_hz[0] != 0.0:
            bend(at, own, phase_deg)
        if moving & FORMANT_MOVES or formant_st[0] > 0.0:
            _squeezed(sound, tables, frames, table, position, formant_st, at, own, scratch)
        else:
            _in_tables(sound, tables, frames, table, position, own, at, at, scratch[ROOM_AT:])
        _mix(v, at, gains, unison, spread, out, out_right, moving, wanted & 0b10)
    state[LAST] = restart[n - 1]


@njit(error_model="numpy", forceinline=True)
def _mix(
    v: int, wave: Row, gains: Row, unison: Row, spread: Row, out: Row, out_right: Row, moving: Mask, both: float
) -> None:
    """Add a voice at its place and level."""
    share = weight(v, unison[0])
    left, right = sides(v, unison[0], spread[0], both)
    for i in range(out.size):
        if moving & VOICES_MOVE:
            share = weight(v, unison[i])
        if both and moving & (SPREAD_MOVES | VOICES_MOVE):
            left, right = sides(v, unison[i], spread[i], both)
        sound = wave[i] * (share * gains[i])
        out[i] = fma(sound, left, out[i])
        if both:
            out_right[i] = fma(sound, right, out_right[i])


@njit(error_model="numpy", forceinline=True)
def _restarted(restart: Row, last: float, phase: float, start: float, at: Row, steps: Row) -> float:
    for i in range(at.size):
        if restart[i] > 0.5 and last <= 0.5:
            phase = start
        last = restart[i]
        at[i] = phase
        phase += steps[i]
        phase -= floor(phase)
    return phase


@njit(error_model="numpy", forceinline=True)
def _squeezed(
    sound: Row, tables: int, frames: int, table: Row, position: Row, formant: Row, at: Row, steps: Row, scratch: Row
) -> None:
    """``at``, phases, become the cycle in a part of its time, faded at both ends, and its begin for the rest."""
    n = at.size
    wide, inside = scratch[448 : 448 + n], scratch[512 : 512 + n]
    values, rests = scratch[576 : 576 + n], scratch[640 : 640 + n]
    plain, squeezes = scratch[704 : 704 + n], scratch[768 : 768 + n]
    fades, room, some = scratch[832 : 832 + n], scratch[ROOM_AT:], False
    for i in range(n):
        fast = max(abs(steps[i]), 1e-9)
        squeeze = max(min(exp2(max(formant[i], 0.0) * (1.0 / 12.0)), ROOM / fast), 1.0)
        wide[i] = fast * squeeze
        fade = min(FADE_SAMPLES * wide[i], 0.5)
        squeezes[i], fades[i] = squeeze, fade
        wide[i] /= max(1.0 - WIDENED * wide[i] / fade, 0.1)
        inside[i] = at[i] * squeeze
        inside[i] = 0.0 if inside[i] >= 1.0 else inside[i]
        rests[i] = 0.0
        some = some or BEGINS * (squeeze - 1.0) < 1.0
    _in_tables(sound, tables, frames, table, position, wide, inside, values, room)
    _in_tables(sound, tables, frames, table, position, wide, rests, rests, room)
    if some:
        _in_tables(sound, tables, frames, table, position, steps, at, plain, room)
    for i in range(n):
        share = BEGINS * (squeezes[i] - 1.0)
        edge = min(max(min(inside[i], 1.0 - inside[i]), 0.0) / fades[i], 1.0)
        value = (values[i] - rests[i]) * (edge * edge * fma(-2.0, edge, 3.0)) + rests[i] * (1.0 / squeezes[i])
        at[i] = value if share >= 1.0 else fma(share, value - plain[i], plain[i]) if share > 0.0 else plain[i]


@njit(error_model="numpy")
def _in_tables(
    sound: Row, tables: int, frames: int, table: Row, position: Row, wide: Row, phases: Row, out: Row, room: Row
) -> None:
    """The cycle at each phase, between two tables, two frames and two levels, for what goes on by so much in a sample;
    ``out`` may be one of the others."""
    n = phases.size
    depths, values, more = room[:n], room[64 : 64 + n], room[128 : 128 + n]
    for i in range(n):
        depths[i] = min(max(log2(max(2.0 * HARMONICS * abs(wide[i]), 1e-9)), -1.0) + 1.0, LEVELS - 1.000001)
    _in_table(sound, tables, frames, table, 0, position, depths, phases, values, room[192:])
    between = 0
    for i in range(n):
        between += table[i] != floor(table[i])
    if between > 0:
        _in_table(sound, tables, frames, table, 1, position, depths, phases, more, room[192:])
        for i in range(n):
            share = min(max(table[i], 0.0), tables - 1.0)
            values[i] = fma(more[i] - values[i], share - floor(share), values[i])
    for i in range(n):
        out[i] = values[i]


@njit(error_model="numpy", forceinline=True)
def _in_table(
    sound: Row, tables: int, frames: int, table: Row, later: int, position: Row, depths: Row, phases: Row, out: Row,
    room: Row,
) -> None:  # fmt: skip
    """In so many tables after the given one, between two frames and two levels."""
    n = out.size
    higher = room[:n]
    _in_level(sound, tables, frames, table, later, position, depths, 0, phases, out, room[64:])
    _in_level(sound, tables, frames, table, later, position, depths, 1, phases, higher, room[64:])
    for i in range(n):
        out[i] = fma(higher[i] - out[i], depths[i] - floor(depths[i]), out[i])


@njit(error_model="numpy", forceinline=True)
def _in_level(
    sound: Row, tables: int, frames: int, table: Row, later: int, position: Row, depths: Row, above: int, phases: Row,
    out: Row, room: Row,
) -> None:  # fmt: skip
    """In so many levels above the given one, between four samples of a cycle by a cubic (Catmull and Rom 1974)."""
    n, beside = out.size, FRAME_SIZE if frames > 1 else 0
    shares, fours = room[:n], room[64 : 64 + LANES * n]
    for i in range(n):
        level = int(depths[i]) + above
        size, place = SIZES[level], position[i] * (frames - 1)
        at, frame = phases[i] * size, min(int(place), max(frames - 2, 0))
        first = min(int(min(max(table[i], 0.0), tables - 1.0)) + later, tables - 1)
        base, k = FRAME_SIZE * (first * frames + frame) + OFFSETS[level], (int(at) - 1) & (size - 1)
        shares[i] = at - int(at)
        if k <= size - LANES:
            between_four(fours, LANES * i, sound, base + k, base + beside + k, place - frame)
        else:  # over the cycle's end
            for j in range(LANES):
                there = base + ((k + j) & (size - 1))
                here = float(get(sound, there))
                fours[LANES * i + j] = fma(float(get(sound, there + beside)) - here, place - frame, here)
    for i in range(n):
        a, b, c, d, f = fours[LANES * i], fours[LANES * i + 1], fours[LANES * i + 2], fours[LANES * i + 3], shares[i]
        out[i] = b + 0.5 * f * ((c - a) + f * ((2.0 * a - 5.0 * b + 4.0 * c - d) + f * (3.0 * (b - c) + d - a)))


MODULE = ModuleSpec(
    id="wavetable",
    name="Wavetable",
    stage="source",
    sentence="A tone that scans through a table of waveforms, one of fourteen built-in tables or a file of your own.",
    kernel=kernel,
    inputs=(
        Input("restart", "Restart", "gate", "Each rising edge restarts the wave; otherwise the phase runs freely."),
    ),
    params=(
        Param("pitch_note", "Pitch", "note", -24, 136, 48, "The note; a linked pitch is relative to C4.", amount=7.0),
        Param("fine_ct", "Fine", "cents", -100, 100, 0, "Detune in hundredths of a semitone.", amount=8.0),
        Param("table", "Table", "choice", 0, len(NAMES) - 1, 0, "Built-in table; unused with a file of your own.",
              NAMES, amount=1.0),
        Param("position", "Position", "ratio", 0, 1, 0.3, "Where in the table.", amount=0.3),
        Param("formant_st", "Formant", "st", 0, 36, 0, "Squeezes the cycle without changing the pitch, "
              "as far as there is room below half the sample rate.", amount=6.0),
        Param("level", "Level", "ratio", 0, 1, 0.5, "Height of the wave.", amount=0.3),
        Param("unison", "Voices", "choice", 0, VOICES - 1, 0, "How many sound together.", tuple("1234567"), amount=1.0),
        Param("detune_ct", "Detune", "cents", 0, 200, 12, "How far the outermost voices are off, either way; the "
              "others lie evenly between.", amount=8.0),
        Param("spread", "Spread", "ratio", 0, 1, 0, "Stereo spread of the voices.",
              amount=0.3),
        Param("phase_deg", "Phase", "deg", -1440, 1440, 0, "Phase; a sound linked here modulates it.", amount=90.0,
              usual=0),
        Param("fm_hz", "Linear FM", "shift", -20000, 20000, 0, "Linear FM: hertz added to the frequency, through "
              "zero.", amount=100.0, usual=0),
        Param("scatter", "Scatter", "ratio", 0, 1, 0.2, "How irregular the detuning is.", amount=0.3),
        Param("drift_ct", "Drift", "cents", 0, 100, 0, "How far each voice drifts on its own.", amount=5.0, usual=0),
        Param("drift_hz", "Drift rate", "hz", 0.005, 20, 0.3, "How fast it wanders.", taper="octaves", amount=1.0),
    ),
    outputs=(Output("out", "Tone", "audio", stereo=True, width="spread"),),
    state=STATE,
    memory=MEMORY,
    sound="table",
    handle=("position", "formant_st"),
    cycle=Cycle(lambda g: g.used("drift_ct"), free=lambda g: "restart" not in g.linked),
    face="position",
    groups=(
        ("Unison", ("unison", "detune_ct", "spread", "scatter")),
        ("Drift", ("drift_ct", "drift_hz")),
        ("Tuning, phase and FM", ("fine_ct", "phase_deg", "fm_hz", "restart")),
    ),
    words=("table", "vowel", "morph", "digital", "wave", "formant", "single cycle"),
    sources=("Bristow-Johnson 1996, Wavetable synthesis 101 (from memory)",
             "Catmull and Rom 1974 (cubic between four points)"),
)  # fmt: skip
