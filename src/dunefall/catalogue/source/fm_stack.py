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

LAST, BEFORE, TAMED, DOWN = 4, 5, 6, 9
STATE = DOWN + FOUR_SIZE
PITCH, ARRANGEMENT, FEEDBACK, FIRST_RATIO, FIRST_HZ = 0b1, 0b10, 0b1000, 1 << 4, 1 << 8
WIDENS = (1 << 16) - 1
"""Any of what makes the width."""
WIDEST, BIG, TAMES = 3.0, 1e9, 0.02
"""How wide an operator may get, in cycles per sample; how fast it is kept so."""
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
    """State: phases of the four in cycles; the last two values of the fourth, which bends itself; by how much the bends
    of the others are tamed; the filters from four times the rate.

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
    tamed, goal, last, before = state[TAMED : TAMED + 3], scratch[576:579], state[LAST], state[BEFORE]
    shares = _shares(arrangement[0])
    bends = index[0] * PER_RADIAN
    for i in range(n):
        if moving & ARRANGEMENT:
            shares = _shares(arrangement[i])
        levels = a_level[i], b_level[i], c_level[i], d_level[i]
        if i == 0 or moving & WIDENS:
            _tame(shares, index[i], levels, scratch, i, goal)
        if tamed[0] == 0.0:
            tamed[:] = goal
        for k in range(3):
            tamed[k] = fma(TAMES, goal[k] - tamed[k], tamed[k])
        bends, own = index[i] * PER_RADIAN, feedback[i] * (0.5 * PER_RADIAN)
        last, before, first = _sub(0.0, shares, bends, tamed, levels, own, last, before, a, b, c, d, scratch, i)
        last, before, second = _sub(0.25, shares, bends, tamed, levels, own, last, before, a, b, c, d, scratch, i)
        last, before, third = _sub(0.5, shares, bends, tamed, levels, own, last, before, a, b, c, d, scratch, i)
        last, before, fourth = _sub(0.75, shares, bends, tamed, levels, own, last, before, a, b, c, d, scratch, i)
        out[i] = level[i] * quartered(first, second, third, fourth, state, DOWN)
    state[LAST], state[BEFORE] = last, before


@njit(error_model="numpy", forceinline=True)
def _step(base: float, ratio: float, hz: float, rate: float) -> float:
    """What the phase goes on in a sample, at a multiple of the pitch and so many hertz."""
    return min(max(fma(base, ratio, hz) * (1.0 / rate), -0.5), 0.5)


@njit(error_model="numpy", forceinline=True)
def _tame(
    shares: tuple[float, ...], index: float, levels: tuple[float, float, float, float], scratch: Scratch, i: int,
    goal: Row,
) -> None:  # fmt: skip
    """What the bends of the third, second and first are multiplied by, so that each stays as narrow as it must: by
    Carson's rule it reaches as far above its frequency as the index and 1 together times the highest of what bends
    it."""
    d_to_c, d_to_b, d_to_a, c_to_b, c_to_a, b_to_a = shares[0], shares[1], shares[2], shares[3], shares[4], shares[5]
    a, b, c, d = abs(scratch[320 + i]), abs(scratch[384 + i]), abs(scratch[448 + i]), abs(scratch[512 + i])
    from_d = abs(index * levels[3])
    from_c, from_b = abs(index * levels[2]), abs(index * levels[1])
    top_d = d
    swing, top = d_to_c * from_d * top_d, top_d * min(d_to_c * BIG, 1.0)
    goal[0] = _room(c, swing, top)
    top_c = c + goal[0] * swing + top
    swing = fma(d_to_b * from_d, top_d, c_to_b * from_c * top_c)
    top = max(top_d * min(d_to_b * BIG, 1.0), top_c * min(c_to_b * BIG, 1.0))
    goal[1] = _room(b, swing, top)
    top_b = b + goal[1] * swing + top
    swing = d_to_a * from_d * top_d + c_to_a * from_c * top_c + b_to_a * from_b * top_b
    top = max(top_d * min(d_to_a * BIG, 1.0), max(top_c * min(c_to_a * BIG, 1.0), top_b * min(b_to_a * BIG, 1.0)))
    goal[2] = _room(a, swing, top)


@njit(error_model="numpy", forceinline=True)
def _room(carrier: float, swing: float, top: float) -> float:
    """The share of a swing for which there is room, all in cycles per sample."""
    return min(1.0, max(WIDEST - carrier - top, 0.0) / swing) if swing > 0.0 else 1.0


@njit(error_model="numpy", forceinline=True)
def _sub(
    share: float, shares: tuple[float, ...], bend: float, tamed: Row, levels: tuple[float, float, float, float],
    own: float, last: float, before: float, a: Row, b: Row, c: Row, d: Row, scratch: Scratch, i: int,
) -> tuple[float, float, float]:  # fmt: skip
    """A quarter of a sample: the fourth's last two values, and what is heard."""
    d_to_c, d_to_b, d_to_a, c_to_b, c_to_a, b_to_a, a_out, b_out, c_out, d_out = shares
    wave_d = sine(fma(own, last, fma(own, before, fma(share, scratch[512 + i], d[i]))))
    from_d = bend * wave_d * levels[3]
    wave_c = sine(fma(tamed[0] * d_to_c, from_d, fma(share, scratch[448 + i], c[i])))
    from_c = bend * wave_c * levels[2]
    wave_b = sine(fma(share, scratch[384 + i], b[i]) + tamed[1] * fma(d_to_b, from_d, c_to_b * from_c))
    from_b = bend * wave_b * levels[1]
    swing = tamed[2] * fma(d_to_a, from_d, fma(c_to_a, from_c, b_to_a * from_b))
    wave_a = sine(fma(share, scratch[320 + i], a[i]) + swing)
    heard = fma(a_out * levels[0], wave_a, b_out * levels[1] * wave_b)
    return wave_d, last, heard + fma(c_out * levels[2], wave_c, d_out * levels[3] * wave_d)


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
