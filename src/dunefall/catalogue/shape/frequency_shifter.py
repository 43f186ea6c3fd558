"""Frequency shifter: every partial moves by the same number of hertz."""

from __future__ import annotations

from math import inf

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma, ramp, ramp_by, sine
from dunefall.dsp.saturation import saturate_rarely

__all__ = ["MODULE"]

PHASE, BEFORE, BACK, NOW, THEN = 0, 1, 2, 3, 17
FIRST = (0.28063596711975064, 0.6844754606202745, 0.8903209527143627, 0.9650813697551651, 0.9896491071528902,
         0.9984971527128047)  # fmt: skip
SECOND = (0.08216106900500157, 0.502350634738475, 0.8108002018084715, 0.9376949118845965, 0.9807034939128814,
          0.9949624962718824)  # fmt: skip
"""Two rows of all-passes in steps of two samples: the first, a sample later, stays a quarter of a cycle behind the
second from 20 Hz to within 20 Hz of half the rate (at 48 kHz), within 0.05 degrees."""
SIX = len(FIRST)
PASSES_S = 0.2
"""Until the all-passes have fallen by 90 dB."""
SHIFT, FEEDBACK = 0b10, 0b100
KNEE = 1.0


def kernel(
    audio: Row, shift_hz: Row, feedback: Row, mix: Row, up: Row, down: Row, state: State, rate: Scalar, moving: Mask,
    scratch: Scratch,
) -> None:  # fmt: skip
    """State: phase of the shift, the first row's value of the sample before, what is fed back; then the values before
    each all-pass and after the last of both rows, one sample and two samples ago.

    The two rows make the sound and its partner a quarter of a cycle away; turned against a sine and a cosine of the
    shift, only the upper or only the lower side of the spectrum is left.
    """
    n, phase, before, back, per = up.size, state[PHASE], state[BEFORE], state[BACK], 1.0 / rate
    turn, ahead = scratch[:n], scratch[64 : 64 + n]
    phase = ramp_by(turn, phase, shift_hz, per) if moving & SHIFT else ramp(turn, phase, shift_hz[0] * per)
    for i in range(n):
        turn[i], ahead[i] = sine(turn[i]), sine(turn[i] + 0.25)
    reals, others = scratch[128 : 129 + n], scratch[256 : 256 + n]
    reals[0] = before
    if moving & FEEDBACK != 0 or feedback[0] != 0.0:
        _round(audio, feedback, back, turn, ahead, reals, others, state)
    else:
        _through(FIRST, audio, reals[1:], state, 0)
        _through(SECOND, audio, others, state, SIX + 1)
    state[PHASE], state[BEFORE], state[BACK] = (
        phase,
        reals[n],
        reals[n - 1] * ahead[n - 1] + others[n - 1] * turn[n - 1],
    )
    for i in range(n):
        a, b = reals[i] * ahead[i], others[i] * turn[i]
        up[i] = fma(a + b - audio[i], mix[i], audio[i])
        down[i] = fma(a - b - audio[i], mix[i], audio[i])


@njit(error_model="numpy", forceinline=True)
def _round(
    audio: Row, feedback: Row, back: float, turn: Row, ahead: Row, reals: Row, others: Row, state: State
) -> None:
    """Both rows of all-passes sample by sample, as the upper side comes back into them."""
    now, then = _values(state, NOW), _values(state, THEN)
    other_now, other_then = _values(state, NOW + SIX + 1), _values(state, THEN + SIX + 1)
    for i in range(audio.size):
        x = audio[i] + saturate_rarely(feedback[i] * back, KNEE)
        now, then = _row(FIRST, x, then), now
        other_now, other_then = _row(SECOND, x, other_then), other_now
        reals[i + 1], others[i] = now[SIX], other_now[SIX]
        back = reals[i] * ahead[i] + others[i] * turn[i]
    _keep(state, NOW, now)
    _keep(state, THEN, then)
    _keep(state, NOW + SIX + 1, other_now)
    _keep(state, THEN + SIX + 1, other_then)


@njit(error_model="numpy", forceinline=True)
def _through(
    factors: tuple[float, float, float, float, float, float], audio: Row, out: Row, state: State, at: int
) -> None:
    """A row of samples through one row of all-passes, two at a time, as each sample meets what was held two before."""
    n, now, then = audio.size, _values(state, NOW + at), _values(state, THEN + at)
    for i in range(0, n - 1, 2):
        then = _row(factors, audio[i], then)
        now = _row(factors, audio[i + 1], now)
        out[i], out[i + 1] = then[SIX], now[SIX]
    if n & 1:
        now, then = _row(factors, audio[n - 1], then), now
        out[n - 1] = now[SIX]
    _keep(state, NOW + at, now)
    _keep(state, THEN + at, then)


@njit(error_model="numpy", forceinline=True)
def _row(
    factors: tuple[float, float, float, float, float, float],
    x: float,
    then: tuple[float, float, float, float, float, float, float],
) -> tuple[float, float, float, float, float, float, float]:
    """A sample through a row of all-passes, of which the values two samples ago are given; the values now: before each,
    and after the last."""
    a = fma(factors[0], x, fma(factors[0], then[1], -then[0]))
    b = fma(factors[1], a, fma(factors[1], then[2], -then[1]))
    c = fma(factors[2], b, fma(factors[2], then[3], -then[2]))
    d = fma(factors[3], c, fma(factors[3], then[4], -then[3]))
    e = fma(factors[4], d, fma(factors[4], then[5], -then[4]))
    return x, a, b, c, d, e, fma(factors[5], e, fma(factors[5], then[6], -then[5]))


@njit(error_model="numpy", forceinline=True)
def _values(state: State, at: int) -> tuple[float, float, float, float, float, float, float]:
    return state[at], state[at + 1], state[at + 2], state[at + 3], state[at + 4], state[at + 5], state[at + 6]


@njit(error_model="numpy", forceinline=True)
def _keep(state: State, at: int, values: tuple[float, ...]) -> None:
    (
        state[at], state[at + 1], state[at + 2], state[at + 3], state[at + 4], state[at + 5], state[at + 6]
    ) = values  # fmt: skip


MODULE = ModuleSpec(
    id="frequency-shifter",
    name="Frequency shifter",
    stage="shape",
    sentence="Shifts all partials by the same number of hertz: harmonic sounds turn metallic, static chords "
             "begin to beat.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("shift_hz", "Shift", "shift", -5000, 5000, 3, "Hertz added to every partial.", amount=20.0),
        Param("feedback", "Feedback", "ratio", -0.95, 0.95, 0, "Feeds the shifted sound back in: spirals.", amount=0.3),
        Param("mix", "Mix", "ratio", 0, 1, 1, "Dry/wet: from the dry sound to the shifted one.", amount=0.3),
    ),
    outputs=(Output("up", "Up", "audio"), Output("down", "Down", "audio")),
    state=31,
    cycle=Cycle(free=lambda g: True, memory_s=lambda g: inf if g.used("feedback") else PASSES_S),
    face="shift_hz",
    passes="audio",
    shows="wave",
    words=("single sideband", "hilbert", "metallic", "inharmonic", "swirl", "barber"),
    sources=("single-sideband modulation by the phasing method (textbook)",
             "elliptic half-band all-pass pair; design after Ansari 1987 (from memory)"),
)  # fmt: skip
