"""Mix: four sounds into one."""

from __future__ import annotations

from dunefall.base.arrays import Row
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param

__all__ = ["MODULE"]


def kernel(a: Row, b: Row, c: Row, d: Row, level_a: Row, level_b: Row, level_c: Row, level_d: Row, out: Row) -> None:
    """Keeps nothing."""
    for i in range(out.size):
        out[i] = a[i] * level_a[i] + b[i] * level_b[i] + c[i] * level_c[i] + d[i] * level_d[i]


MODULE = ModuleSpec(
    id="mix",
    name="Mix",
    stage="shape",
    sentence="Adds up to four sounds, each with a level of its own.",
    kernel=kernel,
    inputs=(
        Input("a", "A", "audio"),
        Input("b", "B", "audio"),
        Input("c", "C", "audio"),
        Input("d", "D", "audio"),
    ),
    params=(
        Param("level_a", "Level A", "ratio", -1, 2, 1, "Negative inverts the polarity.", amount=0.5),
        Param("level_b", "Level B", "ratio", -1, 2, 1, "Negative inverts the polarity.", amount=0.5),
        Param("level_c", "Level C", "ratio", -1, 2, 1, "Negative inverts the polarity.", amount=0.5),
        Param("level_d", "Level D", "ratio", -1, 2, 1, "Negative inverts the polarity.", amount=0.5),
    ),
    outputs=(Output("out", "Sum", "audio"),),
    face="level_a",
    passes="a",
    shows="wave",
    words=("add", "sum", "blend", "mixer"),
    sources=("definition",),
)
