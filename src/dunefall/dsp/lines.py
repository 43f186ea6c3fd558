"""Delay lines: reading a ring of past samples between them."""

from __future__ import annotations

import numpy as np
from numba import njit

from dunefall.base.arrays import Memory, Row
from dunefall.dsp.maths import fma
from dunefall.dsp.reading import get

__all__ = [
    "LONG",
    "NEAR",
    "cubic_weights",
    "lagrange_weights",
    "long_weights",
    "read_line",
    "read_long",
    "read_ring",
    "read_ring_run",
    "read_run",
    "write_run",
]

NEAR = 2
"""A delay that is longer than a row of samples by so many reads only what was written before the row."""


LONG = 8
"""Samples on either side of the place that ``long_weights`` weigh."""
_PHASES = 512


def _long_table() -> np.ndarray:
    """Windowed sinc (Kaiser, beta 8) for places between two samples: loses less than 0.002 dB up to a third of the
    rate."""
    places = np.arange(_PHASES + 1)[:, None] / _PHASES - np.arange(1 - LONG, LONG + 1)
    table = np.sinc(places) * np.i0(8.0 * np.sqrt(np.maximum(1.0 - (places / LONG) ** 2, 0.0)))
    return np.asarray(table / table.sum(axis=1, keepdims=True))


_LONG_TABLE = _long_table()


@njit(error_model="numpy", forceinline=True)
def long_weights(weights: Row, share: float) -> None:
    """Weights of ``2 * LONG`` samples, the newest first, for a place ``share`` [0, 1) of a sample older than the
    ``LONG``-th of them.

    Parameters
    ----------
    weights : ndarray [shape=(2 * LONG,)]
        Where they are written.
    share : float [0, 1)
        How much older.
    """
    at = share * _PHASES
    k = min(int(at), _PHASES - 1)
    for i in range(2 * LONG):
        weights[i] = fma(at - k, _LONG_TABLE[k + 1, i] - _LONG_TABLE[k, i], _LONG_TABLE[k, i])


@njit(error_model="numpy", forceinline=True)
def read_line(memory: Memory, write: int, delay: float) -> float:
    """The sound of ``delay`` samples before the place of writing, at least 2 and at most ``memory.size`` - 4, by
    third-order Lagrange interpolation (Laakso et al. 1996, Splitting the unit delay).

    Parameters
    ----------
    memory : ndarray [shape=(size,)]
        The delay line.
    write : int
        Where the next sample is written.
    delay : float
        Delay in samples.

    Returns
    -------
    float
    """
    delay = max(delay, 2.0)
    back = int(delay)
    f, at, size = delay - back, write - back, memory.size
    newer, here = get(memory, at + 1 if at >= -1 else at + 1 + size), get(memory, at if at >= 0 else at + size)
    older, oldest = get(memory, at - 1 if at >= 1 else at - 1 + size), get(memory, at - 2 if at >= 2 else at - 2 + size)
    return _between(f, newer, here, older, oldest)


@njit(error_model="numpy", forceinline=True)
def read_run(out: Row, memory: Memory, write: int, delay: float) -> None:
    """As ``read_line`` for a row of samples to come, ``delay`` being at least ``out.size + NEAR``.

    Parameters
    ----------
    out : ndarray [shape=(n,)]
        Where the samples are written.
    memory : ndarray [shape=(size,)]
        The delay line.
    write : int
        Where the next sample is written.
    delay : float
        Delay in samples.
    """
    n, size, back = out.size, memory.size, int(delay)
    f, first = delay - back, write - back - 2
    first = first if first >= 0 else first + size
    even = min(n, max(size - 3 - first, 0))
    run = memory[first : first + even + 3]
    for i in range(even):
        out[i] = _between(f, run[i + 3], run[i + 2], run[i + 1], run[i])
    for i in range(even, n):
        at = write + i
        out[i] = read_line(memory, at if at < size else at - size, delay)


@njit(error_model="numpy", forceinline=True)
def write_run(memory: Memory, write: int, row: Row) -> int:
    """Write a row of samples round the ring; gives the place after it.

    Parameters
    ----------
    memory : ndarray [shape=(size,)]
        The delay line.
    write : int
        Where the next sample is written.
    row : ndarray [shape=(n,)]
        One number for each sample.

    Returns
    -------
    int
    """
    first = min(row.size, memory.size - write)
    end = memory[write : write + first]
    for i in range(first):
        end[i] = row[i]
    for i in range(first, row.size):
        memory[i - first] = row[i]
    at = write + row.size
    return at if at < memory.size else at - memory.size


