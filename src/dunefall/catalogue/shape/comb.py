"""Comb: rings at a pitch and its overtones."""

from __future__ import annotations

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.lines import read_line
from dunefall.dsp.maths import fma, note_to_hz, saturate

__all__ = ["MODULE"]

WRITE, DAMPED = range(2)
LOWEST_HZ = 8.0
KNEE = 1.0


def kernel(audio, pitch_note, feedback, damping, mix, out, state, memory, rate, moving, scratch):  # type: ignore[no-untyped-def]
    """State: place of writing, the damping filter's value.

    A delay of one period, read between samples by a cubic, fed back through a one-pole low-pass.
    """
    n, size, write, damped = out.size, memory.size, int(state[WRITE]), state[DAMPED]
    if moving & 0b10:
        for i in range(n):
            scratch[i] = min(rate / note_to_hz(pitch_note[i]), size - 4.0)
    else:
        scratch[:n] = min(rate / note_to_hz(pitch_note[0]), size - 4.0)
    for i in range(n):
        damped = fma(damping[i], damped, (1.0 - damping[i]) * read_line(memory, write, scratch[i]))
        wet = audio[i] + saturate(feedback[i] * damped, KNEE)
        memory[write] = wet
        write = write + 1 if write + 1 < size else 0
        out[i] = fma(wet - audio[i], mix[i], audio[i])
    state[WRITE], state[DAMPED] = write, damped


MODULE = ModuleSpec(
    id="comb",
    name="Comb",
    stage="shape",
    sentence="Makes any sound ring at a pitch and its overtones, as a pipe or a wire does.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("pitch_note", "Pitch", "note", 0, 128, 48, "The note at which it rings; a linked pitch counts from C4.",
              amount=7.0),
        Param("feedback", "Feedback", "ratio", -0.999, 0.999, 0.8, "How long it rings; negative leaves odd overtones "
              "only, an octave lower.", amount=0.2),
        Param("damping", "Damping", "ratio", 0, 0.99, 0.1, "How much faster high overtones fade.", amount=0.2),
        Param("mix", "Mix", "ratio", 0, 1, 1, "From the sound alone to the ringing.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=2,
    memory_s=1.0 / LOWEST_HZ,
    handle=("pitch_note", "feedback"),
    face="pitch_note",
    passes="audio",
    words=("resonator", "pipe", "wire", "metal", "tuned", "flanger"),
    sources=("Schroeder 1962 (comb filter)", "Laakso et al. 1996, Splitting the unit delay (Lagrange interpolation)"),
)  # fmt: skip
