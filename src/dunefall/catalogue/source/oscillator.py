"""Oscillator: a tone with a pitch, from one voice or up to nine."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Key, Mask, Memory, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.bandlimited import pulse, saw, thin_pulse, thinness, triangle, wave
from dunefall.dsp.maths import floor, fma, note_to_hz, on_grid, ramp, ramp_by, sine
from dunefall.dsp.sync import (
    HALF,
    RING,
    bare,
    crossing,
    edged,
    edged_slope,
    go_on,
    round_corner,
    round_jump,
    round_sine,
)
from dunefall.dsp.unison import arrange, begin_phase, bend, drifts, own_steps, sides, weight

__all__ = ["MODULE"]

VOICES = 9
PITCH, STEP, PHASE, STATE = range(4)
PLACE, DRAWS, LAST, TURN, AT, BEGUN, VOICE = range(7)
BEFORE = VOICE + VOICES
TURNS = BEFORE + 5
TO_COME = TURNS + VOICES
MEMORY = TO_COME + RING * VOICES
LATEST = 1.0 - 1e-9
"""The sample before a sync is the wave as it was."""
SYNC_LINK, RESTART_LINK = 0b01, 0b10
PITCH_MOVES = 0b11100
SHAPE_MOVES = 0b1100000
PHASE_MOVES, FM_MOVES = 0b100000000, 0b1000000000
LEVEL_MOVES, VOICES_MOVE, SPREAD_MOVES, SCATTER_MOVES = 1 << 7, 1 << 10, 1 << 12, 1 << 13
CROWD_MOVES = VOICES_MOVE | 1 << 14
"""What moves, if it does, asks for the long way: the number of voices, the drift."""
OCTAVES = ("−4", "−3", "−2", "−1", "0", "+1", "+2", "+3", "+4")
MIDDLE_OCTAVE = 4.0


def kernel(
    sync: Row, restart: Row, pitch_note: Row, octave: Row, fine_ct: Row, shape: Row, width: Row, level: Row,
    phase_deg: Row, fm_hz: Row, unison: Row, detune_ct: Row, spread: Row, scatter: Row, drift_ct: Row, drift_hz: Row,
    sync_mode: Row, out: Row, out_right: Row, state: State, memory: Memory, key: Key, rate: Scalar, moving: Mask,
    linked: Mask, wanted: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: the pitch for which the last even step was worked out, that step, and the first voice's phase in cycles
    [0, 1). Memory, which only the long way touches: place and number of the drift's draws; last restart;
    direction; place in the late sound, and whether it has begun; phases of the other voices; the last five of the sync
    signal; how far each voice's phase was turned; the late sound of each.

    A pitch that stays costs nothing, also in a feedback loop, where each call is a sample. One voice without drift and
    sync goes the short way; otherwise voice after voice is added up. A voice or a drift that is off is not computed.
    """
    crowd = moving & CROWD_MOVES != 0 or linked & (SYNC_LINK | RESTART_LINK) != 0
    if crowd or unison[0] != 0.0 or drift_ct[0] != 0.0:
        _several(sync, restart, pitch_note, octave, fine_ct, shape, width, level, phase_deg, fm_hz, unison, detune_ct,
                 spread, scatter, drift_ct, drift_hz, sync_mode, out, out_right, state, memory, key, rate, moving,
                 linked, wanted & 0b10, scratch)  # fmt: skip
    else:
        _single(pitch_note, octave, fine_ct, shape, width, level, phase_deg, fm_hz, out, state, rate, moving, scratch)
        if wanted & 0b10:
            out_right[:] = out


