"""Comb: rings at a pitch and its overtones."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, Scratch, State
from dunefall.base.units import note_to_hz as hz_of_note
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, fed_back
from dunefall.dsp.lines import NEAR, read_line, read_run, write_run
from dunefall.dsp.maths import fma, note_to_hz
from dunefall.dsp.saturation import saturate_rarely, saturate_row
from dunefall.dsp.tuned import TURN, one_pole_lag, tuned_delay

__all__ = ["MODULE"]

WRITE, DAMPED, NOTE, DULL, TURNED, PERIOD, KEPT, STATE = range(8)
TUNES = 0b1110
"""Pitch, feedback and damping."""
LOWEST_HZ, USUAL_HZ = 8.0, 48000.0
KNEE = 1.0


def kernel(
    audio: Row, pitch_note: Row, feedback: Row, damping: Row, mix: Row, out: Row, state: State, memory: Memory,
    rate: Scalar, moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: the write position, the damping filter's value; the last note, damping and sign of the feedback, and
    the delay that goes with them, and what the damping keeps of a sample.

    A delay of one period, less what the damping delays at the pitch, read between samples by a cubic, fed back through
    a one-pole low-pass.
    """
    n, size, write, damped = out.size, memory.size, int(state[WRITE]), state[DAMPED]
    heard, periods, kept = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    for i in range(n if moving & TUNES else 1):
        turned = 1.0 if feedback[i] < 0.0 else 0.0
        if (state[NOTE] != pitch_note[i] or state[DULL] != damping[i] or state[TURNED] != turned
                or state[PERIOD] == 0.0):  # fmt: skip
            state[NOTE], state[DULL], state[TURNED] = pitch_note[i], damping[i], turned
            state[KEPT] = damping[i] ** (USUAL_HZ / rate)  # as much for a second at any rate
            state[PERIOD] = _period(pitch_note[i], state[KEPT], turned, rate, size)
        periods[i], kept[i] = state[PERIOD], state[KEPT]
    if moving & TUNES == 0:
        periods[:], kept[:] = state[PERIOD], state[KEPT]
    short = 0
    for i in range(n):
        short += 1 if periods[i] < n + NEAR else 0
    if short == 0:  # what is read was written before this row
        if moving & TUNES:
            for i in range(n):
                at = write + i
                heard[i] = read_line(memory, at if at < size else at - size, periods[i])
        else:
            read_run(heard, memory, write, periods[0])
        for i in range(n):
            damped = fma(kept[i], damped, (1.0 - kept[i]) * heard[i])
            heard[i] = feedback[i] * damped
        saturate_row(heard, KNEE)
        for i in range(n):
            heard[i] += audio[i]
        write = write_run(memory, write, heard)
    else:
        for i in range(n):
            damped = fma(kept[i], damped, (1.0 - kept[i]) * read_line(memory, write, periods[i]))
            heard[i] = audio[i] + saturate_rarely(feedback[i] * damped, KNEE)
            memory[write] = heard[i]
            write = write + 1 if write + 1 < size else 0
    for i in range(n):
        out[i] = fma(heard[i] - audio[i], mix[i], audio[i])
    state[WRITE], state[DAMPED] = write, damped


@njit(error_model="numpy")
def _period(note: float, kept: float, turned: float, rate: float, size: int) -> float:
    """The delay for a note; a negative feedback rings an octave lower."""
    period = min(rate / note_to_hz(note), size - 4.0)
    omega = TURN / period * (0.5 if turned > 0.5 else 1.0)
    delay, _ = tuned_delay(max(period - one_pole_lag(kept, omega), 2.0), omega)
    return min(delay, size - 4.0)


def _remembers(given: Given) -> float:
    moved = "pitch_note" in given.linked
    return fed_back(given, "feedback", 1.0 / (LOWEST_HZ if moved else hz_of_note(given.values["pitch_note"])))


MODULE = ModuleSpec(
    id="comb",
    name="Comb",
    stage="shape",
    sentence="Makes any sound ring at a pitch and its overtones, like a pipe or a wire.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("pitch_note", "Pitch", "note", 0, 128, 48, "The note at which it rings; a linked pitch is relative to "
              "C4.", amount=7.0),
        Param("feedback", "Feedback", "ratio", -0.999, 0.999, 0.8, "Decay time; negative keeps only odd overtones, an "
              "octave lower.", amount=0.2),
        Param("damping", "Damping", "ratio", 0, 0.99, 0.1, "How much faster high overtones decay.", amount=0.2),
        Param("mix", "Mix", "ratio", 0, 1, 1, "Dry/wet: from the dry sound to the ringing.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=STATE,
    cached=(NOTE, DULL, TURNED, PERIOD, KEPT),
    memory_s=1.0 / LOWEST_HZ,
    handle=("pitch_note", "feedback"),
    cycle=Cycle(memory_s=_remembers),
    face="pitch_note",
    passes="audio",
    words=("resonator", "pipe", "wire", "metal", "tuned", "flanger"),
    sources=("Schroeder 1962 (comb filter)", "Laakso et al. 1996, Splitting the unit delay (Lagrange interpolation)",
             "Jaffe and Smith 1983 (tuning)"),
)  # fmt: skip
