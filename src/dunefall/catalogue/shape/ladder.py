"""Ladder: a steep low-pass that sings by itself."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import db_to_gain, fma, saturate, tangent_parts

__all__ = ["MODULE"]

S1, S2, S3, S4 = range(4)
MOVES = 0b1110
BREATH = 1e-9
"""Comes in all the time, 180 dB down, so that a ladder that could sing has something to begin with."""
KNEE = 0.5


def kernel(audio, cutoff_hz, resonance, drive_db, out, state, rate, moving, scratch):  # type: ignore[no-untyped-def]
    """State: the four integrators.

    Four equal one-poles in a row with negative feedback, solved without a delay in the loop; what enters the first is
    bent above a level, which holds the ladder's own tone steady.
    """
    n, scale = out.size, 2.0 / rate
    share, back, gain = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    if moving & MOVES:
        for i in range(n):
            share[i], back[i], gain[i] = _factors(cutoff_hz[i], resonance[i], drive_db[i], scale)
    else:
        share[:], back[:], gain[:] = _factors(cutoff_hz[0], resonance[0], drive_db[0], scale)
    s1, s2, s3, s4 = state[S1], state[S2], state[S3], state[S4]
    for i in range(n):
        g, k = share[i], back[i]
        rest = 1.0 - g
        held = rest * fma(g, fma(g, fma(g, s1, s2), s3), s4)
        x = saturate((fma(audio[i], gain[i], BREATH) - k * held) / fma(k, g * g * (g * g), 1.0), KNEE)
        y1 = fma(g, x - s1, s1)
        y2 = fma(g, y1 - s2, s2)
        y3 = fma(g, y2 - s3, s3)
        y4 = fma(g, y3 - s4, s4)
        s1, s2, s3, s4 = fma(2.0, y1, -s1), fma(2.0, y2, -s2), fma(2.0, y3, -s3), fma(2.0, y4, -s4)
        out[i] = y4
    state[S1], state[S2], state[S3], state[S4] = s1, s2, s3, s4


@njit(error_model="numpy", forceinline=True)
def _factors(cutoff, resonance, drive, scale):  # type: ignore[no-untyped-def]
    """g / (1 + g) with g the tangent of half the cutoff's angle; feedback; gain."""
    up, down = tangent_parts(min(cutoff * scale, 0.97))
    return up / (up + down), 4.0 * resonance, db_to_gain(drive)


MODULE = ModuleSpec(
    id="ladder",
    name="Ladder",
    stage="shape",
    sentence="A steep low-pass with a rounded drive; at full resonance it sings in tune, with nothing at its input.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("cutoff_hz", "Cutoff", "hz", 10, 20000, 950, "Frequency above which the sound falls by 24 dB per octave.",
              taper="octaves", amount=1.5),
        Param("resonance", "Resonance", "ratio", 0, 1.1, 0.2, "From flat to a tone of its own at 100 %.", amount=0.3),
        Param("drive_db", "Drive", "db", -24, 36, 0, "Level at the input; high levels are rounded off.", amount=6.0),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=4,
    handle=("cutoff_hz", "resonance"),
    face="cutoff_hz",
    passes="audio",
    words=("low-pass", "24 dB", "four-pole", "self-oscillation", "bass", "kick"),
    sources=(
        "Stilson and Smith 1996 (four equal one-poles in a loop, feedback limit 4)",
        "Zavalishin 2018, The Art of VA Filter Design (zero-delay feedback)",
    ),
)  # fmt: skip
