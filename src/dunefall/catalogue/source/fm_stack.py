"""FM stack: four operators in an arrangement."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from numba import njit
from numpy.typing import NDArray

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, ModuleSpec, Output, Param, Preset
from dunefall.dsp.halfband import FOUR_SIZE, quartered
from dunefall.dsp.maths import fma, note_to_hz, ramp_by, sine

__all__ = ["ARRANGEMENTS", "MODULE"]

LAST, BEFORE, DOWN = 4, 5, 6
STATE = DOWN + FOUR_SIZE
PITCH, ARRANGEMENT, FEEDBACK, FIRST_RATIO, FIRST_HZ = 0b1, 0b10, 0b1000, 1 << 4, 1 << 8
CHUNK = 8
"""Samples that are worked on together, four times as many at four times the rate."""
A4, B4, C4, D4, FROM_B, FROM_C, FROM_D, TAME_A, TAME_B, TAME_C, TAMED = range(576, 576 + 11 * 4 * CHUNK, 4 * CHUNK)
"""Their places in the scratch space."""
WIDEST, BIG = 3.0, 1e9
"""How wide an operator may get, in cycles per sample."""
PER_RADIAN = 1.0 / (2.0 * math.pi)
ARRANGEMENTS: dict[str, tuple[str, str]] = {
    "chain": ("DC CB BA", "A"),
    "two on a chain": ("DB CB BA", "A"),
    "three on one": ("DA CA BA", "A"),
    "two pairs": ("DC BA", "AC"),
    "one on three": ("DA DB DC", "ABC"),
    "pair and two": ("DC", "ABC"),
    "fork": ("DC CA CB", "AB"),
    "side by side": ("", "ABCD"),
}
"""Who bends whom, and who is heard."""


def _matrix() -> np.ndarray:
    """For each arrangement: who (row) bends whom (column), and in the last row who is heard, at even strength."""
    table = np.zeros((len(ARRANGEMENTS), 5, 4))
    for number, (bends, heard) in enumerate(ARRANGEMENTS.values()):
        for pair in bends.split():
            table[number, "ABCD".index(pair[0]), "ABCD".index(pair[1])] = 1.0
        for name in heard:
            table[number, 4, "ABCD".index(name)] = 1.0 / math.sqrt(len(heard))
    return table


MATRIX = _matrix()


def kernel(
    pitch_note: Row, arrangement: Row, index: Row, feedback: Row, a_ratio: Row, b_ratio: Row, c_ratio: Row,
    d_ratio: Row, a_hz: Row, b_hz: Row, c_hz: Row, d_hz: Row, a_level: Row, b_level: Row, c_level: Row, d_level: Row,
    level: Row, out: Row, state: State, rate: Scalar, moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: phases of the four in cycles; the last two values of the fourth, which bends itself; the filters from four
    times the rate.

    From the fourth to the first, each is bent by those before it, by its level times the index, in radians. They run at
    four times the rate; where the width of what they make (Carson's rule, stage by stage) would still fold back, the
    bends are smaller.
    """
    n = out.size
    a, b, c, d = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n], scratch[192 : 192 + n]
    base = scratch[256 : 256 + n]
    if moving & PITCH:
        for i in range(n):
            base[i] = note_to_hz(pitch_note[i])
    else:
        base[:] = note_to_hz(pitch_note[0])
    for k, (row, ratio, hz) in enumerate(
        ((a, a_ratio, a_hz), (b, b_ratio, b_hz), (c, c_ratio, c_hz), (d, d_ratio, d_hz))
    ):
        steps = scratch[320 + 64 * k : 320 + 64 * k + n]
        if moving & (PITCH | (FIRST_RATIO | FIRST_HZ) << k):
            for i in range(n):
                steps[i] = _step(base[i], ratio[i], hz[i], rate)
        else:
            steps[:] = _step(base[0], ratio[0], hz[0], rate)
        state[k] = ramp_by(row, state[k], steps, 1.0)
    chunk = 1 if moving & ARRANGEMENT else CHUNK
    for begin in range(0, n, chunk):
        end = min(begin + chunk, n)
        shares = _shares(arrangement[begin])
        for i in range(begin, end):
            _spread(i, begin, index[i], shares, b_level[i], c_level[i], d_level[i], scratch, moving)
        _waves(end - begin, feedback[begin:end], shares, state, scratch)
        a4, b4, c4, d4 = scratch[A4:B4], scratch[B4:C4], scratch[C4:D4], scratch[D4:FROM_B]
        for i in range(begin, end):
            k = 4 * (i - begin)
            one, two = shares[6] * a_level[i], shares[7] * b_level[i]
            three, four = shares[8] * c_level[i], shares[9] * d_level[i]
            first = fma(one, a4[k], fma(two, b4[k], fma(three, c4[k], four * d4[k])))
            second = fma(one, a4[k + 1], fma(two, b4[k + 1], fma(three, c4[k + 1], four * d4[k + 1])))
            third = fma(one, a4[k + 2], fma(two, b4[k + 2], fma(three, c4[k + 2], four * d4[k + 2])))
            fourth = fma(one, a4[k + 3], fma(two, b4[k + 3], fma(three, c4[k + 3], four * d4[k + 3])))
            out[i] = level[i] * quartered(first, second, third, fourth, state, DOWN)


