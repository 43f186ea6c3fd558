"""Filter pair: two filters one after the other, side by side, or in a loop with a waveshaper."""

from __future__ import annotations

import math
from math import inf

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import db_to_gain, exp2, fma
from dunefall.dsp.saturation import saturate_rarely
from dunefall.dsp.svf import mean, svf_factors, svf_next

__all__ = ["MODULE"]

A1, A2, B1, B2, BACK, SIDE = range(6)
STATE = 2 * (SIDE - A1)
FACTORS_MOVE, DRIVE, RIGHT = 0b111100000, 0b100000000000, 0b10
SERIES, BESIDE, LOOP = range(3)
KINDS = ("low", "band", "high")
LOWEST_HZ, HIGHEST_HZ = 10.0, 20000.0
KNEE, CEILING = 0.5, 1.0
"""What comes back in the loop is bent above the one, what leaves it above the other."""
ROOT_2 = math.sqrt(2.0)


def kernel(
    audio: Row, audio_right: Row, routing: Row, first_kind: Row, second_kind: Row, cutoff_hz: Row, offset_st: Row,
    resonance: Row, second_resonance: Row, balance: Row, split: Row, drive_db: Row, feedback: Row, out: Row,
    out_right: Row, state: State, rate: Scalar, moving: Mask, wanted: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State, for each side: the integrators of both filters, what comes back in the loop.

    The loop leads the second filter's sound, driven and bent, back before the first one, a sample late.
    """
    n, scale = out.size, 2.0 / rate
    rows = (scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n], scratch[192 : 192 + n], scratch[256 : 256 + n],
            scratch[320 : 320 + n])  # fmt: skip
    _factors(rows[:3], cutoff_hz, offset_st, 0.0, resonance, scale, moving)
    _factors(rows[3:], cutoff_hz, offset_st, 1.0, second_resonance, scale, moving)
    gain, near, far = scratch[384 : 384 + n], scratch[448 : 448 + n], scratch[512 : 512 + n]
    if moving & DRIVE:
        for i in range(n):
            gain[i] = db_to_gain(drive_db[i])
    else:
        gain[:] = db_to_gain(drive_db[0])
    stereo = wanted & RIGHT
    for i in range(n):
        one, two, aside = min(1.0 - balance[i], 1.0), min(1.0 + balance[i], 1.0), split[i] if stereo else 0.0
        near[i], far[i] = one, (1.0 - aside) * two
        if routing[i] + 0.5 < BESIDE or routing[i] + 0.5 >= LOOP:
            near[i], far[i] = 0.5 * (1.0 - balance[i]), 0.5 * (1.0 + balance[i])
    _side(audio, out, near, far, routing, first_kind, second_kind, resonance, second_resonance, feedback, rows, gain,
          state[:SIDE])  # fmt: skip
    if not stereo:
        return
    for i in range(n):
        if BESIDE <= routing[i] + 0.5 < LOOP:
            near[i], far[i] = (1.0 - split[i]) * min(1.0 - balance[i], 1.0), min(1.0 + balance[i], 1.0)
    _side(audio_right, out_right, near, far, routing, first_kind, second_kind, resonance, second_resonance, feedback,
          rows, gain, state[SIDE:])  # fmt: skip


@njit(error_model="numpy")
def _side(
    audio: Row, out: Row, near: Row, far: Row, routing: Row, first_kind: Row, second_kind: Row, resonance: Row,
    second_resonance: Row, feedback: Row, rows: tuple[Row, Row, Row, Row, Row, Row], gain: Row, state: State,
) -> None:  # fmt: skip
    """One channel through both filters, of which ``near`` and ``far`` are the shares that are heard."""
    a1, a2, b1, b2, back = state[A1], state[A2], state[B1], state[B2], state[BACK]
    for i in range(out.size):
        way = int(routing[i] + 0.5)
        x = fma(back, feedback[i], audio[i]) if way == LOOP else audio[i]
        t1, t2 = svf_next(a1, a2, x, rows[0][i], rows[1][i], rows[2][i])
        first = _kind(first_kind[i], x, _damping(resonance[i]) * mean(a1, t1), mean(a2, t2))
        a1, a2 = t1, t2
        x = audio[i] if way == BESIDE else first
        t1, t2 = svf_next(b1, b2, x, rows[3][i], rows[4][i], rows[5][i])
        second = _kind(second_kind[i], x, _damping(second_resonance[i]) * mean(b1, t1), mean(b2, t2))
        b1, b2 = t1, t2
        back = saturate_rarely(gain[i] * second, KNEE)
        heard = fma(near[i], first, far[i] * second)
        out[i] = saturate_rarely(heard, CEILING) if way == LOOP else heard
    state[A1], state[A2], state[B1], state[B2], state[BACK] = a1, a2, b1, b2, back


@njit(error_model="numpy", forceinline=True)
def _factors(
    rows: tuple[Row, Row, Row], cutoff: Row, offset: Row, share: float, resonance: Row, scale: float, moving: Mask
) -> None:
    """Factors of one filter's recurrence; worked out once where nothing moves."""
    many = cutoff.size if moving & FACTORS_MOVE else 1
    for i in range(many):
        hz = min(max(cutoff[i] * exp2(share * offset[i] * (1.0 / 12.0)), LOWEST_HZ), HIGHEST_HZ)
        rows[0][i], rows[1][i], rows[2][i] = svf_factors(hz, _damping(resonance[i]), scale)
    for i in range(many, cutoff.size):
        rows[0][i], rows[1][i], rows[2][i] = rows[0][0], rows[1][0], rows[2][0]


@njit(error_model="numpy", forceinline=True)
def _kind(kind: float, x: float, band: float, low: float) -> float:
    """From low (0) over band to high (2)."""
    is_low, is_high = max(1.0 - kind, 0.0), max(kind - 1.0, 0.0)
    return fma(is_low, low, fma(1.0 - is_low - is_high, band, is_high * (x - band - low)))


@njit(error_model="numpy", forceinline=True)
def _damping(resonance: float) -> float:
    return fma(0.02 - ROOT_2, resonance, ROOT_2)


MODULE = ModuleSpec(
    id="filter-pair",
    name="Filter pair",
    stage="shape",
    sentence="Two filters in series, in parallel or in a growling feedback loop; the second keeps its "
             "distance from the first.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("routing", "Routing", "choice", 0, 2, 0, "How the two are connected.",
              ("in a row", "side by side", "in a loop")),
        Param("first_kind", "First", "choice", 0, 2, 2, "Response of the first filter.", KINDS, amount=0.5),
        Param("second_kind", "Second", "choice", 0, 2, 0, "Response of the second filter.", KINDS, amount=0.5),
        Param("cutoff_hz", "Cutoff", "hz", LOWEST_HZ, HIGHEST_HZ, 300, "Of the first filter.", taper="octaves",
              amount=1.5),
        Param("offset_st", "Distance", "st", -96, 96, 24, "Distance of the second cutoff above the first.",
              amount=7.0),
        Param("resonance", "Resonance", "ratio", 0, 1, 0.3, "Resonance of the first filter, from flat to ringing.",
              amount=0.3),
        Param("second_resonance", "Second resonance", "ratio", 0, 1, 0.3, "Of the second filter.", amount=0.3),
        Param("balance", "Balance", "ratio", -1, 1, 1, "Balance from the first filter to the second; in parallel, 0 "
              "is both.", amount=0.3),
        Param("split", "Split", "ratio", 0, 1, 0, "In parallel, how far the first is panned left and the second right.",
              amount=0.3),
        Param("drive_db", "Drive", "db", -24, 36, 6, "In the loop, drive of the waveshaper.", amount=6.0),
        Param("feedback", "Feedback", "ratio", -1, 1, 0.6, "In the loop, amount of feedback.", amount=0.2),
    ),
    outputs=(Output("out", "Sound", "audio", stereo=True, width="split"),),
    state=STATE,
    handle=("cutoff_hz", "resonance"),
    cycle=Cycle(memory_s=lambda g: inf if g.used("feedback") else 0.0),
    face="cutoff_hz",
    passes="audio",
    groups=(
        ("Between the two", ("second_resonance", "balance", "split")),
    ),
    words=("dual filter", "two filters", "band", "formant", "growl", "series", "parallel"),
    sources=("Zavalishin 2018, The Art of VA Filter Design (topology-preserving transform)",),
)  # fmt: skip
