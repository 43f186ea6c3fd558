"""Oscillator: a tone with a pitch."""

from __future__ import annotations

import math

from numba import njit

from dunefall.catalogue.declare import ModuleSpec, Output, Param
from dunefall.dsp.maths import note_to_hz, sine

__all__ = ["MODULE"]

PHASE, NOTE, STEP = range(3)


def kernel(pitch_note, fine_ct, shape, level, out, state, rate):  # type: ignore[no-untyped-def]
    """State: phase in cycles [0, 1), last pitch as a note number, its phase step."""
    phase, note, step = state[PHASE], state[NOTE], state[STEP]
    for i in range(out.size):
        wanted = pitch_note[i] + fine_ct[i] * 0.01
        if wanted != note:
            note = wanted
            step = min(note_to_hz(note) / rate, 0.5)
        form = shape[i]
        out[i] = phase if form == 0.0 else _bent(phase, step, form)
        phase += step
        if phase >= 1.0:
            phase -= 1.0
    state[PHASE], state[NOTE], state[STEP] = phase, note, step
    for i in range(out.size):
        out[i] = (sine(out[i]) if shape[i] == 0.0 else out[i]) * level[i]


@njit(error_model="numpy")
def _bent(phase, step, form):  # type: ignore[no-untyped-def]
    """Sine blended into a triangle whose corners are rounded by a band-limited ramp over four samples."""
    at = phase + 0.25 - math.floor(phase + 0.25)
    wave = 1.0 - abs(4.0 * at - 2.0)
    if step > 0.0:
        low, high = min(at, 1.0 - at) / step, abs(at - 0.5) / step
        if low < 2.0 or high < 2.0:
            wave += 8.0 * step * (_corner(low) - _corner(high))
    return form * wave + ((1.0 - form) * sine(phase) if form < 1.0 else 0.0)


@njit(error_model="numpy")
def _corner(distance):  # type: ignore[no-untyped-def]
    """What a corner of slope 1 lacks of its band-limited form: the cubic B-spline integrated twice, less the ramp."""
    outer, inner = max(2.0 - distance, 0.0), max(1.0 - distance, 0.0)
    return (outer**5 - 4.0 * inner**5) * (1.0 / 120.0)


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
    face="pitch_note",
    words=("tone", "sine", "triangle", "drone", "pitch", "hum", "beep"),
    sources=("Esqueda, Valimaki and Bilbao 2016, polynomial band-limited ramps (from memory)",),
)  # fmt: skip
