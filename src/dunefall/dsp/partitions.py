"""Convolution with long responses: the first samples at once, the rest in blocks of three sizes by their spectra.

Method: partitioned convolution (Gardner 1995, Efficient convolution without input-output delay). The first 64 numbers
of a response are taken sample by sample; what follows in blocks of 64, then of 1,024, then of 8,192 numbers. The larger
blocks have a whole block's time, so their work is spread evenly over the quantums.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from dunefall.base.arrays import Memory, Row
from dunefall.dsp.transform import LARGEST, back, kept_bins, room, spectra_of, turns

__all__ = ["DIRECT", "convolve", "end_quantum", "memory_numbers", "prepared_response"]

DIRECT = 64
BLOCKS, BEGINS = (64, 1024, 8192), (64, 2048, 16384)
HEADER, TABLE = 8, 2 * LARGEST
"""Numbers before the channels: how many blocks of each size there are; what ``turns`` makes."""


def block_counts(length: int) -> tuple[int, ...]:
    """How many blocks of each size a response of so many numbers takes."""
    ends = (*BEGINS[1:], max(length, BEGINS[-1]))
    return tuple(
        max(0, math.ceil((min(length, end) - begin) / block))
        for begin, end, block in zip(BEGINS, ends, BLOCKS, strict=True)
    )


@njit(error_model="numpy")
def _work_numbers(block: int) -> int:
    """Of a size of blocks: what it needs beside spectra and sums."""
    return 6 * block + room(2 * block)


def _level_numbers(block: int, count: int) -> int:
    """Of a size of blocks: for both channels what came in and what goes out, the transform, sums and spectra."""
    return int(_work_numbers(block)) + (count + 1) * 4 * (block + 1)


def memory_numbers(length: int) -> int:
    """Numbers that both channels need for a response of this length.

    Parameters
    ----------
    length : int
        Samples of the response.

    Returns
    -------
    int
    """
    counts = block_counts(length)
    return 4 * DIRECT + sum(_level_numbers(block, count) for block, count in zip(BLOCKS, counts, strict=True))


def prepared_response(response: NDArray[np.float64]) -> NDArray[np.float64]:
    """A response [shape=(2, n)] as the kernel reads it: counts, cosines and sines of the largest block, the first
    numbers of both channels, then for each size and block the spectra of both, real parts before imaginary ones,
    divided by the size of the transform.

    Parameters
    ----------
    response : ndarray [shape=(2, n)]
        Both channels.

    Returns
    -------
    ndarray
    """
    counts = block_counts(response.shape[1])
    head = np.array([*counts, *[0.0] * (HEADER - len(counts))])
    padded = np.concatenate([response, np.zeros((2, BEGINS[-1] + BLOCKS[-1] * (counts[2] + 1)))], axis=1)
    parts: list[NDArray[np.float64]] = [head, turns(), padded[0, :DIRECT], padded[1, :DIRECT]]
    for begin, block, count in zip(BEGINS, BLOCKS, counts, strict=True):
        kept = kept_bins(2 * block)
        for k in range(count):
            for row in padded:
                spectrum = np.fft.fft(row[begin + k * block : begin + (k + 1) * block], 2 * block)[kept] / (2 * block)
                parts += [spectrum.real, spectrum.imag]
    return np.concatenate(parts)


@njit(error_model="numpy", fastmath={"contract"})
def _sizes(response: Row, level: int) -> tuple[int, int]:
    """Of a size of blocks: its numbers in the memory and in the response."""
    block, count = BLOCKS[level], int(response[level])
    return _work_numbers(block) + (count + 1) * 4 * (block + 1), count * 4 * (block + 1)


@njit(error_model="numpy", fastmath={"contract"})
def convolve(audio: Row, out: Row, memory: Memory, response: Row, channel: int, quantum: float, start: int) -> None:
    """Convolve the next samples of a channel, within the quantum of this number, from its sample ``start`` on.

    Parameters
    ----------
    audio : ndarray [shape=(n,)]
        Samples that come in.
    out : ndarray [shape=(n,)]
        Where the samples are written.
    memory : ndarray
        As many numbers as `memory_numbers` says.
    response : ndarray
        The prepared response.
    channel : int
        0 left, 1 right.
    quantum : float
        Number of the quantum.
    start : int
        First sample within the quantum.
    """
    n = out.size
    past = memory[2 * DIRECT * channel : 2 * DIRECT * (channel + 1)]
    first = response[HEADER + TABLE + DIRECT * channel : HEADER + TABLE + DIRECT * (channel + 1)]
    for i in range(n):
        past[DIRECT + start + i] = audio[i]
        out[i] = 0.0
    for j in range(0, DIRECT, 4):
        then = past[DIRECT + start - j - 3 : DIRECT + start - j + n]
        a, b, c, d = first[j], first[j + 1], first[j + 2], first[j + 3]
        for i in range(n):
            out[i] += a * then[i + 3] + b * then[i + 2] + c * then[i + 1] + d * then[i]
    at = 4 * DIRECT
    for level in range(len(BLOCKS)):
        block = BLOCKS[level]
        here = DIRECT * (quantum % (block // DIRECT)) + start
        taken, ready = memory[at + (2 * channel + 1) * block + here :], memory[at + (4 + channel) * block + here :]
        if response[level] > 0.0:
            for i in range(n):
                taken[i] = audio[i]
                out[i] += ready[i]
        at += _sizes(response, level)[0]


@njit(error_model="numpy", fastmath={"contract"})
def end_quantum(memory: Memory, response: Row, quantum: int) -> None:
    """The work on the spectra that is due once the quantum of this number is complete in both channels.

    Parameters
    ----------
    memory : ndarray
        As many numbers as `memory_numbers` says.
    response : ndarray
        The prepared response.
    quantum : int
        Number of the quantum.
    """
    for channel in range(2):
        at = 2 * DIRECT * channel
        for i in range(DIRECT):
            memory[at + i] = memory[at + DIRECT + i]
    at, its = 4 * DIRECT, HEADER + TABLE + 2 * DIRECT
    table = response[HEADER : HEADER + TABLE]
    for level in range(len(BLOCKS)):
        mine, others = _sizes(response, level)
        if response[level] > 0.0:
            _work(memory[at : at + mine], response[its : its + others], table, BLOCKS[level], int(response[level]),
                  quantum + 1, level > 0)  # fmt: skip
        at, its = at + mine, its + others


@njit(error_model="numpy", fastmath={"contract"})
def _work(memory: Memory, response: Row, table: Row, block: int, count: int, done: int, spread: bool) -> None:
    """The work of one size of blocks after ``done`` quantums. Its memory: of each channel the last two blocks that
    came in; of each the block that goes out; the transform, with room to move; the sums of products; the spectra of
    what came in."""
    each, wide = block // DIRECT, block + 1
    step, newest = done % each, done // each % count
    at = _work_numbers(block)
    work, sums, spectra = memory[6 * block : at], memory[at : at + 4 * wide], memory[at + 4 * wide :]
    if step == 0:
        if spread:
            _give(memory, work, block)
        work[: 4 * block] = memory[: 4 * block]
        here = spectra[newest * 4 * wide : (newest + 1) * 4 * wide]
        spectra_of(work, here[: 2 * wide], here[2 * wide :], table)
        memory[:block] = memory[block : 2 * block]
        memory[2 * block : 3 * block] = memory[3 * block : 4 * block]
        sums[:] = 0.0
    steps = each - 1 if spread else 1
    if step < steps:
        fours = (count + 3) // 4
        first, last = step * fours // steps * 4, min((step + 1) * fours // steps * 4, count)
        for side in range(0, 4 * wide, 2 * wide):
            total = sums[side : side + 2 * wide]
            for k in range(first, last - 3, 4):
                a, b, c, d = (
                    (newest - k) % count,
                    (newest - k - 1) % count,
                    (newest - k - 2) % count,
                    (newest - k - 3) % count,
                )
                _add_four(_spectrum(spectra, a, side, wide), _spectrum(response, k, side, wide),
                          _spectrum(spectra, b, side, wide), _spectrum(response, k + 1, side, wide),
                          _spectrum(spectra, c, side, wide), _spectrum(response, k + 2, side, wide),
                          _spectrum(spectra, d, side, wide), _spectrum(response, k + 3, side, wide), total)  # fmt: skip
            for k in range(max(first, last - last % 4), last):
                here = _spectrum(spectra, (newest - k) % count, side, wide)
                _add_one(here, _spectrum(response, k, side, wide), total)
    if step == each - 1:
        back(sums[: 2 * wide], sums[2 * wide :], work, table)
        if not spread:
            _give(memory, work, block)


@njit(error_model="numpy", fastmath={"contract"})
def _give(memory: Memory, work: Row, block: int) -> None:
    """What has been made goes out."""
    memory[4 * block : 5 * block] = work[block : 2 * block]
    memory[5 * block : 6 * block] = work[3 * block : 4 * block]


@njit(error_model="numpy", fastmath={"contract"})
def _spectrum(spectra: Row, k: int, side: int, wide: int) -> Row:
    """The spectrum of a channel in the block of this number."""
    return spectra[k * 4 * wide + side : k * 4 * wide + side + 2 * wide]


@njit(error_model="numpy", fastmath={"contract"})
def _add_one(a: Row, g: Row, sums: Row) -> None:
    """Add the product of two spectra. The first two bins are real numbers, which takes nothing from the rule."""
    n = sums.size // 2
    for k in range(n):
        sums[k] += a[k] * g[k] - a[n + k] * g[n + k]
        sums[n + k] += a[k] * g[n + k] + a[n + k] * g[k]


@njit(error_model="numpy", fastmath={"contract"})
def _add_four(a: Row, g: Row, b: Row, h: Row, c: Row, i: Row, d: Row, j: Row, sums: Row) -> None:
    """Add the products of four pairs of spectra."""
    n = sums.size // 2
    a_re, a_im, b_re, b_im, c_re, c_im, d_re, d_im = a[:n], a[n:], b[:n], b[n:], c[:n], c[n:], d[:n], d[n:]
    g_re, g_im, h_re, h_im, i_re, i_im, j_re, j_im = g[:n], g[n:], h[:n], h[n:], i[:n], i[n:], j[:n], j[n:]
    sum_re, sum_im = sums[:n], sums[n:]
    for k in range(n):
        sum_re[k] += (
            (a_re[k] * g_re[k] - a_im[k] * g_im[k]) + (b_re[k] * h_re[k] - b_im[k] * h_im[k])
            + (c_re[k] * i_re[k] - c_im[k] * i_im[k]) + (d_re[k] * j_re[k] - d_im[k] * j_im[k])
        )  # fmt: skip
        sum_im[k] += (
            (a_re[k] * g_im[k] + a_im[k] * g_re[k]) + (b_re[k] * h_im[k] + b_im[k] * h_re[k])
            + (c_re[k] * i_im[k] + c_im[k] * i_re[k]) + (d_re[k] * j_im[k] + d_im[k] * j_re[k])
        )  # fmt: skip
