"""Convolution with long responses: the first samples at once, the rest in blocks of three sizes by their spectra.

Method: partitioned convolution (Gardner 1995, Efficient convolution without input-output delay). The first 64 numbers
of a response are taken sample by sample; what follows in blocks of 64, then of 1,024, then of 8,192 numbers. The larger
blocks have a whole block's time, so their work is spread evenly over the quantums.

Both channels go through one transform, left as the real and right as the imaginary part (textbook). It leaves its
numbers in the order of their reversed bits, and everything is done in that order: from place 2 on they lie in groups of
2 h in which the first half belongs, mirrored, to the second. Only first halves are kept.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

__all__ = ["DIRECT", "back", "convolve", "end_quantum", "memory_numbers", "prepared_response", "spectra_of", "turns"]

DIRECT = 64
BLOCKS, BEGINS = (64, 1024, 8192), (64, 2048, 16384)
LARGEST = BLOCKS[-1]
HEADER, TABLE = 8, 4 * LARGEST
"""Numbers before the channels: how many blocks of each size there are; what ``turns`` makes."""


def block_counts(length: int) -> tuple[int, ...]:
    """How many blocks of each size a response of so many numbers takes."""
    ends = (*BEGINS[1:], max(length, BEGINS[-1]))
    return tuple(
        max(0, math.ceil((min(length, end) - begin) / block))
        for begin, end, block in zip(BEGINS, ends, BLOCKS, strict=True)
    )


def _level_numbers(block: int, count: int) -> int:
    """Of a size of blocks: for both channels what came in and what goes out, the transform, sums and spectra."""
    return 10 * block + (count + 1) * 4 * (block + 1)


def memory_numbers(length: int) -> int:
    """Numbers that both channels need for a response of this length."""
    counts = block_counts(length)
    return 4 * DIRECT + sum(_level_numbers(block, count) for block, count in zip(BLOCKS, counts, strict=True))


def turns() -> NDArray[np.float64]:
    """Cosines, then sines, of what a transform turns by: for each power of two h up to ``LARGEST``, h even steps of
    half a turn from place h on."""
    angles, half = np.zeros(2 * LARGEST), 1
    while half <= LARGEST:
        angles[half : 2 * half] = np.arange(half) * (np.pi / half)
        half *= 2
    return np.concatenate([np.cos(angles), np.sin(angles)])


def _kept_bins(size: int) -> NDArray[np.int64]:
    """Which bins of a spectrum of so many numbers are kept, in the order in which they lie."""
    reversed_bits = np.zeros(1, np.int64)
    while len(reversed_bits) < size:
        reversed_bits = np.concatenate([2 * reversed_bits, 2 * reversed_bits + 1])
    firsts = [np.arange(2)]
    half = 1
    while 2 * half < size:
        firsts.append(np.arange(2 * half, 3 * half))
        half *= 2
    return reversed_bits[np.concatenate(firsts)]


def prepared_response(response: NDArray[np.float64]) -> NDArray[np.float64]:
    """A response [shape=(2, n)] as the kernel reads it: counts, cosines and sines of the largest block, the first
    numbers of both channels, then for each size and block the spectra of both, real parts before imaginary ones,
    divided by the size of the transform."""
    counts = block_counts(response.shape[1])
    head = np.array([*counts, *[0.0] * (HEADER - len(counts))])
    padded = np.concatenate([response, np.zeros((2, BEGINS[-1] + LARGEST * (counts[2] + 1)))], axis=1)
    parts: list[NDArray[np.float64]] = [head, turns(), padded[0, :DIRECT], padded[1, :DIRECT]]
    for begin, block, count in zip(BEGINS, BLOCKS, counts, strict=True):
        kept = _kept_bins(2 * block)
        for k in range(count):
            for row in padded:
                spectrum = np.fft.fft(row[begin + k * block : begin + (k + 1) * block], 2 * block)[kept] / (2 * block)
                parts += [spectrum.real, spectrum.imag]
    return np.concatenate(parts)


@njit(error_model="numpy", fastmath={"contract"})
def _halve(a_re, a_im, b_re, b_im, cosines, sines):  # type: ignore[no-untyped-def]
    """A round of the transform forwards."""
    for k in range(a_re.size):
        x, y, c, s = a_re[k] - b_re[k], a_im[k] - b_im[k], cosines[k], sines[k]
        a_re[k], a_im[k] = a_re[k] + b_re[k], a_im[k] + b_im[k]
        b_re[k], b_im[k] = x * c + y * s, y * c - x * s


@njit(error_model="numpy", fastmath={"contract"})
def _join(a_re, a_im, b_re, b_im, cosines, sines):  # type: ignore[no-untyped-def]
    """A round of the transform back."""
    for k in range(a_re.size):
        c, s = cosines[k], sines[k]
        x, y = b_re[k] * c - b_im[k] * s, b_re[k] * s + b_im[k] * c
        b_re[k], b_im[k] = a_re[k] - x, a_im[k] - y
        a_re[k], a_im[k] = a_re[k] + x, a_im[k] + y


@njit(error_model="numpy", fastmath={"contract"})
def spectra_of(re, im, left, right, table):  # type: ignore[no-untyped-def]
    """Spectra of both channels, given as real and imaginary part, which are lost (Gentleman and Sande 1966). ``left``
    and ``right`` receive what is kept of them, real parts before imaginary ones."""
    n = re.size
    half = n // 2
    while half >= 4:
        cosines, sines = table[half : 2 * half], table[2 * LARGEST + half : 2 * LARGEST + 2 * half]
        for first in range(0, n, 2 * half):
            _halve(re[first : first + half], im[first : first + half], re[first + half : first + 2 * half],
                   im[first + half : first + 2 * half], cosines, sines)  # fmt: skip
        half //= 2
    for i in range(0, n, 4):
        a, b, c, d = re[i] + re[i + 2], re[i + 1] + re[i + 3], re[i] - re[i + 2], re[i + 1] - re[i + 3]
        e, f, g, h = im[i] + im[i + 2], im[i + 1] + im[i + 3], im[i] - im[i + 2], im[i + 1] - im[i + 3]
        re[i], re[i + 1], re[i + 2], re[i + 3] = a + b, a - b, c + h, c - h
        im[i], im[i + 1], im[i + 2], im[i + 3] = e + f, e - f, g - d, g + d
    wide = n // 2 + 1
    for k in range(2):
        left[k], left[wide + k], right[k], right[wide + k] = re[k], 0.0, im[k], 0.0
    half = 1
    while 2 * half < n:
        to = slice(1 + half, 1 + 2 * half), slice(wide + 1 + half, wide + 1 + 2 * half)
        _part(re[2 * half : 4 * half], im[2 * half : 4 * half], left[to[0]], left[to[1]], right[to[0]], right[to[1]])
        half *= 2


@njit(error_model="numpy", fastmath={"contract"})
def _part(re, im, left_re, left_im, right_re, right_im):  # type: ignore[no-untyped-def]
    n = left_re.size
    for k in range(n):
        m = 2 * n - 1 - k
        left_re[k], left_im[k] = 0.5 * (re[k] + re[m]), 0.5 * (im[k] - im[m])
        right_re[k], right_im[k] = 0.5 * (im[k] + im[m]), 0.5 * (re[m] - re[k])


@njit(error_model="numpy", fastmath={"contract"})
def back(left, right, re, im, table):  # type: ignore[no-untyped-def]
    """Inverse of ``spectra_of``, not divided (Cooley and Tukey 1965)."""
    n = re.size
    wide = n // 2 + 1
    for k in range(2):
        re[k], im[k] = left[k], right[k]
    half = 1
    while 2 * half < n:
        to = slice(1 + half, 1 + 2 * half), slice(wide + 1 + half, wide + 1 + 2 * half)
        _unite(re[2 * half : 4 * half], im[2 * half : 4 * half], left[to[0]], left[to[1]], right[to[0]], right[to[1]])
        half *= 2
    for i in range(0, n, 4):
        a, b, c, d = re[i] + re[i + 1], re[i] - re[i + 1], re[i + 2] + re[i + 3], re[i + 2] - re[i + 3]
        e, f, g, h = im[i] + im[i + 1], im[i] - im[i + 1], im[i + 2] + im[i + 3], im[i + 2] - im[i + 3]
        re[i], re[i + 1], re[i + 2], re[i + 3] = a + c, b - h, a - c, b + h
        im[i], im[i + 1], im[i + 2], im[i + 3] = e + g, f + d, e - g, f - d
    half = 4
    while half < n:
        cosines, sines = table[half : 2 * half], table[2 * LARGEST + half : 2 * LARGEST + 2 * half]
        for first in range(0, n, 2 * half):
            _join(re[first : first + half], im[first : first + half], re[first + half : first + 2 * half],
                  im[first + half : first + 2 * half], cosines, sines)  # fmt: skip
        half *= 2


@njit(error_model="numpy", fastmath={"contract"})
def _unite(re, im, left_re, left_im, right_re, right_im):  # type: ignore[no-untyped-def]
    n = left_re.size
    for k in range(n):
        re[k], im[k] = left_re[k] - right_im[k], left_im[k] + right_re[k]
    for k in range(n):
        m = n - 1 - k
        re[n + k], im[n + k] = left_re[m] + right_im[m], right_re[m] - left_im[m]


@njit(error_model="numpy", fastmath={"contract"})
def _sizes(response, level):  # type: ignore[no-untyped-def]
    """Of a size of blocks: its numbers in the memory and in the response."""
    block, count = BLOCKS[level], int(response[level])
    return 10 * block + (count + 1) * 4 * (block + 1), count * 4 * (block + 1)


@njit(error_model="numpy", fastmath={"contract"})
def convolve(audio, out, memory, response, channel, quantum, start):  # type: ignore[no-untyped-def]
    """Convolve the next samples of a channel, within the quantum of this number, from its sample ``start`` on."""
    n = out.size
    past = memory[2 * DIRECT * channel : 2 * DIRECT * (channel + 1)]
    first = response[HEADER + TABLE + DIRECT * channel : HEADER + TABLE + DIRECT * (channel + 1)]
    for i in range(n):
        past[DIRECT + start + i] = audio[i]
        out[i] = 0.0
    for j in range(DIRECT):
        then, gain = past[DIRECT + start - j : DIRECT + start - j + n], first[j]
        for i in range(n):
            out[i] += gain * then[i]
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
def end_quantum(memory, response, quantum):  # type: ignore[no-untyped-def]
    """The work on the spectra that is due once the quantum of this number is complete in both channels."""
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
def _work(memory, response, table, block, count, done, spread):  # type: ignore[no-untyped-def]
    """The work of one size of blocks after ``done`` quantums. Its memory: of each channel the last two blocks that came
    in; of each the block that goes out; the transform; the sums of products; the spectra of what came in."""
    each, wide = block // DIRECT, block + 1
    step, newest = done % each, done // each % count
    re, im = memory[6 * block : 8 * block], memory[8 * block : 10 * block]
    sums = memory[10 * block : 10 * block + 4 * wide]
    spectra = memory[10 * block + 4 * wide :]
    if step == 0:
        if spread:
            _give(memory, re, im, block)
        re[:], im[:] = memory[: 2 * block], memory[2 * block : 4 * block]
        here = spectra[newest * 4 * wide : (newest + 1) * 4 * wide]
        spectra_of(re, im, here[: 2 * wide], here[2 * wide :], table)
        memory[:block] = memory[block : 2 * block]
        memory[2 * block : 3 * block] = memory[3 * block : 4 * block]
        sums[:] = 0.0
    steps = each - 1 if spread else 1
    if step < steps:
        last = (step + 1) * count // steps
        for k in range(step * count // steps, last, 2):
            for side in range(0, 4 * wide, 2 * wide):
                a = spectra[(newest - k) % count * 4 * wide + side :]
                b = spectra[(newest - k - 1) % count * 4 * wide + side :]
                h = response[(k + 1) * 4 * wide + side :] if k + 1 < last else response[:0]
                _add_products(a, response[k * 4 * wide + side :], b, h, sums[side : side + 2 * wide])
    if step == each - 1:
        back(sums[: 2 * wide], sums[2 * wide :], re, im, table)
        if not spread:
            _give(memory, re, im, block)


@njit(error_model="numpy", fastmath={"contract"})
def _give(memory, re, im, block):  # type: ignore[no-untyped-def]
    """What has been made goes out."""
    memory[4 * block : 5 * block] = re[block:]
    memory[5 * block : 6 * block] = im[block:]


@njit(error_model="numpy", fastmath={"contract"})
def _add_products(a, g, b, h, sums):  # type: ignore[no-untyped-def]
    """Add the products of two pairs of spectra, or of the first pair where the last is empty. The first two bins are
    real numbers, which takes nothing from the rule."""
    n = sums.size // 2
    sum_re, sum_im = sums[:n], sums[n:]
    a_re, a_im, g_re, g_im = a[:n], a[n : 2 * n], g[:n], g[n : 2 * n]
    if h.size == 0:
        for k in range(n):
            sum_re[k] += a_re[k] * g_re[k] - a_im[k] * g_im[k]
            sum_im[k] += a_re[k] * g_im[k] + a_im[k] * g_re[k]
        return
    b_re, b_im, h_re, h_im = b[:n], b[n : 2 * n], h[:n], h[n : 2 * n]
    for k in range(n):
        sum_re[k] += (a_re[k] * g_re[k] - a_im[k] * g_im[k]) + (b_re[k] * h_re[k] - b_im[k] * h_im[k])
        sum_im[k] += (a_re[k] * g_im[k] + a_im[k] * g_re[k]) + (b_re[k] * h_im[k] + b_im[k] * h_re[k])
