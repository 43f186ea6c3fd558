"""Which note a sound has.

Source: de Cheveigne and Kawahara 2002, "YIN, a fundamental frequency estimator for speech and music" (from memory):
difference function, its cumulative mean, the first dip below a threshold, refined by a parabola.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["LOWEST_HZ", "fundamental_hz"]

LOWEST_HZ, HIGHEST_HZ = 25.0, 5000.0
THRESHOLD, QUIETEST = 0.15, 1e-4


def fundamental_hz(sound: NDArray[np.floating], rate: float) -> float | None:
    """Fundamental of the last stretch of a sound [shape=(n,)] at a rate in Hz; None where there is no pitch, or no
    sound. At least three periods of ``LOWEST_HZ`` are looked at, if there are so many samples.

    Parameters
    ----------
    sound : ndarray [shape=(n,)]
        Samples.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    float or None

    Examples
    --------
    >>> tone = np.sin(2 * np.pi * 220 * np.arange(9600) / 48000)
    >>> round(fundamental_hz(tone, 48000.0), 2)
    220.0
    """
    longest = int(rate / LOWEST_HZ)
    x = np.asarray(sound[-3 * longest :], np.float64)
    x = x - x.mean()
    window = len(x) - longest
    if window < longest // 2 or float(np.abs(x).max()) < QUIETEST:
        return None
    mean = _normalised_difference(x, window, longest)
    shortest = max(2, int(rate / HIGHEST_HZ))
    below = np.flatnonzero(mean[shortest:] < THRESHOLD)
    if not len(below):
        return None
    lag = shortest + int(below[0])
    while lag + 1 < len(mean) and mean[lag + 1] < mean[lag]:
        lag += 1
    return float(rate / _over_many_periods(mean, _refined(mean, lag)))


def _normalised_difference(x: NDArray[np.float64], window: int, longest: int) -> NDArray[np.float64]:
    """Mean squared difference to the sound so many samples later, against the mean over all smaller lags."""
    spectrum = np.fft.rfft(x) * np.conj(np.fft.rfft(x[:window], len(x)))
    products = np.fft.irfft(spectrum, len(x))[:longest]  # no lag reaches beyond the end, so that nothing comes round
    energy = np.concatenate([[0.0], np.cumsum(x * x)])
    later = energy[window : window + longest] - energy[:longest]
    difference = np.maximum(energy[window] + later - 2 * products, 0.0)
    total = np.cumsum(difference)
    lags = np.arange(longest)
    return np.where(total > 0, difference * lags / np.maximum(total, 1e-30), 1.0)


def _over_many_periods(mean: NDArray[np.float64], period: float) -> float:
    """The period, measured over as many as there are: a dip of twice as many periods tells it twice as finely."""
    count = 1
    while 2 * count * period < len(mean) - 2:
        near = round(2 * count * period)
        lag = near - 1 + int(np.argmin(mean[near - 1 : near + 2]))
        if mean[lag] > 2 * THRESHOLD:
            break
        count *= 2
        period = _refined(mean, lag) / count
    return period


def _refined(values: NDArray[np.float64], lag: int) -> float:
    """The lowest point of the parabola through a dip and its neighbours."""
    if not 0 < lag < len(values) - 1:
        return float(lag)
    a, b, c = values[lag - 1 : lag + 2]
    bend = a - 2 * b + c
    return lag + (max(-1.0, min(1.0, 0.5 * (a - c) / bend)) if bend > 0 else 0.0)
