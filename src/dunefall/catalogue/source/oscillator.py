"""Oscillator: a tone with a pitch."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import ModuleSpec, Output, Param
from dunefall.dsp.maths import floor, fma, note_to_hz, ramp, ramp_by, sine

__all__ = ["MODULE"]

PHASE, PITCH, STEP = range(3)
PITCH_MOVES, SHAPE_MOVES = 0b0011, 0b0100


def kernel(pitch_note, fine_ct, shape, level, out, state, rate, moving, scratch):  # type: ignore[no-untyped-def]
    """State: phase in cycles [0, 1); the pitch for which the last even step was worked out, and that step.

    So a pitch that stays costs nothing, also in a feedback loop, where each call is a sample.
    """
    n, phase, form = out.size, state[PHASE], shape[0]
    if moving & PITCH_MOVES and n > 1:
        for i in range(n):
            scratch[i] = _step(_pitch(pitch_note[i], fine_ct[i]), rate)
        phase = ramp_by(out, phase, scratch, 1.0)
    else:
        pitch = _pitch(pitch_note[0], fine_ct[0])
        if state[PITCH] != pitch or state[STEP] == 0.0:
            state[PITCH], state[STEP] = pitch, _step(pitch, rate)
        phase = ramp(out, phase, state[STEP])
        if moving & SHAPE_MOVES or form != 0.0:
            scratch[:n] = state[STEP]
    state[PHASE] = phase
    if moving & SHAPE_MOVES == 0 and form == 0.0:
        for i in range(n):
            out[i] = sine(out[i]) * level[i]
    elif moving & SHAPE_MOVES == 0 and form == 1.0:
        for i in range(n):
            out[i] = _triangle(out[i], scratch[i]) * level[i]
    else:
        for i in range(n):
            form = shape[i]
            out[i] = fma(form, _triangle(out[i], scratch[i]), (1.0 - form) * sine(out[i])) * level[i]


@njit(error_model="numpy", forceinline=True)
def _pitch(note, cents):  # type: ignore[no-untyped-def]
    return fma(cents, 0.01, note)


@njit(error_model="numpy", forceinline=True)
def _step(pitch, rate):  # type: ignore[no-untyped-def]
    return min(note_to_hz(pitch) * (1.0 / rate), 0.5)


@njit(error_model="numpy", forceinline=True)
def _triangle(phase, step):  # type: ignore[no-untyped-def]
    """A triangle whose corners are rounded by a band-limited ramp over four samples; no branches."""
    at = phase + 0.25 - floor(phase + 0.25)
    per = 1.0 / max(step, 1e-12)
    low, high = min(at, 1.0 - at) * per, abs(at - 0.5) * per
    return fma(8.0 * step, _corner(low) - _corner(high), 1.0 - abs(4.0 * at - 2.0))


@njit(error_model="numpy", forceinline=True)
def _corner(distance):  # type: ignore[no-untyped-def]
    """What a corner of slope 1 lacks of its band-limited form: the cubic B-spline integrated twice, less the ramp."""
    outer, inner = max(2.0 - distance, 0.0), max(1.0 - distance, 0.0)
    a, b = outer * outer, inner * inner
    return (a * a * outer - 4.0 * (b * b * inner)) * (1.0 / 120.0)


MODULE = ModuleSpec(
    id="oscillator",
    name="Oscillator",
    stage="source",
    sentence="A steady tone, from a pure sine to a hollow triangle.",
    kernel=kernel,
    params=(
        Param("pitch_note", "Pitch", "note", -24, 136, 48, "The note; a linked pitch is counted from C4.", amount=7.0),
        Param("fine_ct", "Fine", "cents", -100, 100, 0, "Detune in hundredths of a semitone.", amount=8.0),
        Param("shape", "Shape", "choice", 0, 1, 0, "Form of the wave; glides between the two.", ("sine", "triangle"),
              amount=0.5),
        Param("level", "Level", "ratio", 0, 1, 0.5, "Height of the wave.", amount=0.3),
    ),
    outputs=(Output("out", "Tone", "audio"),),
    state=3,
    cached=(STEP,),
    face="pitch_note",
    words=("tone", "sine", "triangle", "drone", "pitch", "hum", "beep"),
    sources=("Esqueda, Valimaki and Bilbao 2016, polynomial band-limited ramps (from memory)",),
)  # fmt: skip
