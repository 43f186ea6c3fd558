"""Loudness of the last three seconds, sample by sample, as kernels work it out.

Source: ITU-R BS.1770-5 (K weighting by two biquads, mean square); its pieces are of 100 ms, as ``dsp.meter`` has them.
"""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Memory
from dunefall.dsp.maths import fma

__all__ = ["LOUDNESS_SIZE", "loudness_of"]

PIECES = 30
RATE, COEFFICIENTS, FILTERS, SUM, COUNT, AT, MEAN, BINS = 0, 1, 11, 19, 20, 21, 22, 23
LOUDNESS_SIZE = BINS + PIECES
SCALE = 0.8529037030705663
"""10 ** -0.0691: what BS.1770 takes off, as a factor of the power."""


@njit(error_model="numpy", forceinline=True)
def loudness_of(left: float, right: float, memory: Memory, first: int, rate: float) -> float:
    """Take a sample of both sides into account; power of the last 3 s, of which 10 log10 is the level in LUFS.

    ``memory`` from ``first`` on holds ``LOUDNESS_SIZE`` numbers, initially 0: the rate its filters are for, both
    biquads, what they hold for both sides, the power of the piece under way and its samples, the piece's number, the
    mean power, the power of each piece.

    Parameters
    ----------
    left : float
        Sample of the left channel.
    right : float
        Sample of the right channel.
    memory : ndarray [shape=(size,)]
        What is kept, see above.
    first : int
        Where its numbers begin.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    float
    """
    if memory[first + RATE] != rate:
        _set(memory, first, rate)
    for side in range(2):
        x = left if side == 0 else right
        for k in range(2):
            c, s = first + COEFFICIENTS + 5 * k, first + FILTERS + 4 * side + 2 * k
            y = fma(memory[c], x, memory[s])
            memory[s] = fma(memory[c + 1], x, fma(-memory[c + 3], y, memory[s + 1]))
            memory[s + 1] = fma(memory[c + 2], x, -memory[c + 4] * y)
            x = y
        memory[first + SUM] = fma(x, x, memory[first + SUM])
    memory[first + COUNT] += 1.0
    if memory[first + COUNT] >= 0.1 * rate:
        at = int(memory[first + AT])
        memory[first + BINS + at] = memory[first + SUM] / memory[first + COUNT]
        memory[first + AT] = at + 1.0 if at + 1 < PIECES else 0.0
        memory[first + SUM] = memory[first + COUNT] = 0.0
        total = 0.0
        for k in range(PIECES):
            total += memory[first + BINS + k]
        memory[first + MEAN] = total * (SCALE / PIECES)
    return memory[first + MEAN]


@njit(error_model="numpy")
def _set(memory: Memory, first: int, rate: float) -> None:
    """Both biquads, as ``dsp.meter.k_weighting`` has them."""
    k = math.tan(math.pi * 1681.974450955533 / rate)
    gain, q = 10 ** (3.999843853973347 / 20), 0.7071752369554196
    middle = gain**0.4996667741545416
    a0 = 1.0 + k / q + k * k
    c = first + COEFFICIENTS
    memory[c], memory[c + 1] = (gain + middle * k / q + k * k) / a0, 2.0 * (k * k - gain) / a0
    memory[c + 2], memory[c + 3] = (gain - middle * k / q + k * k) / a0, 2.0 * (k * k - 1.0) / a0
    memory[c + 4] = (1.0 - k / q + k * k) / a0
    k, q = math.tan(math.pi * 38.13547087602444 / rate), 0.5003270373238773
    a0 = 1.0 + k / q + k * k
    memory[c + 5], memory[c + 6], memory[c + 7] = 1.0, -2.0, 1.0
    memory[c + 8], memory[c + 9] = 2.0 * (k * k - 1.0) / a0, (1.0 - k / q + k * k) / a0
    memory[first + RATE] = rate
