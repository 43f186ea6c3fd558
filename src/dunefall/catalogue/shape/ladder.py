"""Ladder: a steep low-pass that sings by itself."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import db_to_gain, fma, saturate_rarely, tangent_parts

__all__ = ["MODULE"]

S1, S2, S3, S4 = range(4)
MOVES = 0b1110
BREATH = 1e-9
"""Comes in all the time, 180 dB down, so that a ladder that could sing has something to begin with."""
KNEE = 0.5


def kernel(audio, cutoff_hz, resonance, drive_db, out, state, rate, moving, scratch):  # type: ignore[no-untyped-def]
    """State: the four integrators.

    Four equal one-poles in a row with negative feedback, solved without a delay in the loop; what enters the first is
    bent above a level, which holds the ladder's own tone steady. What each one-pole gives is worked out from what
    enters the first and from what all hold, so that none waits for the one before it.
    """
    n, scale = out.size, 2.0 / rate
    share, back, whole, gain = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n], scratch[192 : 192 + n]
    if moving & MOVES:
        for i in range(n):
            share[i], back[i], whole[i], gain[i] = _factors(cutoff_hz[i], resonance[i], drive_db[i], scale)
    else:
        share[:], back[:], whole[:], gain[:] = _factors(cutoff_hz[0], resonance[0], drive_db[0], scale)
    s1, s2, s3, s4 = state[S1], state[S2], state[S3], state[S4]
    for i in range(n):
        g, pushed = share[i], fma(audio[i], gain[i], BREATH) * whole[i]
        rest, g2 = 1.0 - g, g * g
        h1, h2 = rest * s1, rest * fma(g, s1, s2)
        h3 = rest * fma(g2, s1, fma(g, s2, s3))
        h4 = rest * fma(g2 * g, s1, fma(g2, s2, fma(g, s3, s4)))
        x = saturate_rarely(fma(-back[i], h4, pushed), KNEE)
        y4 = fma(g2 * g2, x, h4)
        s1, s2 = fma(2.0, fma(g, x, h1), -s1), fma(2.0, fma(g2, x, h2), -s2)
        s3, s4 = fma(2.0, fma(g2 * g, x, h3), -s3), fma(2.0, y4, -s4)
        out[i] = y4
    state[S1], state[S2], state[S3], state[S4] = s1, s2, s3, s4


@njit(error_model="numpy", forceinline=True)
def _factors(cutoff, resonance, drive, scale):  # type: ignore[no-untyped-def]
    """g / (1 + g) with g the tangent of half the cutoff's angle; feedback and the share of what enters, both over one
    and what goes round; gain."""
    up, down = tangent_parts(min(cutoff * scale, 0.97))
    share, feedback = up / (up + down), 4.0 * resonance
    whole = 1.0 / fma(feedback, share * share * (share * share), 1.0)
    return share, feedback * whole, whole, db_to_gain(drive)


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
