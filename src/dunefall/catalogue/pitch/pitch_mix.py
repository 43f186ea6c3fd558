"""Pitch mix: a note, with other pitches added."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Row, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.maths import fma

__all__ = ["MODULE"]

C4 = 60.0
LOWEST, HIGHEST = -24.0, 136.0
"""What an oscillator takes."""


def kernel(
    a: Row, b: Row, c: Row, d: Row, note: Row, share_a: Row, share_b: Row, share_c: Row, share_d: Row, out: Row,
    state: State, linked: Mask,
) -> None:  # fmt: skip
    """State: unused. Each pitch that is linked counts by how far it is from C4."""
    for i in range(out.size):
        out[i] = note[i]
    if linked & 0b0001:
        _add(out, a, share_a)
    if linked & 0b0010:
        _add(out, b, share_b)
    if linked & 0b0100:
        _add(out, c, share_c)
    if linked & 0b1000:
        _add(out, d, share_d)
    for i in range(out.size):
        out[i] = min(max(out[i], LOWEST), HIGHEST)


@njit(error_model="numpy", forceinline=True)
def _add(out: Row, pitch: Row, share: Row) -> None:
    for i in range(out.size):
        out[i] = fma(pitch[i] - C4, share[i], out[i])


LETTERS = "abcd"
MODULE = ModuleSpec(
    id="pitch-mix",
    name="Pitch mix",
    stage="pitch",
    sentence="A fixed note, or the sum of up to four pitches, each by its own share.",
    kernel=kernel,
    inputs=tuple(
        Input(letter, f"Pitch {letter}", "pitch", "What is added: its distance from C4.")
        for letter in LETTERS
    ),
    params=(
        Param("note", "Note", "note", 0, 127, 60, "The note around which they are added; alone, it is the pitch.",
              amount=7.0),
        *(Param(f"share_{letter}", f"Share {letter}", "ratio", -2, 2, 1, "How much of its distance from C4 counts; "
                "negative turns intervals over.", amount=0.5) for letter in LETTERS),
    ),
    outputs=(Output("out", "Pitch", "pitch"),),
    face="note",
    passes="a",
    words=("constant note", "fixed pitch", "add pitches", "sum of pitches", "interval", "mirror"),
    presets=(
        Preset("Fixed note", "C4, for whatever wants a pitch.", {}, ("constant", "note")),
        Preset("Mirrored melody", "Intervals turned over around C4.",
               {"share_a": -1.0}, ("inversion",)),
    ),
    sources=("intervals add up in semitones (definition)",),
)  # fmt: skip