@njit(error_model="numpy")
def _several(
    sync: Row, restart: Row, pitch_note: Row, octave: Row, fine_ct: Row, shape: Row, width: Row, level: Row,
    phase_deg: Row, fm_hz: Row, unison: Row, detune_ct: Row, spread: Row, scatter: Row, drift_ct: Row, drift_hz: Row,
    sync_mode: Row, out: Row, out_right: Row, state: State, memory: Memory, key: Key, rate: float, moving: Mask,
    linked: Mask, both: float, scratch: Scratch,
) -> None:  # fmt: skip
    """All voices, one after the other."""
    n = out.size
    steps, places, draws = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    _steps(pitch_note, octave, fine_ct, steps, state, rate, moving)
    drifts(drift_ct, drift_hz, places, draws, memory, PLACE, DRAWS, rate)
    arrange(unison, level, scatter, scratch[320 : 320 + n], scratch[384 : 384 + n], key, VOICES,
            moving & (VOICES_MOVE | LEVEL_MOVES | SCATTER_MOVES))  # fmt: skip
    many = VOICES if moving & VOICES_MOVE else int(unison[0] + 1.999999)
    out[:] = 0.0
    out_right[:] = 0.0
    if linked & SYNC_LINK:
        _synced(sync, restart, shape, width, phase_deg, fm_hz, unison, detune_ct, spread, scatter, drift_ct, sync_mode,
                out, out_right, state, memory, key, rate, both, many, scratch)  # fmt: skip
    else:
        for v in range(many):
            _voice(v, restart, shape, width, phase_deg, fm_hz, unison, detune_ct, spread, scatter, drift_ct, out,
                   out_right, state, memory, key, rate, both, moving, scratch)  # fmt: skip
    memory[LAST] = restart[n - 1]


