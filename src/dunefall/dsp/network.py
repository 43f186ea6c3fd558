"""Feedback delay network of sixteen lines: the late part of a room.

Sound leaves sixteen delay lines, is weakened at each frequency as the decay time of its octave asks for the line's
length, is mixed by a Hadamard matrix, and goes back (Jot and Chaigne 1991, Digital delay networks; the weakening by a
row of second-order sections whose gains are solved for together: Välimäki and Liski 2017, Accurate cascade graphic
equalizer, here by one step of least squares).
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from dunefall.base.arrays import Memory, Row
from dunefall.dsp.lanefilters import FACTORS, LINES, two_sections
from dunefall.dsp.lanes import EIGHT, fetch, turn_eight
from dunefall.dsp.maths import db_to_gain, exp2, fma, sine, tangent_parts

__all__ = [
    "BANDS",
    "BLOCK",
    "LINES",
    "RATIOS",
    "SECTIONS_SIZE",
    "eight_weights",
    "fill_row",
    "keep_gains",
    "mix_rows",
    "section",
    "set_sections",
    "swing",
    "weaken",
]

BLOCK = 64
TAPS = 8
SCALES = tuple(1.0 / math.prod(tap - k for k in range(TAPS) if k != tap) for tap in range(TAPS))
BANDS = (63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0)
"""Middles of the octaves whose decay can be set, in Hz."""
OCTAVES, Q = len(BANDS), 1.3
LOW_SHELF, HIGH_SHELF = BANDS[0] * 2**0.5, BANDS[-1] / 2**0.5
RATIOS = (
    1.0, 0.9408, 0.8548, 0.8147, 0.7351, 0.6952, 0.6315, 0.6026, 0.5508, 0.5219, 0.4723, 0.4453, 0.4062, 0.386,
    0.3528, 0.33,
)  # fmt: skip
"""Lengths of the lines as shares of the longest: even steps in octaves, without common measures."""
GAIN, GAIN_TO, SECTIONS = 0, LINES, 2 * LINES
HELD = SECTIONS + OCTAVES * FACTORS * LINES
SECTIONS_SIZE = HELD + 2 * OCTAVES * LINES
"""Numbers of the weakening: gains at the quantum's begin and end, coefficients, what is held."""


@njit(error_model="numpy", forceinline=True)
def section(band: int, gain_db: float, per: float) -> tuple[float, float, float, float, float]:
    """Coefficients of a shelf (first and last band) or bell, normalised to a0 = 1 (Bristow-Johnson, Audio EQ
    Cookbook); ``per`` is 1 / rate.

    Parameters
    ----------
    band : int
        Octave band.
    gain_db : float
        Gain in dB.
    per : float
        Radians per Hz.

    Returns
    -------
    tuple[float, float, float, float, float]
    """
    hz = LOW_SHELF if band == 0 else HIGH_SHELF if band == OCTAVES - 1 else BANDS[band]
    up, down = tangent_parts(min(2.0 * hz * per, 0.95))
    cosine, sined = down * down - up * up, 2.0 * up * down
    root = exp2(gain_db * (0.025 * 3.321928094887362))
    if 0 < band < OCTAVES - 1:
        alpha = sined / (2.0 * Q)
        scale = 1.0 / (1.0 + alpha / root)
        turn = -2.0 * cosine * scale
        return (1.0 + alpha * root) * scale, turn, (1.0 - alpha * root) * scale, turn, (1.0 - alpha / root) * scale
    sign = 1.0 if band == 0 else -1.0
    slope = 1.4142135623730951 * np.sqrt(root) * sined
    more, less, turn = root + 1.0, root - 1.0, sign * cosine
    scale = 1.0 / (more + less * turn + slope)
    b1 = 2.0 * root * sign * (less - more * turn) * scale
    a1 = -2.0 * sign * (less + more * turn) * scale
    return (
        root * (more - less * turn + slope) * scale, b1, root * (more - less * turn - slope) * scale,
        a1, (more + less * turn - slope) * scale,
    )  # fmt: skip


