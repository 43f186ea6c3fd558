"""The output meter: peak, true peak and short-term loudness while sound runs.

Sources: ITU-R BS.1770-5 (K weighting, mean square, -0.691 dB); the filters are its two biquads redesigned for any rate
from their analogue prototypes, as Brecht De Man derived them (2014, "Evaluation of implementations of the EBU R128
loudness measurement"); true peaks: ``dsp.oversampling``.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from dunefall.base.arrays import Grid, Row, State
from dunefall.base.layouts import MOST_CHANNELS
from dunefall.dsp.cache import cached_njit
from dunefall.dsp.oversampling import HEADROOM, TAPS, between

__all__ = ["STATE_SIZE", "energies", "k_weighting", "measure", "piece_number", "short_term_lufs"]

BINS = 300
"""Short-term loudness is the mean of 300 pieces of 10 ms."""
_FILTER, _HISTORY = 0, 4 * MOST_CHANNELS
_AT = _HISTORY + 2 * TAPS * MOST_CHANNELS
_SUM = _AT + 1
_COUNT, _BIN, _ENERGY = _SUM + 1, _SUM + 2, _SUM + 3
STATE_SIZE = _ENERGY + BINS


def k_weighting(rate: float) -> NDArray[np.float64]:
    """Two biquads (b0 b1 b2 a1 a2), high shelf and high-pass, for a rate in Hz; shape (2, 5).

    Parameters
    ----------
    rate : float
        Sample rate in Hz.

    Returns
    -------
    ndarray
    """
    k = math.tan(math.pi * 1681.974450955533 / rate)
    gain, q = 10 ** (3.999843853973347 / 20), 0.7071752369554196
    middle = gain**0.4996667741545416
    a0 = 1 + k / q + k * k
    shelf = [(gain + middle * k / q + k * k) / a0, 2 * (k * k - gain) / a0, (gain - middle * k / q + k * k) / a0]
    shelf += [2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]
    k, q = math.tan(math.pi * 38.13547087602444 / rate), 0.5003270373238773
    a0 = 1 + k / q + k * k
    high = [1.0, -2.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]
    return np.array([shelf, high])


@cached_njit()
def measure(
    block: Grid, state: State, weights: Grid, phases: Grid, bin_samples: float, shares: Row, peaks: NDArray[np.float64]
) -> float:
    """Take a block of frames into account; returns its true peak, linear.

    Parameters
    ----------
    block : ndarray [shape=(n, channels)]
        The frames.
    state : ndarray [shape=(STATE_SIZE,)]
        Carried from call to call; initially 0.
    weights, phases : from ``k_weighting`` and ``oversampler``
        K-weighting filters.
    bin_samples : float
        Samples of 10 ms.
    shares : ndarray [shape=(used,)]
        What each channel counts in loudness (``Layout.weights``); channels beyond are not looked at.
    peaks : ndarray [shape=(used or more,)]
        Receives the highest sample of each channel, linear.

    Returns
    -------
    float
    """
    peaks[:] = 0.0
    for i in range(block.shape[0]):
        for c in range(shares.size):
            peaks[c] = max(peaks[c], abs(block[i, c]))
    true = 0.0
    for c in range(shares.size):
        true = max(true, peaks[c])
    recent, at = state[_HISTORY:_AT].reshape(MOST_CHANNELS, 2 * TAPS), int(state[_AT])
    near = TAPS  # samples for which one is in reach that may come with a higher peak than is known
    for i in range(block.shape[0]):
        near -= 1
        for c in range(shares.size):
            x = block[i, c]
            recent[c, at] = recent[c, at + TAPS] = x  # twice, so that the last ones stand in a row
            near = TAPS if abs(x) * HEADROOM > true else near
            for f in range(2):
                s = _FILTER + c * 4 + f * 2
                y = weights[f, 0] * x + state[s]
                state[s] = weights[f, 1] * x - weights[f, 3] * y + state[s + 1]
                state[s + 1] = weights[f, 2] * x - weights[f, 4] * y
                x = y
            state[_SUM] += shares[c] * x * x
        if near > 0:
            true = max(true, between(recent, at + 1, shares.size, phases, 0.0))
        at = at + 1 if at + 1 < TAPS else 0
        state[_COUNT] += 1.0
        if state[_COUNT] >= bin_samples:
            state[_ENERGY + int(state[_BIN])] = state[_SUM] / state[_COUNT]
            state[_BIN] = (state[_BIN] + 1.0) % BINS
            state[_SUM] = state[_COUNT] = 0.0
    state[_AT] = at
    for s in range(_HISTORY):
        if abs(state[s]) < 1e-200:
            state[s] = 0.0
    return true


def energies(state: NDArray[np.float64], since: int = -1) -> list[float]:
    """Energies of the pieces of 10 ms that were completed since the piece of this number; of the last one for -1.

    Parameters
    ----------
    state : ndarray
        What is carried from call to call; 0 at first.
    since : int
        How many have been taken.

    Returns
    -------
    list[float]
    """
    now = int(state[_BIN])
    count = 1 if since < 0 else (now - since) % BINS
    return [float(state[_ENERGY + (now - k) % BINS]) for k in range(count, 0, -1)]


def piece_number(state: NDArray[np.float64]) -> int:
    """Number, 0 to ``BINS`` - 1, of the piece of 10 ms that is under way."""
    return int(state[_BIN])


def short_term_lufs(state: NDArray[np.float64]) -> float:
    """Loudness of the last 3 s in LUFS, -inf for silence.

    Parameters
    ----------
    state : ndarray
        What is carried from call to call; 0 at first.

    Returns
    -------
    float
    """
    energy = float(state[_ENERGY : _ENERGY + BINS].mean())
    return -0.691 + 10 * math.log10(energy) if energy > 0 else -math.inf
