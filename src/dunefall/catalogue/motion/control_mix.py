"""Control mix: adds up to four movements."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Row, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import floor

__all__ = ["MODULE"]

FREE, CLIP, FOLD, WRAP = range(4)


def kernel(
    a: Row, b: Row, c: Row, d: Row, amount_a: Row, amount_b: Row, amount_c: Row, amount_d: Row, offset: Row,
    ending: Row, out: Row, state: State, moving: Mask,
) -> None:  # fmt: skip
    """State: unused."""
    for i in range(out.size):
        total = a[i] * amount_a[i] + b[i] * amount_b[i]
        out[i] = total + c[i] * amount_c[i] + d[i] * amount_d[i] + offset[i]
    way = int(ending[0] + 0.5)
    if moving >> 9 & 1:
        for i in range(out.size):
            out[i] = _ended(out[i], int(ending[i] + 0.5))
    elif way == CLIP:
        for i in range(out.size):
            out[i] = min(max(out[i], -1.0), 1.0)
    elif way != FREE:
        for i in range(out.size):
            out[i] = _ended(out[i], way)


@njit(error_model="numpy", forceinline=True)
def _ended(value: float, way: float) -> float:
    """What goes above 1 or below -1: left, cut, folded back, or going on from the other end."""
    if way == CLIP:
        return min(max(value, -1.0), 1.0)
    if way == FOLD:
        quarter = 0.25 * value + 0.25
        return abs(4.0 * (quarter - floor(quarter)) - 2.0) * -1.0 + 1.0
    if way == WRAP:
        half = 0.5 * value + 0.5
        return 2.0 * (half - floor(half)) - 1.0
    return value


LETTERS = "abcd"
MODULE = ModuleSpec(
    id="control-mix",
    name="Control mix",
    stage="motion",
    sentence="Adds up to four modulators, each by its own amount, and clips, folds or wraps the sum.",
    kernel=kernel,
    inputs=tuple(Input(letter, f"Movement {letter}", "control", "What is added.") for letter in LETTERS),
    params=(
        *(Param(f"amount_{letter}", f"Amount {letter}", "ratio", -2, 2, 1, "Amount; negative inverts.",
                amount=0.5) for letter in LETTERS),
        Param("offset", "Offset", "none", -2, 2, 0, "Added to the sum.", amount=0.3),
        Param("ending", "Beyond 1", "choice", 0, 3, 0, "What happens above 1 and below −1.",
              ("nothing", "cut", "folded", "wrapped")),
    ),
    outputs=(Output("out", "Sum", "control"),),
    state=1,
    face="offset",
    passes="a",
    words=("add", "sum", "layered modulation", "combine", "attenuverter", "fold", "wrap"),
    sources=("sum, triangle and sawtooth folding (definition)",),
)  # fmt: skip
