"""Ladder: a steep low-pass that sings by itself."""

from __future__ import annotations

from math import inf

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, lowest_hz, pole_s
from dunefall.dsp.halfband import FOUR_SIZE, quartered, risen_twice
from dunefall.dsp.maths import db_to_gain, fma, tangent_parts
from dunefall.dsp.saturation import saturate_rarely

__all__ = ["MODULE"]

S1, S2, S3, S4, SINGS, UP = range(6)
DOWN = UP + FOUR_SIZE
STATE = DOWN + FOUR_SIZE
MOVES, DRIVE, OPENS = 0b0110, 0b1000, 0b0100
BREATH = 1e-9
"""Comes in all the time, 180 dB down, so that a ladder that could sing has something to begin with."""
KNEE = 0.5
LIMIT, BEYOND = 0.98, 5.0
"""From here on the feedback rises faster, so that at 100 % it is safely above the 4 at which the ladder sings."""
SUNG = 0.5
"""What enters the first one-pole while it sings, roughly: where its own tone begins."""
HALF_ROOT = 0.7071067811865476


def kernel(
    audio: Row, cutoff_hz: Row, resonance: Row, drive_db: Row, out: Row, state: State, rate: Scalar, moving: Mask,
    scratch: Scratch,
) -> None:  # fmt: skip
    """State: the four integrators, whether it sings; the filters to four times the rate and back, at which the ladder
    runs, so that little of what its drive adds folds back.

    Four equal one-poles in a row with negative feedback, solved without a delay in the loop; what enters the first is
    bent above a level, which holds the ladder's own tone steady. What each one-pole gives is worked out from what
    enters the first and from what all hold, so that none waits for the one before it.
    """
    n, scale = out.size, 0.5 / rate
    share, back, whole, gain = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n], scratch[192 : 192 + n]
    if moving & DRIVE:
        for i in range(n):
            gain[i] = db_to_gain(drive_db[i])
    else:
        gain[:] = db_to_gain(drive_db[0])
    if moving & MOVES:
        for i in range(n):
            share[i], back[i], whole[i] = _factors(cutoff_hz[i], resonance[i], scale)
    else:
        share[:], back[:], whole[:] = _factors(cutoff_hz[0], resonance[0], scale)
    s1, s2, s3, s4 = state[S1], state[S2], state[S3], state[S4]
    sings = state[SINGS]
    for i in range(n):
        if i == 0 or moving & OPENS:
            sang, sings = sings, 1.0 if resonance[i] >= LIMIT else 0.0
            if sings > sang:
                s1, s2, s3, s4 = _begun(s1, s2, s3, s4, share[i])
        a, b, c, d = risen_twice(audio[i] * gain[i], state, UP)
        a, s1, s2, s3, s4 = _next(a, share[i], back[i], whole[i], s1, s2, s3, s4)
        b, s1, s2, s3, s4 = _next(b, share[i], back[i], whole[i], s1, s2, s3, s4)
        c, s1, s2, s3, s4 = _next(c, share[i], back[i], whole[i], s1, s2, s3, s4)
        d, s1, s2, s3, s4 = _next(d, share[i], back[i], whole[i], s1, s2, s3, s4)
        out[i] = quartered(a, b, c, d, state, DOWN)
    state[S1], state[S2], state[S3], state[S4], state[SINGS] = s1, s2, s3, s4, sings


@njit(error_model="numpy", forceinline=True)
def _next(
    sound: float, g: float, back: float, whole: float, s1: float, s2: float, s3: float, s4: float
) -> tuple[float, float, float, float, float]:
    """A sample of the ladder, and what its one-poles hold after it."""
    pushed = (sound + BREATH) * whole
    rest, g2 = 1.0 - g, g * g
    r1, r2, r3, r4 = rest * s1, rest * s2, rest * s3, rest * s4
    h2, h3 = fma(g, r1, r2), fma(g2, r1, fma(g, r2, r3))
    h4 = fma(g2, h2, fma(g, r3, r4))
    x = saturate_rarely(fma(-back, h4, pushed), KNEE)
    twice, twice_2 = g + g, g2 + g2
    return (
        fma(g2 * g2, x, h4), fma(twice, x, fma(2.0, r1, -s1)), fma(twice_2, x, fma(2.0, h2, -s2)),
        fma(twice_2 * g, x, fma(2.0, h3, -s3)), fma(twice_2 * g2, x, fma(2.0, h4, -s4)),
    )  # fmt: skip


@njit(error_model="numpy", forceinline=True)
def _begun(s1: float, s2: float, s3: float, s4: float, share: float) -> tuple[float, float, float, float]:
    """What the one-poles hold with the ladder's own tone added where it passes zero, as far as it is not there yet: at
    the cutoff each of them turns by 45 degrees and takes 3 dB."""
    g, tone = share / (1.0 - share), 0.25 * SUNG
    there = (s1 * s1 + s2 * s2 + s3 * s3 + s4 * s4) / (9.0 * tone * tone)
    tone *= max(1.0 - there, 0.0)
    return (
        fma(2.0 * tone, 1.0 + g, s1),
        fma(2.0 * tone, 1.0 + g, s2) - 2.0 * g * tone,
        fma(tone, 1.0 + g, s3) - 2.0 * g * tone,
        s4 - g * tone,
    )


@njit(error_model="numpy", forceinline=True)
def _factors(cutoff: float, resonance: float, scale: float) -> tuple[float, float, float]:
    """g / (1 + g) with g the tangent of half the cutoff's angle; feedback and the share of what enters, both over one
    and what goes round."""
    up, down = tangent_parts(min(cutoff * scale, 0.97))
    share, feedback = up / (up + down), 4.0 * resonance + BEYOND * max(resonance - LIMIT, 0.0)
    whole = 1.0 / fma(feedback, share * share * (share * share), 1.0)
    return share, feedback * whole, whole


def _sings(given: Given) -> bool:
    return given.values["resonance"] >= LIMIT or "resonance" in given.linked


def _remembers(given: Given) -> float:
    """Four poles on a circle around the cutoff; the slowest is the later at rest, the nearer it is to singing."""
    if _sings(given):
        return inf
    slowest = 1.0 - (4.0 * given.values["resonance"]) ** 0.25 * HALF_ROOT
    return 1.5 * pole_s(slowest * lowest_hz(given, "cutoff_hz"))


MODULE = ModuleSpec(
    id="ladder",
    name="Ladder",
    stage="shape",
    sentence="A steep low-pass with soft saturation; at full resonance it oscillates in tune without any input.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("cutoff_hz", "Cutoff", "hz", 10, 20000, 950, "Cutoff frequency; above it the level falls by 24 dB per "
              "octave.", taper="octaves", amount=1.5),
        Param("resonance", "Resonance", "ratio", 0, 1.1, 0.2, "From flat to self-oscillation at 100 %.", amount=0.3),
        Param("drive_db", "Drive", "db", -24, 36, 0, "Input level; high levels saturate.", amount=6.0),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=STATE,
    handle=("cutoff_hz", "resonance"),
    cycle=Cycle(free=_sings, memory_s=_remembers),
    face="cutoff_hz",
    passes="audio",
    words=("low-pass", "24 dB", "four-pole", "self-oscillation", "bass", "kick"),
    sources=(
        "Stilson and Smith 1996 (four equal one-poles in a loop, feedback limit 4)",
        "Zavalishin 2018, The Art of VA Filter Design (zero-delay feedback)",
    ),
)  # fmt: skip
