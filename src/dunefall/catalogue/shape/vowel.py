"""Vowel: a mouth between vowels."""

from __future__ import annotations

import numpy as np
from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, pole_s
from dunefall.dsp.maths import exp2, fma
from dunefall.dsp.svf import band_rows, svf_factors, three_bands

__all__ = ["FORMANTS_HZ", "LEVELS_DB", "MODULE"]

MOVES = 0b1110
FORMANTS_HZ = np.array([[270, 2290, 3010], [530, 1840, 2480], [730, 1090, 2440], [570, 840, 2410], [300, 870, 2240]])
LEVELS_DB = np.array([[-4, -24, -28], [-2, -17, -24], [-1, -5, -28], [0, -7, -34], [-3, -19, -43]])
"""Formants of i, e, a, o, u."""
OCTAVES = np.log2(FORMANTS_HZ.astype(float))
GAINS = 10.0 ** (LEVELS_DB / 20.0)
WIDTHS_HZ = (80.0, 110.0, 160.0)


def kernel(
    audio: Row, vowel: Row, shift_st: Row, sharpness: Row, mix: Row, out: Row, state: State, rate: Scalar, moving: Mask,
    scratch: Scratch,
) -> None:  # fmt: skip
    """State: the integrators of three band-passes side by side."""
    for k in range(3):
        _formant(k, vowel, shift_st, sharpness, rate, moving & MOVES, scratch)
    three_bands(audio, mix, out, scratch, state)


@njit(error_model="numpy", forceinline=True)
def _formant(k: int, vowel: Row, shift_st: Row, sharpness: Row, rate: float, moves: int, scratch: Scratch) -> None:
    n = vowel.size
    take, cross, sink, gain = band_rows(scratch, k, n)
    if moves:
        for i in range(n):
            take[i], cross[i], sink[i], gain[i] = _factors(k, vowel[i], shift_st[i], sharpness[i], rate)
    else:
        take[:], cross[:], sink[:], gain[:] = _factors(k, vowel[0], shift_st[0], sharpness[0], rate)


@njit(error_model="numpy", forceinline=True)
def _factors(k: int, vowel: float, shift: float, sharpness: float, rate: float) -> tuple[float, float, float, float]:
    """Factors of a band-pass of gain 1 at its middle, and half of its level, between two vowels."""
    octave = level = 0.0
    for row in range(5):  # no look-up, which would keep the loop from going through many samples at a time
        near = max(1.0 - abs(vowel - row), 0.0)
        octave, level = fma(near, OCTAVES[row, k], octave), fma(near, GAINS[row, k], level)
    hz = exp2(octave + shift * (1.0 / 12.0))
    damping = min(WIDTHS_HZ[k] * exp2(1.5 - 3.0 * sharpness) / exp2(octave), 1.8)
    take, cross, sink = svf_factors(hz, damping, 2.0 / rate)
    return take, cross, sink, 0.5 * level * damping


def _remembers(given: Given) -> float:
    """As long as its narrowest formant rings; its width goes with the mouth."""
    sharpness = 1.0 if "sharpness" in given.linked else given.values["sharpness"]
    down = 2.0 ** ((given.values["shift_st"] - (12.0 if "shift_st" in given.linked else 0.0)) / 12.0)
    return pole_s(0.5 * WIDTHS_HZ[0] * 2.0 ** (1.5 - 3.0 * sharpness) * down)


MODULE = ModuleSpec(
    id="vowel",
    name="Vowel",
    stage="shape",
    sentence="Formant filter: gives any sound a vowel, from i through e, a and o to u.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("vowel", "Vowel", "choice", 0, 4, 2, "The vowel; glides from one to the next.",
              ("i", "e", "a", "o", "u"), amount=1.0),
        Param("shift_st", "Shift", "st", -24, 24, 0, "Smaller or larger mouths.", amount=5.0),
        Param("sharpness", "Sharpness", "ratio", 0, 1, 0.5, "From a hint to a whistle.", amount=0.3),
        Param("mix", "Mix", "ratio", 0, 1, 1, "Dry/wet: from the dry sound to the vowel.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=6,
    cycle=Cycle(memory_s=_remembers),
    handle=("vowel", "sharpness"),
    face="vowel",
    passes="audio",
    words=("formant", "voice", "mouth", "choir", "talk", "speech"),
    sources=("Peterson and Barney 1952, J. Acoust. Soc. Am. 24 (formants and levels, from memory)",),
)  # fmt: skip