@njit(error_model="numpy", forceinline=True)
def _single(
    pitch_note: Row, octave: Row, fine_ct: Row, shape: Row, width: Row, level: Row, phase_deg: Row, fm_hz: Row,
    out: Row, state: State, rate: float, moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    n, form = out.size, shape[0]
    bends = moving & (PHASE_MOVES | FM_MOVES) != 0 or phase_deg[0] != 0.0 or fm_hz[0] != 0.0
    steady = (moving & PITCH_MOVES == 0 or n == 1) and not bends
    steps = scratch[:n]
    phase = state[PHASE]
    if steady:
        step = _even_step(pitch_note[0], octave[0], fine_ct[0], state, rate)
        phase = ramp(out, phase, step)
        if moving & SHAPE_MOVES or form != 0.0:
            steps[:] = step
    else:
        _steps(pitch_note, octave, fine_ct, steps, state, rate, moving)
        if bends:
            for i in range(n):
                steps[i] = min(max(fma(fm_hz[i], 1.0 / rate, steps[i]), -0.5), 0.5)
        phase = ramp_by(out, phase, steps, 1.0)
        if bends:
            bend(out, steps, phase_deg)
    state[PHASE] = phase
    _shape(shape, width, level, out, steps, moving & SHAPE_MOVES)


@njit(error_model="numpy", forceinline=True)
def _shape(shape: Row, width: Row, gain: Row, out: Row, steps: Row, moves: int) -> None:
    """Phases into the wave times a gain; a loop for each form that stays."""
    n, form = out.size, shape[0]
    if moves == 0 and form == 0.0:
        for i in range(n):
            out[i] = gain[i] * sine(out[i])
    elif moves == 0 and form == 1.0:
        for i in range(n):
            out[i] = gain[i] * triangle(out[i], steps[i])
    elif moves == 0 and form == 2.0:
        for i in range(n):
            half = out[i] + 0.5
            out[i] = gain[i] * saw(half - floor(half), steps[i])
    elif moves == 0 and form == 3.0 and thinness(steps[0], width[0]) == 0.0:
        for i in range(n):
            out[i] = gain[i] * pulse(out[i], steps[i], width[i])
    else:
        _any_shape(shape, width, gain, out, steps)


@njit(error_model="numpy")
def _any_shape(shape: Row, width: Row, gain: Row, out: Row, steps: Row) -> None:
    """The same for forms that move, and for thin pulses."""
    for i in range(out.size):
        value = wave(shape[i], out[i], steps[i], width[i])
        thin = thinness(steps[i], width[i]) * max(shape[i] - 2.0, 0.0)
        if thin > 0.0:
            exact = thin_pulse(out[i], steps[i], width[i])
            value = fma(thin, exact - pulse(out[i], steps[i], width[i]), value)
        out[i] = gain[i] * value


@njit(error_model="numpy", forceinline=True)
def _steps(pitch_note: Row, octave: Row, fine_ct: Row, steps: Row, state: State, rate: float, moving: Mask) -> None:
    """Steps of the phase from the pitch alone."""
    if moving & PITCH_MOVES and steps.size > 1:
        for i in range(steps.size):
            steps[i] = _step(_pitch(pitch_note[i], octave[i], fine_ct[i]), rate)
    else:
        steps[:] = _even_step(pitch_note[0], octave[0], fine_ct[0], state, rate)


@njit(error_model="numpy", forceinline=True)
def _even_step(note: float, octave: float, cents: float, state: State, rate: float) -> float:
    pitch = _pitch(note, octave, cents)
    if state[PITCH] != pitch or state[STEP] == 0.0:
        state[PITCH], state[STEP] = pitch, _step(pitch, rate)
    return state[STEP]


@njit(error_model="numpy", forceinline=True)
def _pitch(note: float, octave: float, cents: float) -> float:
    return note + fma(cents, 0.01, 12.0 * (octave - MIDDLE_OCTAVE))


@njit(error_model="numpy", forceinline=True)
def _step(pitch: float, rate: float) -> float:
    return min(note_to_hz(pitch) * (1.0 / rate), 0.5)


@njit(error_model="numpy", forceinline=True)
def _phase(v: int, state: State, memory: Memory) -> float:
    return memory[VOICE + v] if v > 0 else state[PHASE]


@njit(error_model="numpy", forceinline=True)
def _keep_phase(v: int, phase: float, state: State, memory: Memory) -> None:
    if v > 0:
        memory[VOICE + v] = phase
    else:
        state[PHASE] = phase


@njit(error_model="numpy", forceinline=True)
def _voice(
    v: int, restart: Row, shape: Row, width: Row, phase_deg: Row, fm_hz: Row, unison: Row, detune_ct: Row, spread: Row,
    scatter: Row, drift_ct: Row, out: Row, out_right: Row, state: State, memory: Memory, key: Key, rate: float,
    both: float, moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """Add one voice."""
    n = out.size
    steps, places, draws = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    own, at = scratch[192 : 192 + n], scratch[256 : 256 + n]
    middles, gains = scratch[320 : 320 + n], scratch[384 : 384 + n]
    own_steps(v, steps, unison, middles, places, draws, detune_ct, scatter, drift_ct, fm_hz, own, key, rate)
    start, phase, last = begin_phase(v, key), _phase(v, state, memory), memory[LAST]
    if phase == 0.0:
        phase = start
    for i in range(n):
        if restart[i] > 0.5 and last <= 0.5:
            phase = start
        last = restart[i]
        at[i] = phase
        if 1.0 + unison[i] > v:
            phase += own[i]
            phase -= floor(phase)
    _keep_phase(v, phase, state, memory)
    bend(at, own, phase_deg)
    gain = scratch[448 : 448 + n]
    for i in range(n):
        gain[i] = weight(v, unison[i]) * gains[i]
    _shape(shape, width, gain, at, own, moving & SHAPE_MOVES)
    left, right = sides(v, unison[0], spread[0], both)
    for i in range(n):
        if both and moving & (SPREAD_MOVES | VOICES_MOVE):
            left, right = sides(v, unison[i], spread[i], both)
        out[i] = fma(at[i], left, out[i])
        out_right[i] = fma(at[i], right, out_right[i])


@njit(error_model="numpy")
def _synced(
    sync: Row, restart: Row, shape: Row, width: Row, phase_deg: Row, fm_hz: Row, unison: Row, detune_ct: Row,
    spread: Row, scatter: Row, drift_ct: Row, sync_mode: Row, out: Row, out_right: Row, state: State, memory: Memory,
    key: Key, rate: float, both: float, many: int, scratch: Scratch,
) -> None:  # fmt: skip
    """All voices, set back or turned round whenever the sync signal rises through 0. The phase is that of the sample
    before."""
    n = out.size
    steps, places, draws = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    own, middles, gains = scratch[192 : 192 + n], scratch[320 : 320 + n], scratch[384 : 384 + n]
    signal = scratch[448 : 448 + 5 + n]
    signal[:5], signal[5:] = memory[BEFORE : BEFORE + 5], sync
    memory[BEFORE : BEFORE + 5] = signal[n:]
    first, turn0, last0 = int(memory[AT]), memory[TURN], memory[LAST]
    for v in range(many):
        own_steps(v, steps, unison, middles, places, draws, detune_ct, scatter, drift_ct, fm_hz, own, key, rate)
        start, phase, offset = begin_phase(v, key), _phase(v, state, memory), memory[TURNS + v]
        late = memory[TO_COME + RING * v : TO_COME + RING * (v + 1)]
        if memory[BEGUN] == 0.0:
            phase = (start if phase == 0.0 else phase) - own[0]
        now, turn, last = first, turn0, last0
        for i in range(n):
            step = own[i] * (1.0 - 2.0 * turn) if 1.0 + unison[i] > v else 0.0
            if restart[i] > 0.5 and last <= 0.5:
                phase = start - step
            last = restart[i]
            moved = fma(phase_deg[i], 1.0 / 360.0, -offset)
            form, wide = shape[i], width[i]
            if signal[i + 2] <= 0.0 and signal[i + 3] > 0.0:
                turn = 1.0 - turn if sync_mode[i] >= 0.5 else turn
                before = 1.0 - crossing(signal[i : i + 6])
                phase, step = _set_back(late, now, form, wide, phase + offset, step, moved, sync_mode[i],
                                        start + offset, min(before, LATEST))  # fmt: skip
                phase -= offset + moved
            else:
                go_on(late, now, form, wide, phase + offset, step + moved, 1.0, 0.0)
                phase += step
            offset += moved
            phase = on_grid(phase)
            phase -= floor(phase)
            late[(now + HALF) & (RING - 1)] += bare(form, phase + offset, wide)
            share = weight(v, unison[i]) * gains[i] * late[now]
            left, right = sides(v, unison[i], spread[i], both)
            out[i], out_right[i] = fma(share, left, out[i]), fma(share, right, out_right[i])
            late[now] = 0.0
            now = (now + 1) & (RING - 1)
        _keep_phase(v, phase, state, memory)
        memory[TURNS + v] = offset
        memory[AT], memory[TURN] = now, turn
    memory[BEGUN] = 1.0


@njit(error_model="numpy", forceinline=True)
def _set_back(
    late: Row, now: int, form: float, wide: float, at: float, step: float, moved: float, soft: float, start: float,
    since: float,
) -> tuple[float, float]:  # fmt: skip
    """A sample in which the wave is set back to its start, or turned round: the phase after it, and the step then."""
    way = step + moved
    here = fma(1.0 - since, way, at)
    go_on(late, now, form, wide, at, here - at, 1.0 - since, since)
    there = here if soft >= 0.5 else fma(1.0 - since, moved, start)
    step = -step if soft >= 0.5 else step
    if form < 1.0:
        round_sine(late, now, 1.0 - form, here, way, there, step + moved, since)
    round_jump(late, now, edged(form, there, wide) - edged(form, here, wide), since)
    bend = (step + moved) * edged_slope(form, there) - way * edged_slope(form, here)
    round_corner(late, now, bend, since)
    go_on(late, now, form, wide, there, since * (step + moved), since, 0.0)
    return fma(since, step + moved, there), step


MODULE = ModuleSpec(
    id="oscillator",
    name="Oscillator",
    stage="source",
    sentence="A tone from a pure sine to a thin pulse, alone or as up to nine detuned voices that beat and drift.",
    kernel=kernel,
    inputs=(
        Input("sync", "Sync", "audio", "Hard sync: restarts the wave each time this rises through zero."),
        Input("restart", "Restart", "gate", "Each rising edge restarts the wave; otherwise the phase runs freely."),
    ),
    params=(
        Param("pitch_note", "Pitch", "note", -24, 136, 48, "The note; a linked pitch is relative to C4.", amount=7.0),
        Param("octave", "Octave", "choice", 0, 8, 4, "Octaves added to the pitch.", OCTAVES),
        Param("fine_ct", "Fine", "cents", -100, 100, 0, "Detune in hundredths of a semitone.", amount=8.0),
        Param("shape", "Shape", "choice", 0, 3, 0, "Waveform; glides from one to the next.",
              ("sine", "triangle", "saw", "pulse"), amount=0.5),
        Param("width", "Pulse width", "ratio", 0.02, 0.98, 0.5, "Pulse width.",
              amount=0.2),
        Param("level", "Level", "ratio", 0, 1, 0.5, "Height of the wave.", amount=0.3),
        Param("phase_deg", "Phase", "deg", -1440, 1440, 0, "Phase; a sound linked here modulates it.", amount=90.0,
              usual=0),
        Param("fm_hz", "Linear FM", "shift", -20000, 20000, 0, "Linear FM: hertz added to the frequency, through "
              "zero.", amount=100.0, usual=0),
        Param("unison", "Voices", "choice", 0, 8, 0, "How many sound together.", tuple("123456789"), amount=1.0,
              usual=0),
        Param("detune_ct", "Detune", "cents", 0, 200, 12, "How far the outermost voices are off, either way; the "
              "others lie evenly between.", amount=8.0),
        Param("spread", "Spread", "ratio", 0, 1, 0, "Stereo spread of the voices.",
              amount=0.3),
        Param("scatter", "Scatter", "ratio", 0, 1, 0.2, "How irregular the detuning is.", amount=0.3),
        Param("drift_ct", "Drift", "cents", 0, 100, 0, "How far each voice drifts on its own.", amount=5.0, usual=0),
        Param("drift_hz", "Drift rate", "hz", 0.005, 20, 0.3, "How fast it wanders.", taper="octaves", amount=1.0),
        Param("sync_mode", "Sync kind", "choice", 0, 1, 0, "Hard sync restarts the wave, soft sync reverses it.",
              ("hard", "soft")),
    ),
    outputs=(Output("out", "Tone", "audio", stereo=True, width="spread"),),
    state=STATE,
    memory=MEMORY,
    cached=(STEP,),
    handle=("shape", "width"),
    cycle=Cycle(
        lambda g: g.used("drift_ct"), free=lambda g: g.linked.isdisjoint(("restart", "sync")),
    ),
    face="pitch_note",
    groups=(
        ("Unison", ("unison", "detune_ct", "spread", "scatter")),
        ("Drift", ("drift_ct", "drift_hz")),
        ("Phase, FM and sync", ("phase_deg", "fm_hz", "sync_mode", "sync", "restart")),
    ),
    words=("tone", "sine", "triangle", "saw", "pulse", "square", "drone", "pitch", "hum", "beep", "unison", "sync",
           "vco", "supersaw"),
    presets=(
        Preset("Sine tone", "A tone without overtones.",
               {"shape": "sine"}, ("sine", "sine wave", "pure tone")),
        Preset("Triangle tone", "Soft, with odd overtones.",
               {"shape": "triangle"}, ("triangle", "triangle wave")),
        Preset("Saw", "Bright, with all overtones.",
               {"shape": "saw"}, ("sawtooth", "saw wave")),
        Preset("Pulse wave", "Hollow, with a width that can be moved.",
               {"shape": "pulse", "width": 0.3}, ("pulse", "square", "pwm", "rectangle")),
        Preset("Detuned saws", "Seven saws a little apart, across the stereo field.",
               {"shape": "saw", "unison": 6, "detune_ct": 20.0, "spread": 0.8}, ("supersaw", "unison", "wide saw")),
        Preset("Sub-bass", "A sine two octaves lower.",
               {"shape": "sine", "octave": "−2"}, ("sub", "low sine")),
    ),
    sources=("Valimaki and Huovilainen 2007, Antialiasing oscillators (band-limited steps from a windowed sinc)",
             "Esqueda, Valimaki and Bilbao 2016, polynomial band-limited ramps (from memory)"),
)  # fmt: skip