@njit(error_model="numpy", forceinline=True)
def _between(f: float, newer: float, here: float, older: float, oldest: float) -> float:
    a, b, c = f + 1.0, f - 1.0, f - 2.0
    return a * b * c * 0.5 * here - f * b * c / 6.0 * newer - a * f * c * 0.5 * older + a * f * b / 6.0 * oldest


@njit(error_model="numpy", forceinline=True)
def lagrange_weights(f: float) -> tuple[float, float, float, float]:
    """What ``read_line`` weighs the newer sample, the two around the place and the oldest by.

    Parameters
    ----------
    f : float [0, 1)
        How far behind the second of them the place is, in samples.

    Returns
    -------
    tuple of four floats
    """
    a, b, c = f + 1.0, f - 1.0, f - 2.0
    return -f * b * c / 6.0, a * b * c * 0.5, -a * f * c * 0.5, a * f * b / 6.0


@njit(error_model="numpy", forceinline=True)
def cubic_weights(f: float) -> tuple[float, float, float, float]:
    """Cubic through four samples (Catmull and Rom 1974): weights of the newer one, the two around the place and the
    older one."""
    return (
        f * fma(f, fma(-0.5, f, 1.0), -0.5),
        fma(f * f, fma(1.5, f, -2.5), 1.0),
        f * fma(f, fma(-1.5, f, 2.0), 0.5),
        f * f * fma(0.5, f, -0.5),
    )


@njit(error_model="numpy", forceinline=True)
def read_ring(memory: Row, first: int, size: int, write: int, delay: float) -> float:
    """The sound of ``delay`` samples ago, 1 to ``size`` - 4, in the ring of ``size`` numbers that begins at ``first``
    and is written next at ``write``; what the present sample has not written yet counts as its neighbour.

    Parameters
    ----------
    memory : ndarray [shape=(size,)]
        The delay line.
    first : int
        Where it begins.
    size : int
        Numbers in the ring.
    write : int
        Where the next sample is written.
    delay : float
        Delay in samples.

    Returns
    -------
    float
    """
    back = int(delay)
    at = write - back if write >= back else write - back + size
    here = get(memory, first + at)
    after = get(memory, first + (at + 1 if at + 1 < size else 0)) if back > 1 else here
    older = get(memory, first + (at - 1 if at >= 1 else at - 1 + size))
    oldest = get(memory, first + (at - 2 if at >= 2 else at - 2 + size))
    w_newer, w_here, w_older, w_oldest = cubic_weights(delay - back)
    return fma(w_oldest, oldest, fma(w_older, older, fma(w_newer, after, w_here * here)))


@njit(error_model="numpy", forceinline=True)
def read_ring_run(out: Row, memory: Row, first: int, size: int, write: int, delay: float) -> None:
    """As ``read_ring`` for a row of samples to come, with one delay of at least ``out.size + NEAR``.

    Parameters
    ----------
    out : ndarray [shape=(n,)]
        Where the samples are written.
    memory : ndarray
        The delay line.
    first : int
        Where it begins.
    size : int
        Numbers in the ring.
    write : int
        Where the next sample is written.
    delay : float
        Delay in samples.
    """
    back = int(delay)
    w_newer, w_here, w_older, w_oldest = cubic_weights(delay - back)
    at = write - back - 2 if write >= back + 2 else write - back - 2 + size
    even = min(out.size, max(size - 3 - at, 0))
    run = memory[first + at : first + at + even + 3]
    for i in range(even):
        out[i] = fma(w_oldest, run[i], fma(w_older, run[i + 1], fma(w_newer, run[i + 3], w_here * run[i + 2])))
    for i in range(even, out.size):
        here = write + i if write + i < size else write + i - size
        out[i] = read_ring(memory, first, size, here, delay)


@njit(error_model="numpy", forceinline=True)
def read_long(memory: Row, first: int, size: int, write: int, back: int, weights: Row) -> float:
    """As ``read_ring``, with the weights of ``long_weights`` about the sample ``back`` ago, which is at least ``LONG``
    and at most ``size - LONG - 1``.

    Parameters
    ----------
    memory : ndarray
        The delay line.
    first : int
        Where it begins.
    size : int
        Numbers in the ring.
    write : int
        Where the next sample is written.
    back : int
        Whole samples.
    weights : ndarray [shape=(2 * LONG,)]
        Of each sample, the newest first.

    Returns
    -------
    float
    """
    at = write - back + LONG - 1
    sound = 0.0
    for k in range(2 * LONG):
        place = at - k
        place = place + size if place < 0 else place - size if place >= size else place
        sound += weights[k] * get(memory, first + place)
    return sound
