"""Equaliser: four bands."""

from __future__ import annotations

import math

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import db_to_gain, fma, tangent_parts
from dunefall.dsp.svf import mean, svf_next

__all__ = ["MODULE"]

LOW, MIDDLE, HIGH = range(3)
FLAT = 0.7071067811865476
MOVES = (0b110, 0b111000, 0b111000000, 0b11000000000)


def kernel(  # type: ignore[no-untyped-def]
    audio, low_hz, low_db, a_hz, a_db, a_q, b_hz, b_db, b_q, high_hz, high_db, out, state, rate, moving, scratch
):
    """State: the integrators of four filters in a row. A band at 0 dB changes nothing."""
    n = out.size
    flat = scratch[448 : 448 + n]
    flat[:] = FLAT
    _band(LOW, audio, low_hz, low_db, flat, out, state, 0, rate, moving & MOVES[0], scratch)
    _band(MIDDLE, out, a_hz, a_db, a_q, out, state, 2, rate, moving & MOVES[1], scratch)
    _band(MIDDLE, out, b_hz, b_db, b_q, out, state, 4, rate, moving & MOVES[2], scratch)
    _band(HIGH, out, high_hz, high_db, flat, out, state, 6, rate, moving & MOVES[3], scratch)


@njit(error_model="numpy", forceinline=True)
def _band(kind, audio, hz, db, q, out, state, at, rate, moves, scratch):  # type: ignore[no-untyped-def]
    n, scale = out.size, 2.0 / rate
    take, cross, sink = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    direct, band, low = scratch[192 : 192 + n], scratch[256 : 256 + n], scratch[320 : 320 + n]
    if moves:
        for i in range(n):
            take[i], cross[i], sink[i], direct[i], band[i], low[i] = _factors(kind, hz[i], db[i], q[i], scale)
    else:
        take[:], cross[:], sink[:], direct[:], band[:], low[:] = _factors(kind, hz[0], db[0], q[0], scale)
    s1, s2 = state[at], state[at + 1]
    for i in range(n):
        x = audio[i]
        t1, t2 = svf_next(s1, s2, x, take[i], cross[i], sink[i])
        out[i] = fma(direct[i], x, fma(band[i], mean(s1, t1), low[i] * mean(s2, t2)))
        s1, s2 = t1, t2
    state[at], state[at + 1] = s1, s2


@njit(error_model="numpy", forceinline=True)
def _factors(kind, hz, db, q, scale):  # type: ignore[no-untyped-def]
    """Factors of the integrators, then how much of the sound, of the band and of the low makes the output; a shelf
    moves the integrators' cutoff by the fourth root of its gain."""
    up, down = tangent_parts(min(hz * scale, 0.97))
    root = db_to_gain(0.5 * db)  # square root of the gain
    damping = 1.0 / q
    if kind == MIDDLE:
        damping /= root
        direct, band, low = 1.0, damping * (root * root - 1.0), 0.0
    elif kind == LOW:
        down *= math.sqrt(root)
        direct, band, low = 1.0, damping * (root - 1.0), root * root - 1.0
    else:
        up *= math.sqrt(root)
        direct, band, low = root * root, damping * (1.0 - root) * root, 1.0 - root * root
    twice = 2.0 / fma(up * down, damping, fma(up, up, down * down))
    return down * down * twice + 0.0, up * down * twice, up * up * twice, direct, band, low


MODULE = ModuleSpec(
    id="equaliser",
    name="Equaliser",
    stage="shape",
    sentence="Lifts or lowers four regions of a sound: two shelves at its ends, two bells between.",
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
    face="low_db",
    passes="audio",
    words=("eq", "shelf", "bell", "tone", "bass", "treble", "presence"),
    sources=("Bristow-Johnson, Audio EQ Cookbook (responses)",
             "Simper 2013, Linear trapezoidal integrated state variable filter (bell and shelves, from memory)"),
)  # fmt: skip
