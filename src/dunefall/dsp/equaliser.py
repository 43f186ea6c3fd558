"""One band of an equaliser: a shelf or a bell, by a state-variable filter.

Source: Simper 2013 (the trapezoidal filter and how its outputs make shelves and bells); the responses are those of
Bristow-Johnson, Audio EQ Cookbook.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from dunefall.base.arrays import Row, Scratch, State
from dunefall.dsp.maths import db_to_gain, fma, tangent_parts
from dunefall.dsp.svf import mean, svf_next

__all__ = ["FLAT", "HIGH", "LOW", "MIDDLE", "band_levels_db", "run_band"]

LOW, MIDDLE, HIGH = range(3)
FLAT = 0.7071067811865476
"""The Q of a shelf without a bump."""


def band_levels_db(
    kind: int, hz: float, db: float, q: float, at_hz: NDArray[np.float64], rate: float
) -> NDArray[np.float64]:
    """What a band does at some frequencies, in dB: Audio EQ Cookbook's responses, warped as the filter warps them.

    Parameters
    ----------
    kind : int
        Low shelf, bell, bell or high shelf.
    hz : float
        Frequency in Hz.
    db : float
        Gain in dB.
    q : float
        Quality factor.
    at_hz : ndarray
        Frequencies in Hz.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    ndarray
    """
    root = 10 ** (db / 40)
    s = 1j * np.tan(np.pi * np.minimum(at_hz / rate, 0.485)) / math.tan(math.pi * min(hz / rate, 0.485))
    if kind == MIDDLE:
        response = (s * s + s * root / q + 1) / (s * s + s / (root * q) + 1)
    elif kind == LOW:
        bump = math.sqrt(root) / q * s
        response = root * (s * s + bump + root) / (root * s * s + bump + 1)
    else:
        bump = math.sqrt(root) / q * s
        response = root * (root * s * s + bump + 1) / (s * s + bump + root)
    return np.asarray(20 * np.log10(np.abs(response)))


@njit(error_model="numpy", forceinline=True)
def run_band(
    kind: float, audio: Row, hz: Row, db: Row, q: Row, out: Row, state: State, at: int, rate: float, moves: int,
    scratch: Scratch,
) -> None:  # fmt: skip
    """Send a row through a band of a kind; its two integrators are at a place of the state. ``out`` may be ``audio``;
    the first 384 numbers of ``scratch`` are lost. A band that rests at 0 dB costs nothing; at 0 dB its integrators are
    empty, whether it rests or moves.

    Parameters
    ----------
    kind : float
        Low shelf, bell, bell or high shelf.
    audio : ndarray [shape=(n,)]
        Samples that come in.
    hz : ndarray [shape=(n,)]
        Frequency in Hz.
    db : ndarray [shape=(n,)]
        Gain in dB.
    q : ndarray [shape=(n,)]
        Quality factor.
    out : ndarray [shape=(n,)]
        Where the samples are written.
    state : ndarray
        What is carried from call to call; 0 at first.
    at : int
        Where its state begins.
    rate : float
        Sample rate in Hz.
    moves : int
        Non-zero where the values change within the call.
    scratch : ndarray
        Room that holds nothing of use before or after.
    """
    n, scale = out.size, 2.0 / rate
    if moves == 0 and db[0] == 0.0:
        for i in range(n):
            out[i] = audio[i]
        state[at] = state[at + 1] = 0.0
        return
    s1, s2 = state[at], state[at + 1]
    if moves:
        take, cross, sink = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
        direct, band, low = scratch[192 : 192 + n], scratch[256 : 256 + n], scratch[320 : 320 + n]
        for i in range(n):
            take[i], cross[i], sink[i], direct[i], band[i], low[i] = _factors(kind, hz[i], db[i], q[i], scale)
        for i in range(n):
            t1, t2, out[i] = _sample(s1, s2, audio[i], take[i], cross[i], sink[i], direct[i], band[i], low[i])
            s1, s2 = (t1, t2) if db[i] != 0.0 else (0.0, 0.0)
    else:
        t, c, s, d, b, w = _factors(kind, hz[0], db[0], q[0], scale)
        for i in range(n):
            s1, s2, out[i] = _sample(s1, s2, audio[i], t, c, s, d, b, w)
    state[at], state[at + 1] = s1, s2


@njit(error_model="numpy", forceinline=True)
def _sample(
    s1: float, s2: float, x: float, take: float, cross: float, sink: float, direct: float, band: float, low: float
) -> tuple[float, float, float]:
    """The integrators a sample later, and what is heard."""
    t1, t2 = svf_next(s1, s2, x, take, cross, sink)
    return t1, t2, fma(direct, x, fma(band, mean(s1, t1), low * mean(s2, t2)))


@njit(error_model="numpy", forceinline=True)
def _factors(
    kind: float, hz: float, db: float, q: float, scale: float
) -> tuple[float, float, float, float, float, float]:
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
