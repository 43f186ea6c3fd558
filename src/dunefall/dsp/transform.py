"""The Fourier transform of two channels at once, for the work on long responses.

Both channels go through one transform, left as the real and right as the imaginary part (textbook). Its rounds go from
long rows to short ones; the last four, whose rows would be too short for vectors, go over columns: number 16 q + r is
at q of row r. It leaves its numbers in the order of their reversed bits, and everything is done in that order: from
number 2 on they come in groups of 2 h in which the first half belongs, mirrored, to the second. So row r belongs to row
15 - r, with the columns of each group mirrored, and the first of the two is kept; column 0, which holds the smallest
groups, is treated separately.

Sources: Cooley and Tukey 1965, An algorithm for the machine calculation of complex Fourier series; Gentleman and Sande
1966, Fast Fourier transforms: for fun and profit.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, uint64
from numpy.typing import NDArray

from dunefall.base.arrays import Row

__all__ = ["LARGEST", "back", "kept_bins", "room", "spectra_of", "turns"]

LARGEST = 16384
"""The longest transform; the shortest has 8 columns of 16 rows."""
ROWS, SPARE, NEAR = 16, 8, 1024
"""Rows in the end; how much farther apart they lie than they are long, so that they do not meet in the nearest cache;
so many numbers fit into it, real and imaginary."""
FIRSTS, SECONDS = (0, 1, 2, 4, 5, 8, 9, 10, 11), (0, 1, 3, 7, 6, 15, 14, 13, 12)
"""Rows of column 0: those that are kept, and those that belong to them."""
MIRRORED, MIRRORED_COLUMNS = (0, 1, 3, 2, 7, 6, 5, 4), 8
"""Of the first columns, those that belong to them."""
_COSINES = tuple(tuple(math.cos(k * r * math.pi / 8) for k in (1, 2, 3)) for r in range(4))
_SINES = tuple(tuple(math.sin(k * r * math.pi / 8) for k in (1, 2, 3)) for r in range(4))


def _smallest() -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Of the smallest size, whose rows have 8 columns: places among the rows of what is kept, in its order, and of what
    belongs to it."""
    pitch = MIRRORED_COLUMNS + SPARE
    kept = np.add.outer(pitch * np.arange(ROWS // 2), np.arange(MIRRORED_COLUMNS))
    others = np.add.outer(pitch * np.arange(ROWS - 1, ROWS // 2 - 1, -1), MIRRORED)
    kept[:, 0], others[:, 0] = pitch * np.array(FIRSTS[:-1]), pitch * np.array(SECONDS[:-1])
    return np.append(kept, pitch * FIRSTS[-1]), np.append(others, pitch * SECONDS[-1])


_KEPT, _OTHERS = _smallest()


@njit(error_model="numpy")
def room(size: int) -> int:
    """Numbers that ``spectra_of`` and ``back`` work in, for a transform of so many."""
    return 4 * size + 2 * ROWS * SPARE


def turns() -> NDArray[np.float64]:
    """Cosines, then sines, of what a transform turns by: for each power of two h below ``LARGEST``, h even steps of
    half a turn from place h on."""
    angles, half = np.zeros(LARGEST), 1
    while half < LARGEST:
        angles[half : 2 * half] = np.arange(half) * (np.pi / half)
        half *= 2
    return np.concatenate([np.cos(angles), np.sin(angles)])


def kept_bins(size: int) -> NDArray[np.int64]:
    """Which bins of a spectrum of this length are kept, in storage order.

    Parameters
    ----------
    size : int
        Numbers in the transform.

    Returns
    -------
    NDArray[np.int64]
    """
    reversed_bits: NDArray[np.int64] = np.zeros(1, np.int64)
    while len(reversed_bits) < size:
        reversed_bits = np.concatenate([2 * reversed_bits, 2 * reversed_bits + 1])
    numbers = np.arange(ROWS // 2)[:, np.newaxis] + ROWS * np.arange(size // ROWS)
    numbers[:, 0] = FIRSTS[:-1]
    kept: NDArray[np.int64] = reversed_bits[np.append(numbers.ravel(), FIRSTS[-1])]
    return kept


@njit(error_model="numpy", fastmath={"contract"})
def _halve(a_re: Row, a_im: Row, b_re: Row, b_im: Row, cosines: Row, sines: Row) -> None:
    """A round of the transform forwards."""
    for k in range(a_re.size):
        x, y, c, s = a_re[k] - b_re[k], a_im[k] - b_im[k], cosines[k], sines[k]
        a_re[k], a_im[k] = a_re[k] + b_re[k], a_im[k] + b_im[k]
        b_re[k], b_im[k] = x * c + y * s, y * c - x * s


@njit(error_model="numpy", fastmath={"contract"})
def _join(a_re: Row, a_im: Row, b_re: Row, b_im: Row, cosines: Row, sines: Row) -> None:
    """A round of the transform back."""
    for k in range(a_re.size):
        c, s = cosines[k], sines[k]
        x, y = b_re[k] * c - b_im[k] * s, b_re[k] * s + b_im[k] * c
        b_re[k], b_im[k] = a_re[k] - x, a_im[k] - y
        a_re[k], a_im[k] = a_re[k] + x, a_im[k] + y


@njit(error_model="numpy", fastmath={"contract"})
def _halves(re: Row, im: Row, half: int, last: int, table: Row) -> None:
    """Rounds forwards, from rows of ``half`` to rows of ``last`` numbers."""
    while half >= last:
        cosines, sines = table[half : 2 * half], table[LARGEST + half : LARGEST + 2 * half]
        for first in range(0, re.size, 2 * half):
            _halve(re[first : first + half], im[first : first + half], re[first + half : first + 2 * half],
                   im[first + half : first + 2 * half], cosines, sines)  # fmt: skip
        half //= 2


@njit(error_model="numpy", fastmath={"contract"})
def _joins(re: Row, im: Row, half: int, last: int, table: Row) -> None:
    """Rounds back, from rows of ``half`` to rows of ``last`` numbers."""
    while half <= last:
        cosines, sines = table[half : 2 * half], table[LARGEST + half : LARGEST + 2 * half]
        for first in range(0, re.size, 2 * half):
            _join(re[first : first + half], im[first : first + half], re[first + half : first + 2 * half],
                  im[first + half : first + 2 * half], cosines, sines)  # fmt: skip
        half *= 2


@njit(error_model="numpy", fastmath={"contract"})
def _halve_twice(re: Row, im: Row, table: Row) -> None:
    """The rounds forwards of rows of 32 and of 16 numbers."""
    c, s = table[2 * ROWS : 3 * ROWS], table[LARGEST + 2 * ROWS : LARGEST + 3 * ROWS]
    c2, s2 = table[ROWS : 2 * ROWS], table[LARGEST + ROWS : LARGEST + 2 * ROWS]
    for first in range(0, re.size, 4 * ROWS):
        x, y = re[first : first + 4 * ROWS], im[first : first + 4 * ROWS]
        for k in range(ROWS):
            p0, p1, d0, d1 = x[k] + x[k + 32], x[k + 16] + x[k + 48], x[k] - x[k + 32], x[k + 16] - x[k + 48]
            u0, u1, v0, v1 = y[k] + y[k + 32], y[k + 16] + y[k + 48], y[k] - y[k + 32], y[k + 16] - y[k + 48]
            c3, s3 = c[k] * c2[k] - s[k] * s2[k], c[k] * s2[k] + s[k] * c2[k]
            x[k], y[k] = p0 + p1, u0 + u1
            a, b = p0 - p1, u0 - u1
            x[k + 16], y[k + 16] = a * c2[k] + b * s2[k], b * c2[k] - a * s2[k]
            a, b = d0 + v1, v0 - d1
            x[k + 32], y[k + 32] = a * c[k] + b * s[k], b * c[k] - a * s[k]
            a, b = d0 - v1, v0 + d1
            x[k + 48], y[k + 48] = a * c3 + b * s3, b * c3 - a * s3


@njit(error_model="numpy", fastmath={"contract"})
def _join_twice(re: Row, im: Row, table: Row) -> None:
    """The rounds back of rows of 16 and of 32 numbers."""
    c, s = table[2 * ROWS : 3 * ROWS], table[LARGEST + 2 * ROWS : LARGEST + 3 * ROWS]
    c2, s2 = table[ROWS : 2 * ROWS], table[LARGEST + ROWS : LARGEST + 2 * ROWS]
    for first in range(0, re.size, 4 * ROWS):
        x, y = re[first : first + 4 * ROWS], im[first : first + 4 * ROWS]
        for k in range(ROWS):
            c3, s3 = c[k] * c2[k] - s[k] * s2[k], c[k] * s2[k] + s[k] * c2[k]
            a, b = x[k + 16] * c2[k] - y[k + 16] * s2[k], x[k + 16] * s2[k] + y[k + 16] * c2[k]
            p0, p1, u0, u1 = x[k] + a, x[k] - a, y[k] + b, y[k] - b
            a, b = x[k + 32] * c[k] - y[k + 32] * s[k], x[k + 32] * s[k] + y[k + 32] * c[k]
            e, f = x[k + 48] * c3 - y[k + 48] * s3, x[k + 48] * s3 + y[k + 48] * c3
            x[k], x[k + 32], x[k + 16], x[k + 48] = p0 + a + e, p0 - a - e, p1 - b + f, p1 + b - f
            y[k], y[k + 32], y[k + 16], y[k + 48] = u0 + b + f, u0 - b - f, u1 + a - e, u1 - a + e


@njit(error_model="numpy", fastmath={"contract"})
def _to_rows(numbers: Row, rows: Row) -> None:
    """Number 16 q + r goes to q of row r."""
    columns, to = numbers.reshape(numbers.size // ROWS, ROWS), rows.reshape(ROWS, rows.size // ROWS)
    for q in range(numbers.size // ROWS):
        for r in range(ROWS):
            to[r, q] = columns[q, r]


@njit(error_model="numpy", fastmath={"contract"})
def _from_rows(rows: Row, numbers: Row) -> None:
    """Inverse of ``_to_rows``."""
    columns, come = numbers.reshape(numbers.size // ROWS, ROWS), rows.reshape(ROWS, rows.size // ROWS)
    for q in range(numbers.size // ROWS):
        for r in range(ROWS):
            columns[q, r] = come[r, q]


@njit(error_model="numpy", fastmath={"contract"})
def _halve_rows(re: Row, im: Row, m: int) -> None:
    """The last four rounds forwards, two at a time, over the first m columns of the rows."""
    rows, more = re.reshape(ROWS, re.size // ROWS), im.reshape(ROWS, im.size // ROWS)
    for r in range(4):
        (c, c2, c3), (s, s2, s3) = _COSINES[r], _SINES[r]
        x0, x1, x2, x3 = rows[r], rows[r + 4], rows[r + 8], rows[r + 12]
        y0, y1, y2, y3 = more[r], more[r + 4], more[r + 8], more[r + 12]
        for q in range(m):
            p0, p1, d0, d1 = x0[q] + x2[q], x1[q] + x3[q], x0[q] - x2[q], x1[q] - x3[q]
            u0, u1, v0, v1 = y0[q] + y2[q], y1[q] + y3[q], y0[q] - y2[q], y1[q] - y3[q]
            x0[q], y0[q] = p0 + p1, u0 + u1
            a, b = p0 - p1, u0 - u1
            x1[q], y1[q] = a * c2 + b * s2, b * c2 - a * s2
            a, b = d0 + v1, v0 - d1
            x2[q], y2[q] = a * c + b * s, b * c - a * s
            a, b = d0 - v1, v0 + d1
            x3[q], y3[q] = a * c3 + b * s3, b * c3 - a * s3
    for r in range(0, ROWS, 4):
        x0, x1, x2, x3 = rows[r], rows[r + 1], rows[r + 2], rows[r + 3]
        y0, y1, y2, y3 = more[r], more[r + 1], more[r + 2], more[r + 3]
        for q in range(m):
            p0, p1, d0, d1 = x0[q] + x2[q], x1[q] + x3[q], x0[q] - x2[q], x1[q] - x3[q]
            u0, u1, v0, v1 = y0[q] + y2[q], y1[q] + y3[q], y0[q] - y2[q], y1[q] - y3[q]
            x0[q], x1[q], x2[q], x3[q] = p0 + p1, p0 - p1, d0 + v1, d0 - v1
            y0[q], y1[q], y2[q], y3[q] = u0 + u1, u0 - u1, v0 - d1, v0 + d1


@njit(error_model="numpy", fastmath={"contract"})
def _join_rows(re: Row, im: Row, m: int) -> None:
    """Inverse of ``_halve_rows``, not divided."""
    rows, more = re.reshape(ROWS, re.size // ROWS), im.reshape(ROWS, im.size // ROWS)
    for r in range(0, ROWS, 4):
        x0, x1, x2, x3 = rows[r], rows[r + 1], rows[r + 2], rows[r + 3]
        y0, y1, y2, y3 = more[r], more[r + 1], more[r + 2], more[r + 3]
        for q in range(m):
            p0, p1, d0, d1 = x0[q] + x1[q], x0[q] - x1[q], x2[q] + x3[q], x2[q] - x3[q]
            u0, u1, v0, v1 = y0[q] + y1[q], y0[q] - y1[q], y2[q] + y3[q], y2[q] - y3[q]
            x0[q], x1[q], x2[q], x3[q] = p0 + d0, p1 - v1, p0 - d0, p1 + v1
            y0[q], y1[q], y2[q], y3[q] = u0 + v0, u1 + d1, u0 - v0, u1 - d1
    for r in range(4):
        (c, c2, c3), (s, s2, s3) = _COSINES[r], _SINES[r]
        x0, x1, x2, x3 = rows[r], rows[r + 4], rows[r + 8], rows[r + 12]
        y0, y1, y2, y3 = more[r], more[r + 4], more[r + 8], more[r + 12]
        for q in range(m):
            a, b = x1[q] * c2 - y1[q] * s2, x1[q] * s2 + y1[q] * c2
            p0, p1, u0, u1 = x0[q] + a, x0[q] - a, y0[q] + b, y0[q] - b
            a, b = x2[q] * c - y2[q] * s, x2[q] * s + y2[q] * c
            e, f = x3[q] * c3 - y3[q] * s3, x3[q] * s3 + y3[q] * c3
            x0[q], x1[q], x2[q], x3[q] = p0 + a + e, p1 - b + f, p0 - a - e, p1 + b - f
            y0[q], y1[q], y2[q], y3[q] = u0 + b + f, u1 + a - e, u0 - b - f, u1 - a + e


@njit(error_model="numpy", fastmath={"contract"})
def _part(a_re: Row, a_im: Row, b_re: Row, b_im: Row, left_re: Row, left_im: Row, right_re: Row, right_im: Row) -> None:
    """What is kept of both channels' spectra in a row, from it and the row that belongs to it, but for column 0.

    Indices that cannot be negative, as their type says, are read in vectors, also backwards.
    """
    for q in range(1, 8):
        k = MIRRORED[q]
        left_re[q], left_im[q] = 0.5 * (a_re[q] + b_re[k]), 0.5 * (a_im[q] - b_im[k])
        right_re[q], right_im[q] = 0.5 * (a_im[q] + b_im[k]), 0.5 * (b_re[k] - a_re[q])
    group = uint64(8)
    while group < uint64(a_re.size):
        last = group + group - uint64(1)
        for k in range(group):  # type: ignore[assignment]
            at, m = group + k, last - k
            left_re[at], left_im[at] = 0.5 * (a_re[at] + b_re[m]), 0.5 * (a_im[at] - b_im[m])
        for k in range(group):  # type: ignore[assignment]
            at, m = group + k, last - k
            right_re[at], right_im[at] = 0.5 * (a_im[at] + b_im[m]), 0.5 * (b_re[m] - a_re[at])
        group += group


@njit(error_model="numpy", fastmath={"contract"})
def _unite(
    a_re: Row, a_im: Row, b_re: Row, b_im: Row, left_re: Row, left_im: Row, right_re: Row, right_im: Row
) -> None:
    """Inverse of ``_part``."""
    for q in range(1, 8):
        k = MIRRORED[q]
        a_re[q], a_im[q] = left_re[q] - right_im[q], left_im[q] + right_re[q]
        b_re[k], b_im[k] = left_re[q] + right_im[q], right_re[q] - left_im[q]
    group = uint64(8)
    while group < uint64(a_re.size):
        last = group + group - uint64(1)
        for k in range(group):  # type: ignore[assignment]
            at = group + k
            a_re[at], a_im[at] = left_re[at] - right_im[at], left_im[at] + right_re[at]
        for k in range(group):  # type: ignore[assignment]
            at, m = group + k, last - k
            b_re[at], b_im[at] = left_re[m] + right_im[m], right_re[m] - left_im[m]
        group += group


@njit(error_model="numpy", fastmath={"contract"}, forceinline=True)
def _part_one(re: Row, im: Row, i: int, k: int, left: Row, right: Row, at: int) -> None:
    """One bin of both channels, from its place in the rows and the one that belongs to it."""
    wide = left.size // 2
    left[at], left[wide + at] = 0.5 * (re[i] + re[k]), 0.5 * (im[i] - im[k])
    right[at], right[wide + at] = 0.5 * (im[i] + im[k]), 0.5 * (re[k] - re[i])


@njit(error_model="numpy", fastmath={"contract"}, forceinline=True)
def _unite_one(re: Row, im: Row, i: int, k: int, left: Row, right: Row, at: int) -> None:
    """Inverse of ``_part_one``; where a bin belongs to itself, what it is as the first of the two holds."""
    wide = left.size // 2
    re[k], im[k] = left[at] + right[wide + at], right[at] - left[wide + at]
    re[i], im[i] = left[at] - right[wide + at], left[wide + at] + right[at]


@njit(error_model="numpy", fastmath={"contract"})
def spectra_of(work: Row, left: Row, right: Row, table: Row) -> None:
    """Spectra of both channels (Gentleman and Sande 1966). ``work`` holds left and right, which are lost, and room for
    their rows; ``left`` and ``right`` receive what is kept, real parts before imaginary ones.

    Parameters
    ----------
    work : ndarray
        Room to work in; see `room`.
    left : ndarray
        Where the left spectrum goes.
    right : ndarray
        Where the right spectrum goes.
    table : ndarray
        Sines and cosines; see `turns`.
    """
    n = left.size - 2
    re, im, m, p, wide = work[:n], work[n : 2 * n], n // ROWS, n // ROWS + SPARE, n // 2 + 1
    rows_re, rows_im = work[2 * n : 2 * n + ROWS * p], work[2 * n + ROWS * p :]
    near = min(n, NEAR)
    _halves(re, im, n // 2, near, table)
    for first in range(0, n, near):
        _halves(re[first : first + near], im[first : first + near], near // 2, 4 * ROWS, table)
        _halve_twice(re[first : first + near], im[first : first + near], table)
    _to_rows(re, rows_re)
    _to_rows(im, rows_im)
    _halve_rows(rows_re, rows_im, m)
    if m == MIRRORED_COLUMNS:
        for at in range(wide):
            _part_one(rows_re, rows_im, _KEPT[at], _OTHERS[at], left, right, at)
    else:
        for r in range(ROWS // 2):
            a, b = slice(r * p, r * p + m), slice((ROWS - 1 - r) * p, (ROWS - 1 - r) * p + m)
            to, too = slice(r * m, (r + 1) * m), slice(wide + r * m, wide + (r + 1) * m)
            _part(rows_re[a], rows_im[a], rows_re[b], rows_im[b], left[to], left[too], right[to], right[too])
        for place in range(len(FIRSTS)):
            _part_one(rows_re, rows_im, FIRSTS[place] * p, SECONDS[place] * p, left, right, place * m)


@njit(error_model="numpy", fastmath={"contract"})
def back(left: Row, right: Row, work: Row, table: Row) -> None:
    """Inverse of ``spectra_of``, not divided (Cooley and Tukey 1965): to the beginning of ``work``.

    Parameters
    ----------
    left : ndarray
        The left spectrum.
    right : ndarray
        The right spectrum.
    work : ndarray
        Room to work in; see `room`.
    table : ndarray
        Sines and cosines; see `turns`.
    """
    n = left.size - 2
    re, im, m, p, wide = work[:n], work[n : 2 * n], n // ROWS, n // ROWS + SPARE, n // 2 + 1
    rows_re, rows_im = work[2 * n : 2 * n + ROWS * p], work[2 * n + ROWS * p :]
    if m == MIRRORED_COLUMNS:
        for at in range(wide):
            _unite_one(rows_re, rows_im, _KEPT[at], _OTHERS[at], left, right, at)
    else:
        for r in range(ROWS // 2):
            a, b = slice(r * p, r * p + m), slice((ROWS - 1 - r) * p, (ROWS - 1 - r) * p + m)
            to, too = slice(r * m, (r + 1) * m), slice(wide + r * m, wide + (r + 1) * m)
            _unite(rows_re[a], rows_im[a], rows_re[b], rows_im[b], left[to], left[too], right[to], right[too])
        for place in range(len(FIRSTS)):
            _unite_one(rows_re, rows_im, FIRSTS[place] * p, SECONDS[place] * p, left, right, place * m)
    _join_rows(rows_re, rows_im, m)
    _from_rows(rows_re, re)
    _from_rows(rows_im, im)
    near = min(n, NEAR)
    for first in range(0, n, near):
        _join_twice(re[first : first + near], im[first : first + near], table)
        _joins(re[first : first + near], im[first : first + near], 4 * ROWS, near // 2, table)
    _joins(re, im, near, n // 2, table)