@njit(error_model="numpy", forceinline=True)
def _step(base: float, ratio: float, hz: float, rate: float) -> float:
    """What the phase goes on in a sample, at a multiple of the pitch and so many hertz."""
    return min(max(fma(base, ratio, hz) * (1.0 / rate), -0.5), 0.5)


@njit(error_model="numpy", forceinline=True)
def _spread(
    i: int, begin: int, index: float, shares: tuple[float, ...], b_level: float, c_level: float, d_level: float,
    scratch: Scratch, moving: Mask,
) -> None:  # fmt: skip
    """A sample's phases at four times the rate, and how strongly the last three bend the others."""
    k, bend = 4 * (i - begin), index * PER_RADIAN
    if i == 0 or moving:
        first, second, third = _tamed(shares, abs(index), abs(b_level), abs(c_level), abs(d_level), scratch, i)
        scratch[TAMED], scratch[TAMED + 1], scratch[TAMED + 2] = first, second, third
    first, second, third = scratch[TAMED], scratch[TAMED + 1], scratch[TAMED + 2]
    a, b, c, d = scratch[i], scratch[64 + i], scratch[128 + i], scratch[192 + i]
    step_a, step_b, step_c, step_d = scratch[320 + i], scratch[384 + i], scratch[448 + i], scratch[512 + i]
    for j in range(4):
        scratch[A4 + k + j], scratch[B4 + k + j] = fma(0.25 * j, step_a, a), fma(0.25 * j, step_b, b)
        scratch[C4 + k + j], scratch[D4 + k + j] = fma(0.25 * j, step_c, c), fma(0.25 * j, step_d, d)
        scratch[FROM_B + k + j], scratch[FROM_C + k + j] = bend * b_level, bend * c_level
        scratch[FROM_D + k + j], scratch[TAME_A + k + j] = bend * d_level, first
        scratch[TAME_B + k + j], scratch[TAME_C + k + j] = second, third


