"""FM stack: four operators in an arrangement."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from numba import njit
from numpy.typing import NDArray

from dunefall.catalogue.declare import ModuleSpec, Output, Param
from dunefall.dsp.maths import floor, fma, note_to_hz, sine

__all__ = ["ARRANGEMENTS", "MODULE"]

LAST, BEFORE = 4, 5
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


def kernel(  # type: ignore[no-untyped-def]
    pitch_note, arrangement, index, feedback, a_ratio, b_ratio, c_ratio, d_ratio, a_hz, b_hz, c_hz, d_hz, a_level,
    b_level, c_level, d_level, level, out, state, rate, moving,
):  # fmt: skip
    """State: phases of the four in cycles; the last two values of the fourth, which bends itself.

    From the fourth to the first, each is bent by those before it, by its level times the index, in radians.
    """
    held = state[0], state[1], state[2], state[3], state[LAST], state[BEFORE]
    if moving:
        for i in range(out.size):
            heard, held = _next(
                note_to_hz(pitch_note[i]), _shares(arrangement[i]), index[i], feedback[i],
                (a_ratio[i], b_ratio[i], c_ratio[i], d_ratio[i]), (a_hz[i], b_hz[i], c_hz[i], d_hz[i]),
                (a_level[i], b_level[i], c_level[i], d_level[i]), held, 1.0 / rate,
            )  # fmt: skip
            out[i] = level[i] * heard
    else:
        ratios, hertz = (a_ratio[0], b_ratio[0], c_ratio[0], d_ratio[0]), (a_hz[0], b_hz[0], c_hz[0], d_hz[0])
        levels = (a_level[0], b_level[0], c_level[0], d_level[0])
        base, shares, bend, own, per = (
            note_to_hz(pitch_note[0]),
            _shares(arrangement[0]),
            index[0],
            feedback[0],
            1 / rate,
        )
        for i in range(out.size):
            heard, held = _next(base, shares, bend, own, ratios, hertz, levels, held, per)
            out[i] = level[0] * heard
    state[0], state[1], state[2], state[3], state[LAST], state[BEFORE] = held


@njit(error_model="numpy", forceinline=True)
def _next(base, shares, index, feedback, ratios, hertz, levels, held, per):  # type: ignore[no-untyped-def]
    """A sample of what is heard, and what is held after it."""
    a, b, c, d, last, before = held
    d_to_c, d_to_b, d_to_a, c_to_b, c_to_a, b_to_a, a_out, b_out, c_out, d_out = shares
    own, bend = feedback * (0.5 * PER_RADIAN), index * PER_RADIAN
    wave_d = sine(fma(own, last, fma(own, before, d)))
    from_d = bend * wave_d * levels[3]
    wave_c = sine(fma(d_to_c, from_d, c))
    from_c = bend * wave_c * levels[2]
    wave_b = sine(b + fma(d_to_b, from_d, c_to_b * from_c))
    from_b = bend * wave_b * levels[1]
    wave_a = sine(a + fma(d_to_a, from_d, fma(c_to_a, from_c, b_to_a * from_b)))
    heard = fma(a_out * levels[0], wave_a, b_out * levels[1] * wave_b)
    heard += fma(c_out * levels[2], wave_c, d_out * levels[3] * wave_d)
    a, b = _on(a, base, ratios[0], hertz[0], per), _on(b, base, ratios[1], hertz[1], per)
    c, d = _on(c, base, ratios[2], hertz[2], per), _on(d, base, ratios[3], hertz[3], per)
    return heard, (a, b, c, d, wave_d, last)


@njit(error_model="numpy", forceinline=True)
def _on(phase, base, ratio, hz, per):  # type: ignore[no-untyped-def]
    """The phase a sample later, at a multiple of the pitch and so many hertz."""
    phase += min(max(fma(base, ratio, hz) * per, -0.5), 0.5)
    return phase - floor(phase)


@njit(error_model="numpy", forceinline=True)
def _shares(form):  # type: ignore[no-untyped-def]
    """Who bends whom, and who is heard."""
    return (
        _share(form, 3, 2), _share(form, 3, 1), _share(form, 3, 0), _share(form, 2, 1), _share(form, 2, 0),
        _share(form, 1, 0), _share(form, 4, 0), _share(form, 4, 1), _share(form, 4, 2), _share(form, 4, 3),
    )  # fmt: skip


@njit(error_model="numpy", forceinline=True)
def _share(form, source, target):  # type: ignore[no-untyped-def]
    """A place of the matrix, between two arrangements where the choice glides."""
    low = int(form)
    here, share = MATRIX[low, source, target], form - low
    return here if share == 0.0 else fma(share, MATRIX[low + 1, source, target] - here, here)


def _operator(letter: str, ratio: float, level: float) -> tuple[Param, Param, Param]:
    low = letter.lower()
    return (
        Param(f"{low}_ratio", f"{letter} ratio", "factor", 0, 32, ratio, "Frequency as a multiple of the pitch; 0 for "
              "a fixed one.", amount=0.5),
        Param(f"{low}_hz", f"{letter} hertz", "shift", -8000, 8000, 0, "Hertz on top of that: a beat, or with ratio 0 "
              "a fixed frequency.", amount=20.0),
        Param(f"{low}_level", f"{letter} level", "ratio", 0, 1, level, "How loud it is, or how far it bends.",
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
    sentence="Four operators that bend each other in one of eight arrangements: bells, reeds, growls, glass.",
    kernel=kernel,
    params=(
        Param("pitch_note", "Pitch", "note", -24, 136, 48, "The note; a linked pitch is counted from C4.", amount=7.0),
        Param("arrangement", "Arrangement", "choice", 0, 7, 0, "Who bends whom; glides from one to the next.",
              tuple(ARRANGEMENTS), amount=1.0),
        Param("index", "Index", "factor", 0, 20, 3, "How far a full level bends, in radians.", amount=1.0),
        Param("feedback", "Feedback", "factor", 0, 4, 0, "How far D bends itself, in radians; rough from 1 on.",
              amount=0.3),
        *(params[0] for params in _OPERATORS),
        *(params[1] for params in _OPERATORS),
        *(params[2] for params in _OPERATORS),
        Param("level", "Level", "ratio", 0, 1, 0.5, "Height of all together.", amount=0.3),
    ),
    outputs=(Output("out", "Tone", "audio"),),
    state=6,
    handle=("arrangement", "index"),
    network=_network,
    face="arrangement",
    words=("fm", "operators", "algorithm", "bell", "brass", "metal", "electric piano", "glass"),
    sources=("Chowning 1973, J. AES 21 (spectrum of frequency modulation)",
             "Schottstaedt 1977, Computer Music Journal 1 (several modulators; from memory)"),
)  # fmt: skip
