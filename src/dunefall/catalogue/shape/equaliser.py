"""Equaliser: four bands."""

from __future__ import annotations

import math

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import (
    Cycle,
    Given,
    Input,
    ModuleSpec,
    Output,
    Param,
    Preset,
    lowest_hz,
    pole_s,
    resonance_s,
)
from dunefall.dsp.equaliser import FLAT, HIGH, LOW, MIDDLE, run_band

__all__ = ["MODULE", "bands_keep"]

MOVES = (0b110, 0b111000, 0b111000000, 0b11000000000)


def kernel(
    audio: Row, low_hz: Row, low_db: Row, a_hz: Row, a_db: Row, a_q: Row, b_hz: Row, b_db: Row, b_q: Row, high_hz: Row,
    high_db: Row, out: Row, state: State, rate: Scalar, moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: the integrators of four filters in a row. A band at 0 dB changes nothing."""
    n = out.size
    flat = scratch[448 : 448 + n]
    flat[:] = FLAT
    run_band(LOW, audio, low_hz, low_db, flat, out, state, 0, rate, moving & MOVES[0], scratch)
    run_band(MIDDLE, out, a_hz, a_db, a_q, out, state, 2, rate, moving & MOVES[1], scratch)
    run_band(MIDDLE, out, b_hz, b_db, b_q, out, state, 4, rate, moving & MOVES[2], scratch)
    run_band(HIGH, out, high_hz, high_db, flat, out, state, 6, rate, moving & MOVES[3], scratch)


def bands_keep(given: Given) -> float:
    """Seconds until the bands have fallen by 90 dB, one after the other; a band at 0 dB keeps nothing.

    Parameters
    ----------
    given : Given
        What the equaliser, or the master, is set to.

    Returns
    -------
    float
    """
    kept = 0.0
    for band in ("low", "a", "b", "high"):
        if given.used(f"{band}_db"):
            root = 10.0 ** (given.values[f"{band}_db"] / 40.0)
            hz, q = lowest_hz(given, f"{band}_hz"), given.values.get(f"{band}_q", FLAT)
            if band == "low":
                kept += pole_s(hz * 0.5 / (q * math.sqrt(root)))
            elif band == "high":
                kept += pole_s(hz * 0.5 * math.sqrt(root) / q)
            else:
                kept += resonance_s(hz, 1.0 / (root * q))
    return kept


MODULE = ModuleSpec(
    id="equaliser",
    name="Equaliser",
    stage="shape",
    sentence="Four-band equaliser: two shelves and two bells.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("low_hz", "Low shelf", "hz", 20, 2000, 120, "Below this, the low shelf.", taper="octaves", amount=1.0),
        Param("low_db", "Low gain", "db", -24, 24, 0, "Gain of the low shelf.", amount=6.0),
        Param("a_hz", "Bell 1", "hz", 20, 20000, 500, "Middle of the first bell.", taper="octaves", amount=1.0),
        Param("a_db", "Bell 1 gain", "db", -24, 24, 0, "Gain at its middle.", amount=6.0),
        Param("a_q", "Bell 1 Q", "factor", 0.2, 20, 1, "How narrow it is.", taper="octaves", amount=1.0),
        Param("b_hz", "Bell 2", "hz", 20, 20000, 2500, "Middle of the second bell.", taper="octaves", amount=1.0),
        Param("b_db", "Bell 2 gain", "db", -24, 24, 0, "Gain at its middle.", amount=6.0),
        Param("b_q", "Bell 2 Q", "factor", 0.2, 20, 1, "How narrow it is.", taper="octaves", amount=1.0),
        Param("high_hz", "High shelf", "hz", 500, 20000, 7000, "Above this, the high shelf.", taper="octaves",
              amount=1.0),
        Param("high_db", "High gain", "db", -24, 24, 0, "Gain of the high shelf.", amount=6.0),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=8,
    cycle=Cycle(memory_s=bands_keep),
    face="low_db",
    passes="audio",
    words=("eq", "shelf", "bell", "tone", "bass", "treble", "presence"),
    presets=(
        Preset("Bass lift", "Six decibels more below 120 Hz.",
               {"low_db": 6.0}, ("more bass", "warm")),
        Preset("Treble cut", "Nine decibels less above 5 kHz.",
               {"high_hz": 5000.0, "high_db": -9.0}, ("darker", "less treble")),
        Preset("Small radio", "Only the middle is left.",
               {"low_hz": 500.0, "low_db": -24.0, "high_hz": 3000.0, "high_db": -24.0, "a_hz": 1200.0, "a_db": 4.0},
               ("telephone", "radio", "lo-fi speaker")),
    ),
    sources=("Bristow-Johnson, Audio EQ Cookbook (responses)",
             "Simper 2013, Linear trapezoidal integrated state variable filter (bell and shelves, from memory)"),
)  # fmt: skip