@njit(error_model="numpy", forceinline=True)
def _waves(count: int, feedback: Row, shares: tuple[float, ...], state: State, scratch: Scratch) -> None:
    """All four operators, each bent by those before it: their phases become their values."""
    d_to_c, d_to_b, d_to_a, c_to_b, c_to_a, b_to_a = shares[0], shares[1], shares[2], shares[3], shares[4], shares[5]
    a, b, c, d = scratch[A4:B4], scratch[B4:C4], scratch[C4:D4], scratch[D4:FROM_B]
    from_b, from_c, from_d = scratch[FROM_B:FROM_C], scratch[FROM_C:FROM_D], scratch[FROM_D:TAME_A]
    first, second, third = scratch[TAME_A:TAME_B], scratch[TAME_B:TAME_C], scratch[TAME_C:TAMED]
    last, before, steady = state[LAST], state[BEFORE], True
    for i in range(count):
        steady = steady and feedback[i] == 0.0
    n = 4 * count
    if steady:
        for j in range(n):
            d[j] = sine(d[j])
        before, last = d[n - 2], d[n - 1]
    else:
        for j in range(n):
            own = feedback[j // 4] * (0.5 * PER_RADIAN)
            d[j] = sine(fma(own, last, fma(own, before, d[j])))
            before, last = last, d[j]
    state[LAST], state[BEFORE] = last, before
    for j in range(n):
        from_d[j] *= d[j]
        c[j] = sine(fma(third[j] * d_to_c, from_d[j], c[j]))
    for j in range(n):
        from_c[j] *= c[j]
        b[j] = sine(fma(second[j], fma(d_to_b, from_d[j], c_to_b * from_c[j]), b[j]))
    for j in range(n):
        from_b[j] *= b[j]
        swing = fma(d_to_a, from_d[j], fma(c_to_a, from_c[j], b_to_a * from_b[j]))
        a[j] = sine(fma(first[j], swing, a[j]))


@njit(error_model="numpy", forceinline=True)
def _tamed(
    shares: tuple[float, ...], index: float, b_level: float, c_level: float, d_level: float, scratch: Scratch, i: int
) -> tuple[float, float, float]:
    """What the bends of the first, second and third are multiplied by, so that each stays as narrow as it must: by
    Carson's rule it reaches as far above its frequency as the index and 1 together times the highest of what bends
    it."""
    d_to_c, d_to_b, d_to_a, c_to_b, c_to_a, b_to_a = shares[0], shares[1], shares[2], shares[3], shares[4], shares[5]
    a, b, c, d = abs(scratch[320 + i]), abs(scratch[384 + i]), abs(scratch[448 + i]), abs(scratch[512 + i])
    from_d, from_c, from_b = index * d_level, index * c_level, index * b_level
    swing, top = d_to_c * from_d * d, d * min(d_to_c * BIG, 1.0)
    third = _room(c, swing, top)
    top_c = c + third * swing + top
    swing = fma(d_to_b * from_d, d, c_to_b * from_c * top_c)
    top = max(d * min(d_to_b * BIG, 1.0), top_c * min(c_to_b * BIG, 1.0))
    second = _room(b, swing, top)
    top_b = b + second * swing + top
    swing = d_to_a * from_d * d + c_to_a * from_c * top_c + b_to_a * from_b * top_b
    top = max(d * min(d_to_a * BIG, 1.0), max(top_c * min(c_to_a * BIG, 1.0), top_b * min(b_to_a * BIG, 1.0)))
    return _room(a, swing, top), second, third


@njit(error_model="numpy", forceinline=True)
def _room(carrier: float, swing: float, top: float) -> float:
    """The share of a swing for which there is room, all in cycles per sample."""
    return min(1.0, max(WIDEST - carrier - top, 0.0) / swing) if swing > 0.0 else 1.0


@njit(error_model="numpy", forceinline=True)
def _shares(form: float) -> tuple[float, float, float, float, float, float, float, float, float, float]:
    """Who bends whom, and who is heard."""
    return (
        _share(form, 3, 2), _share(form, 3, 1), _share(form, 3, 0), _share(form, 2, 1), _share(form, 2, 0),
        _share(form, 1, 0), _share(form, 4, 0), _share(form, 4, 1), _share(form, 4, 2), _share(form, 4, 3),
    )  # fmt: skip


@njit(error_model="numpy", forceinline=True)
def _share(form: float, source: int, target: int) -> float:
    """A place of the matrix, between two arrangements where the choice glides."""
    low = int(form)
    here, share = MATRIX[low, source, target], form - low
    return here if share == 0.0 else fma(share, MATRIX[low + 1, source, target] - here, here)


def _operator(letter: str, ratio: float, level: float) -> tuple[Param, Param, Param]:
    low = letter.lower()
    return (
        Param(f"{low}_ratio", f"{letter} ratio", "factor", 0, 32, ratio, "Frequency as a multiple of the pitch; 0 for "
              "a fixed one.", amount=0.5),
        Param(f"{low}_hz", f"{letter} hertz", "shift", -8000, 8000, 0, "Hertz added to it: beating, or with ratio 0 a "
              "fixed frequency.", amount=20.0),
        Param(f"{low}_level", f"{letter} level", "ratio", 0, 1, level, "Level, or modulation index.",
              amount=0.3),
    )  # fmt: skip


_OPERATORS = (_operator("A", 1, 1), _operator("B", 2, 0.6), _operator("C", 3.5, 0.4), _operator("D", 1, 0.3))


def _network(values: Mapping[str, float]) -> tuple[str, NDArray[np.float64]]:
    """The arrangement with the operators' levels and D's feedback."""
    form = values["arrangement"]
    low = min(int(form), len(ARRANGEMENTS) - 2)
    table = MATRIX[low] + (form - low) * (MATRIX[low + 1] - MATRIX[low])
    levels = np.array([values[f"{letter}_level"] for letter in "abcd"])
    table[:4] *= levels[:, None]
    table[4] *= levels
    table[3, 3] = min(values["feedback"] / 4.0, 1.0)
    return "ABCD", table


MODULE = ModuleSpec(
    id="fm-stack",
    name="FM stack",
    stage="source",
    sentence="Four FM operators in one of eight algorithms: bells, reeds, growls, glass.",
    kernel=kernel,
    params=(
        Param("pitch_note", "Pitch", "note", -24, 136, 48, "The note; a linked pitch is relative to C4.", amount=7.0),
        Param("arrangement", "Arrangement", "choice", 0, 7, 0, "Algorithm: which operator modulates which; glides "
              "from one to the next.", tuple(ARRANGEMENTS), amount=1.0),
        Param("index", "Index", "factor", 0, 20, 3, "Modulation index at full level, in radians.", amount=1.0),
        Param("feedback", "Feedback", "factor", 0, 4, 0, "Feedback of D onto itself, in radians; rough above 1.",
              amount=0.3),
        *(params[0] for params in _OPERATORS),
        *(params[1] for params in _OPERATORS),
        *(params[2] for params in _OPERATORS),
        Param("level", "Level", "ratio", 0, 1, 0.5, "Height of all together.", amount=0.3),
    ),
    outputs=(Output("out", "Tone", "audio"),),
    state=STATE,
    handle=("arrangement", "index"),
    network=_network,
    cycle=Cycle(free=lambda g: True),
    face="arrangement",
    groups=(
        ("Ratios", ("a_ratio", "b_ratio", "c_ratio", "d_ratio")),
        ("Shifts in Hz", ("a_hz", "b_hz", "c_hz", "d_hz")),
        ("Levels of the four", ("a_level", "b_level", "c_level", "d_level")),
    ),
    words=("fm", "operators", "algorithm", "bell", "brass", "metal", "electric piano", "glass"),
    presets=(
        Preset("FM bell", "Two pairs with ratios that are no whole numbers.",
               {"arrangement": "two pairs", "index": 3.0, "a_ratio": 1.0, "b_ratio": 3.5, "c_ratio": 1.0, "d_ratio":
                1.41},
               ("metallic tone", "inharmonic")),
    ),
    sources=("Chowning 1973, J. AES 21 (spectrum of frequency modulation)",
             "Schottstaedt 1977, Computer Music Journal 1 (several modulators; from memory)"),
)  # fmt: skip
