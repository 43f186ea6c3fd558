"""Reading between the samples of a sound: a windowed sinc of eight zero crossings to each side.

Read faster than it was recorded, the sinc is widened, so that nothing above half the new rate is left (Smith 2002,
Digital audio resampling, https://ccrma.stanford.edu/~jos/resample/, from memory).
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from dunefall.base.arrays import Sound
from dunefall.dsp.maths import floor, fma

__all__ = ["FASTEST", "read_between"]

CROSSINGS, STEPS = 8, 128
BETA = 9.0
"""Of the Kaiser window: about -90 dB beside the pass band."""
SPEEDS = tuple(2.0 ** (band / 2) for band in range(7))
"""Up to which speed each width of the sinc serves."""
FASTEST = SPEEDS[-1]
TAPS = tuple(8 * math.ceil(2 * CROSSINGS * speed / 8) for speed in SPEEDS)
FIRST = tuple((STEPS + 1) * sum(TAPS[:band]) for band in range(len(TAPS)))


def _rows(speed: float, taps: int) -> NDArray[np.float64]:
    """For each fraction of a sample the weights of the samples around it."""
    away = (np.arange(taps) - taps // 2 + 1)[None, :] - np.linspace(0, 1, STEPS + 1)[:, None]
    window = np.i0(BETA * np.sqrt(np.maximum(1.0 - (away / speed / CROSSINGS) ** 2, 0.0))) / np.i0(BETA)
    return (np.sinc(away / speed) * window * (np.abs(away) < CROSSINGS * speed) / speed).ravel()


ROWS = np.concatenate([_rows(speed, taps) for speed, taps in zip(SPEEDS, TAPS, strict=True)])


@njit(error_model="numpy", forceinline=True)
def read_between(sound: Sound, first: int, frames: float, at: float, speed: float) -> float:
    """Value at a place ``at`` (in frames) of the row of ``frames`` that begins at ``first``; its ends go on.

    ``speed`` is the size of the steps in which it is read: what is above half the new rate is left out up to
    ``FASTEST``.

    Parameters
    ----------
    sound : ndarray
        Samples, channel after channel.
    first : int
        Where it begins.
    frames : float
        Length in frames.
    at : float
        Place in frames.
    speed : float
        Frames per sample.

    Returns
    -------
    float
    """
    band = 0
    while band < len(SPEEDS) - 1 and speed > SPEEDS[band]:
        band += 1
    taps = TAPS[band]
    whole = floor(at)
    part = (at - whole) * STEPS
    step = int(part)
    share, row, begin = part - step, FIRST[band] + taps * step, int(whole) - taps // 2 + 1
    low, high = ROWS[row : row + taps], ROWS[row + taps : row + 2 * taps]
    a = b = c = d = 0.0
    if begin >= 0 and begin + taps <= frames:
        here = sound[first + begin : first + begin + taps]
        for q in range(taps // 4):
            k = 4 * q
            a = fma(fma(share, high[k] - low[k], low[k]), here[k], a)
            b = fma(fma(share, high[k + 1] - low[k + 1], low[k + 1]), here[k + 1], b)
            c = fma(fma(share, high[k + 2] - low[k + 2], low[k + 2]), here[k + 2], c)
            d = fma(fma(share, high[k + 3] - low[k + 3], low[k + 3]), here[k + 3], d)
    else:
        for k in range(taps):
            here_k = first + min(max(begin + k, 0), frames - 1)
            a = fma(fma(share, high[k] - low[k], low[k]), sound[here_k], a)
    return (a + b) + (c + d)