SOLVED = np.array((
    (1.3077, -0.2672, 0.0076, -0.0063, 0.0008, -0.0003, 0, -0),
    (-0.2691, 1.1263, -0.2069, 0.006, -0.0044, 0.0005, -0.0002, 0.0001),
    (0.0511, -0.2157, 1.1106, -0.2062, 0.0052, -0.0042, 0.0004, -0.0003),
    (-0.0047, 0.0055, -0.2059, 1.1101, -0.2052, 0.0047, -0.004, 0.0019),
    (0.0023, -0.0047, 0.0053, -0.2054, 1.1095, -0.2027, 0.0031, -0.0041),
    (-0.0004, 0.0005, -0.0043, 0.0051, -0.2036, 1.1074, -0.2, 0.0426),
    (0.0001, -0.0002, 0.0005, -0.0042, 0.005, -0.1964, 1.1115, -0.2287),
    (-0, 0, -0.0002, 0.0006, -0.005, 0.004, -0.1943, 1.2438),
))  # fmt: skip
"""From wanted gains at the octaves' middles to those of the sections, which reach over to their neighbours: least
squares at the middles and half-way between them, at 48 kHz (a test works them out anew)."""


@njit(error_model="numpy")
def set_sections(memory: Memory, first: int, delays: Row, wanted_db: Row, share: float, rate: float) -> None:
    """Set how much each line is weakened.

    Parameters
    ----------
    memory, first : ndarray, int
        Where the ``SECTIONS_SIZE`` numbers begin.
    delays : ndarray [shape=(16,)]
        Lengths of the lines in samples.
    wanted_db : ndarray [shape=(8,)]
        Change of level in dB per second that each octave shall have, below 0.
    share : float [0, 1]
        How much of it: 0 keeps all for ever.
    rate : float
        Sample rate in Hz.
    """
    middle = 0.5 * (wanted_db[3] + wanted_db[4])
    for band in range(OCTAVES):
        gain = 0.0
        for k in range(OCTAVES):
            gain = fma(SOLVED[band, k], wanted_db[k] - middle, gain)
        for line in range(LINES):
            seconds = delays[line] * share / rate
            b0, b1, b2, a1, a2 = section(band, min(max(gain * seconds, -90.0), 90.0), 1.0 / rate)
            at = first + SECTIONS + band * FACTORS * LINES + line
            memory[at], memory[at + LINES], memory[at + 2 * LINES] = b0, b1, b2
            memory[at + 3 * LINES], memory[at + 4 * LINES] = -a1, -a2
    for line in range(LINES):
        memory[first + GAIN_TO + line] = db_to_gain(max(middle * delays[line] * share / rate, -300.0))


@njit(error_model="numpy", forceinline=True)
def keep_gains(memory: Memory, first: int) -> None:
    """Begin a quantum with the gains at which the last one ended."""
    for k in range(LINES):
        memory[first + GAIN + k] = memory[first + GAIN_TO + k]


@njit(error_model="numpy", forceinline=True)
def weaken(memory: Memory, first: int, rows: int, n: int, start: int, room: int) -> None:
    """Weaken a row of samples of each line, in place; line k's samples stand from ``rows`` + 64 k on, the first is
    sample ``start`` of the quantum, over which the gains go evenly to their new values. The sections take the samples
    of all lines at a time.

    Parameters
    ----------
    memory : ndarray [shape=(size,)]
        The network's memory.
    first : int
        Where it begins.
    rows : int
        Where the rows begin in it.
    n : int
        Samples.
    start : int
        First sample within the quantum.
    room : int
        Where there is room for as many numbers as the rows have.
    """
    for k in range(LINES):
        row, gain = memory[rows + BLOCK * k : rows + BLOCK * k + n], memory[first + GAIN + k]
        slope = memory[first + GAIN_TO + k] - gain
        for i in range(n):
            row[i] *= fma((start + i) * (1.0 / BLOCK), slope, gain)
    for i in range(0, n, EIGHT):  # up to seven samples behind the last one change places, too
        for k in range(0, LINES, EIGHT):
            turn_eight(memory, room + LINES * i + k, LINES, memory, rows + BLOCK * k + i, BLOCK)
    for band in range(0, OCTAVES, 2):
        at, held = first + SECTIONS + band * FACTORS * LINES, first + HELD + 2 * band * LINES
        two_sections(memory, room, n, memory, at, held)
    for i in range(0, n, EIGHT):
        for k in range(0, LINES, EIGHT):
            turn_eight(memory, rows + BLOCK * k + i, BLOCK, memory, room + LINES * i + k, LINES)


