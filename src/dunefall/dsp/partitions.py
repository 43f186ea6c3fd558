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

__all__ = [
    "DIRECT",
    "LARGEST",
    "convolve",
    "end_quantum",
    "memory_numbers",
    "prepared_response",
    "spectrum_of",
    "turns",
    "wave_of",
]

DIRECT = 64
BLOCKS, BEGINS = (64, 1024, 8192), (64, 2048, 16384)
LARGEST = BLOCKS[-1]
HEADER, TABLE = 8, 6 * LARGEST
"""Numbers before the channels: how many blocks of each size there are; what ``turns`` makes."""


def block_counts(length: int) -> tuple[int, ...]:
    """How many blocks of each size a response of so many numbers takes."""
    ends = (*BEGINS[1:], max(length, BEGINS[-1]))
    return tuple(
        max(0, math.ceil((min(length, end) - begin) / block))
        for begin, end, block in zip(BEGINS, ends, BLOCKS, strict=True)
    )


def memory_numbers(length: int) -> int:
    """Numbers that both channels need for a response of this length."""
    each = sum(
        5 * block + (count + 1) * 2 * (block + 1) for block, count in zip(BLOCKS, block_counts(length), strict=True)
    )
    return 2 * (each + 2 * DIRECT)


def turns() -> NDArray[np.float64]:
    """Cosines, then sines, of what a transform turns by: for each power of two h up to ``LARGEST``, h even steps of
    half a turn from place h on; then, laid out in the same way, whole numbers with their bits reversed."""
    angles, reversed_bits = np.zeros(2 * LARGEST), np.zeros(2 * LARGEST)
    half = 1
    while half <= LARGEST:
        angles[half : 2 * half] = np.arange(half) * (np.pi / half)
        upper = reversed_bits[half // 2 : half]
        reversed_bits[half : 2 * half] = np.concatenate([2 * upper, 2 * upper + 1]) if half > 1 else 0
        half *= 2
    return np.concatenate([np.cos(angles), np.sin(angles), reversed_bits])


def prepared_response(response: NDArray[np.float64]) -> NDArray[np.float64]:
    """A response [shape=(2, n)] as the kernel reads it: counts, cosines and sines of the largest block, then for each
    channel the first numbers and the spectra of all blocks, real parts before imaginary ones."""
    counts = block_counts(response.shape[1])
    head = np.array([*counts, *[0.0] * (HEADER - len(counts))])
    parts: list[NDArray[np.float64]] = [head, turns()]
    for row in response:
        padded = np.concatenate([row, np.zeros(BEGINS[-1] + LARGEST * (counts[2] + 1))])
        parts.append(padded[:DIRECT])
        for begin, block, count in zip(BEGINS, BLOCKS, counts, strict=True):
            for k in range(count):
                spectrum = np.fft.rfft(padded[begin + k * block : begin + (k + 1) * block], 2 * block)
                parts += [spectrum.real, spectrum.imag]
    return np.concatenate(parts)


@njit(error_model="numpy")
def _transform(re, im, table, sign):  # type: ignore[no-untyped-def]
    """Fast Fourier transform in place of a power of two of complex numbers, at least 4 (Cooley and Tukey 1965), given
    in the order of their reversed bits; the first two rounds together; ``table`` as ``turns`` makes it. ``sign`` -1
    forwards, 1 back (not divided)."""
    n = re.size
    for i in range(0, n, 4):
        a, b, c, d = re[i] + re[i + 1], re[i] - re[i + 1], re[i + 2] + re[i + 3], re[i + 2] - re[i + 3]
        e, f, g, h = im[i] + im[i + 1], im[i] - im[i + 1], im[i + 2] + im[i + 3], im[i + 2] - im[i + 3]
        re[i], re[i + 1], re[i + 2], re[i + 3] = a + c, b - sign * h, a - c, b + sign * h
        im[i], im[i + 1], im[i + 2], im[i + 3] = e + g, f + sign * d, e - g, f - sign * d
    half = 4
    while half < n:
        cosines, sines = table[half : 2 * half], table[2 * LARGEST + half : 2 * LARGEST + 2 * half]
        for first in range(0, n, 2 * half):
            _round(re[first : first + half], im[first : first + half], re[first + half : first + 2 * half],
                   im[first + half : first + 2 * half], cosines, sines, sign)  # fmt: skip
        half *= 2


@njit(error_model="numpy")
def _round(a_re, a_im, b_re, b_im, cosines, sines, sign):  # type: ignore[no-untyped-def]
    for k in range(a_re.size):
        c, s = cosines[k], sign * sines[k]
        x, y = b_re[k] * c - b_im[k] * s, b_re[k] * s + b_im[k] * c
        b_re[k], b_im[k] = a_re[k] - x, a_im[k] - y
        a_re[k], a_im[k] = a_re[k] + x, a_im[k] + y


@njit(error_model="numpy")
def spectrum_of(wave, re, im, table):  # type: ignore[no-untyped-def]
    """Spectrum of 2 n real numbers in n + 1 complex ones, by a transform of half the size."""
    n = wave.size // 2
    for k in range(n):
        to = int(table[4 * LARGEST + n + k])
        re[to], im[to] = wave[2 * k], wave[2 * k + 1]
    _transform(re[:n], im[:n], table, -1.0)
    re[n], im[n] = re[0] - im[0], 0.0
    re[0], im[0] = re[0] + im[0], 0.0
    for k in range(1, n // 2 + 1):
        m = n - k
        a, b, c, d = 0.5 * (re[k] + re[m]), 0.5 * (im[k] - im[m]), 0.5 * (im[k] + im[m]), 0.5 * (re[m] - re[k])
        x, y = table[n + k], -table[2 * LARGEST + n + k]
        p, q = c * x - d * y, c * y + d * x
        re[k], im[k], re[m], im[m] = a + p, b + q, a - p, q - b


@njit(error_model="numpy")
def wave_of(re, im, wave, table):  # type: ignore[no-untyped-def]
    """Inverse of ``spectrum_of``; the spectrum is lost."""
    n = wave.size // 2
    w_re, w_im, places = wave[:n], wave[n:], table[4 * LARGEST + n : 4 * LARGEST + 2 * n]
    w_re[0], w_im[0] = 0.5 * (re[0] + re[n]), 0.5 * (re[0] - re[n])
    for k in range(1, n // 2 + 1):
        m = n - k
        a, b, p, q = 0.5 * (re[k] + re[m]), 0.5 * (im[k] - im[m]), 0.5 * (re[k] - re[m]), 0.5 * (im[k] + im[m])
        x, y = table[n + k], table[2 * LARGEST + n + k]
        c, d = p * x - q * y, p * y + q * x
        k_to, m_to = int(places[k]), int(places[m])
        w_re[k_to], w_im[k_to], w_re[m_to], w_im[m_to] = a - d, b + c, a + d, c - b
    _transform(w_re, w_im, table, 1.0)
    for k in range(n):
        re[k], im[k] = w_re[k] / n, w_im[k] / n
    for k in range(n):
        wave[2 * k], wave[2 * k + 1] = re[k], im[k]


@njit(error_model="numpy")
def _sizes(response, level):  # type: ignore[no-untyped-def]
    """Of a size of blocks: its numbers in the memory and in the response, for one channel."""
    block, count = BLOCKS[level], int(response[level])
    return 5 * block + (count + 1) * 2 * (block + 1), count * 2 * (block + 1)


@njit(error_model="numpy")
def _channel(response, channel):  # type: ignore[no-untyped-def]
    """Where a channel begins in the memory and in the response."""
    kept, read = 2 * DIRECT, DIRECT
    for level in range(len(BLOCKS)):
        mine, its = _sizes(response, level)
        kept, read = kept + mine, read + its
    return channel * kept, HEADER + TABLE + channel * read


@njit(error_model="numpy")
def convolve(audio, out, memory, response, channel, quantum, start):  # type: ignore[no-untyped-def]
    """Convolve the next samples of a channel, within the quantum of this number, from its sample ``start`` on."""
    n = out.size
    at, its = _channel(response, channel)
    past, first = memory[at : at + 2 * DIRECT], response[its : its + DIRECT]
    for i in range(n):
        past[DIRECT + start + i] = audio[i]
        out[i] = 0.0
    for j in range(DIRECT):
        then, gain = past[DIRECT + start - j : DIRECT + start - j + n], first[j]
        for i in range(n):
            out[i] += gain * then[i]
    at += 2 * DIRECT
    for level in range(len(BLOCKS)):
        block = BLOCKS[level]
        here = DIRECT * (quantum % (block // DIRECT)) + start
        taken, ready = memory[at + block + here :], memory[at + 2 * block + here :]
        if response[level] > 0.0:
            for i in range(n):
                taken[i] = audio[i]
                out[i] += ready[i]
        at += _sizes(response, level)[0]


@njit(error_model="numpy")
def end_quantum(memory, response, channel, quantum):  # type: ignore[no-untyped-def]
    """The work on the spectra that is due once the quantum of this number is complete."""
    at, its = _channel(response, channel)
    for i in range(DIRECT):
        memory[at + i] = memory[at + DIRECT + i]
    at, its = at + 2 * DIRECT, its + DIRECT
    table = response[HEADER : HEADER + TABLE]
    for level in range(len(BLOCKS)):
        mine, others = _sizes(response, level)
        if response[level] > 0.0:
            _work(memory[at : at + mine], response[its : its + others], table, BLOCKS[level], int(response[level]),
                  quantum + 1, level > 0)  # fmt: skip
        at, its = at + mine, its + others


@njit(error_model="numpy")
def _work(memory, response, table, block, count, done, spread):  # type: ignore[no-untyped-def]
    """The work of one size of blocks after ``done`` quantums. Its memory: the last two blocks that came in, the block
    that goes out, the wave made for the next one, the sum of products, the spectra of what came in."""
    each, wide = block // DIRECT, block + 1
    step, newest = done % each, done // each % count
    wave = memory[3 * block : 5 * block]
    sum_re, sum_im = memory[5 * block : 5 * block + wide], memory[5 * block + wide : 5 * block + 2 * wide]
    spectra = memory[5 * block + 2 * wide :]
    if step == 0:
        if spread:
            memory[2 * block : 3 * block] = wave[block:]
        here = spectra[newest * 2 * wide : (newest + 1) * 2 * wide]
        spectrum_of(memory[: 2 * block], here[:wide], here[wide:], table)
        memory[:block] = memory[block : 2 * block]
        sum_re[:] = 0.0
        sum_im[:] = 0.0
    steps = each - 1 if spread else 1
    if step < steps:
        last = (step + 1) * count // steps
        for k in range(step * count // steps, last, 2):
            a, b = spectra[(newest - k) % count * 2 * wide :], spectra[(newest - k - 1) % count * 2 * wide :]
            response_b = response[(k + 1) * 2 * wide :] if k + 1 < last else response[:0]
            _add_products(a, response[k * 2 * wide :], b, response_b, sum_re, sum_im)
    if step == each - 1:
        wave_of(sum_re, sum_im, wave, table)
        if not spread:
            memory[2 * block : 3 * block] = wave[block:]


@njit(error_model="numpy")
def _add_products(a, g, b, h, sum_re, sum_im):  # type: ignore[no-untyped-def]
    """Add the products of two pairs of spectra, or of the first pair where the last is empty."""
    n = sum_re.size
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