@njit(error_model="numpy", forceinline=True)
def mix_rows(memory: Memory, rows: float, n: int) -> None:
    """Hadamard matrix of sixteen rows, in place; it makes all four times as strong.

    Parameters
    ----------
    memory : ndarray [shape=(size,)]
        The network's memory.
    rows : float
        Where the rows begin in it.
    n : int
        Samples.
    """
    half = LINES // 2
    while half > 0:
        for pair in range(LINES // 2):
            a = rows + BLOCK * (pair // half * 2 * half + pair % half)
            upper, lower = memory[a : a + n], memory[a + BLOCK * half : a + BLOCK * half + n]
            for i in range(n):
                x, y = upper[i], lower[i]
                upper[i], lower[i] = x + y, x - y
        half //= 2


@njit(error_model="numpy", forceinline=True)
def fill_row(
    row: Row, memory: Memory, first: int, size: int, write: int, before: float, after: float, start: int, scratch: Row
) -> None:
    """What lies in a ring a time ago, while that time goes evenly from ``before`` to ``after`` (samples) within a
    quantum of 64; ``write`` is the place of the first of these samples, ``start`` its number in the quantum. Whole
    numbers of samples that stay are copied.

    Parameters
    ----------
    row : ndarray [shape=(n,)]
        One number for each sample.
    memory : ndarray [shape=(size,)]
        The delay line.
    first : int
        Where it begins.
    size : int
        Numbers in the ring.
    write : int
        Where the next sample is written.
    before : float
        Delay in samples at the start of the quantum.
    after : float
        Delay at its end.
    start : int
        First sample within the quantum.
    scratch : ndarray [shape=(at least n + TAPS,)]
        For what goes over the ring's end.
    """
    n = row.size
    whole = int(before)
    at = write - whole if write >= whole else write - whole + size
    fetch(memory, first + at + BLOCK, BLOCK + TAPS)  # for the next quantum
    if before == after and before == whole:
        if at + n <= size:
            past = memory[first + at : first + at + n]
            for i in range(n):
                row[i] = past[i]
        else:
            for i in range(n):
                here = at + i
                row[i] = memory[first + (here if here < size else here - size)]
        return
    slope, begin = (after - before) * (1.0 / BLOCK), 0
    while begin < n:  # runs of samples whose delay lies between the same two whole numbers
        whole = int(fma(slope, start + begin, before))
        end = n if int(fma(slope, start + n - 1, before)) == whole else begin + 1
        while end < n and int(fma(slope, start + end, before)) == whole:
            end += 1
        at = write + begin - whole
        at = at + size if at < 0 else at - size if at >= size else at
        if at >= 4 and at + end - begin + 3 <= size:
            past = memory[first + at - 4 : first + at + end - begin + 3]
            _run_between(row[begin:end], past, before, slope, start + begin, whole)
        else:
            past = scratch[: TAPS + end - begin - 1]
            for k in range(past.size):
                here = at - 4 + k
                past[k] = memory[first + (here + size if here < 0 else here - size if here >= size else here)]
            _run_between(row[begin:end], past, before, slope, start + begin, whole)
        begin = end


@njit(error_model="numpy", forceinline=True)
def eight_weights(x: float) -> tuple[float, float, float, float, float, float, float, float]:
    """What eight samples count, the newest first, by Lagrange's polynomials: at 8 kHz a line that moves loses 0.01 dB
    instead of the 0.2 dB of four samples (Laakso et al. 1996, Splitting the unit delay).

    Parameters
    ----------
    x : float [0, 1)
        How far behind the fourth of them the place is, in samples.

    Returns
    -------
    tuple of eight floats
    """
    a, b, c, e, f, g, h = x + 3.0, x + 2.0, x + 1.0, x - 1.0, x - 2.0, x - 3.0, x - 4.0
    ab, gh, xe = a * b, g * h, x * e
    abc, fgh = ab * c, f * gh
    before, after = abc * xe, xe * fgh
    return (
        SCALES[0] * b * c * after, SCALES[1] * a * c * after, SCALES[2] * ab * after, SCALES[3] * abc * e * fgh,
        SCALES[4] * abc * x * fgh, SCALES[5] * before * gh, SCALES[6] * before * f * h, SCALES[7] * before * f * g,
    )  # fmt: skip


@njit(error_model="numpy", forceinline=True)
def _run_between(row: Row, past: Row, before: float, slope: float, start: int, whole: int) -> None:
    """A run of samples; ``past`` begins four samples before the place of the first."""
    for i in range(row.size):
        a, b, c, d, e, f, g, h = eight_weights(fma(slope, start + i, before) - whole)
        near = fma(d, past[i + 4], fma(c, past[i + 5], fma(b, past[i + 6], a * past[i + 7])))
        row[i] = near + fma(h, past[i], fma(g, past[i + 1], fma(f, past[i + 2], e * past[i + 3])))


@njit(error_model="numpy", forceinline=True)
def swing(phase: float, line: int) -> float:
    """Where a line's slow movement is, -1..1: the lines are spread over the cycle."""
    return sine(phase + line * (1.0 / LINES))
