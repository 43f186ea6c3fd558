"""Logic: one gate of several."""

from __future__ import annotations

from dunefall.base.arrays import Mask, Row, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset

__all__ = ["MODULE"]

LAST_A, LAST_B, LAST_C, TOGGLED = range(4)
KINDS = ("and", "or", "exclusive or", "not", "majority", "toggle")


def kernel(a: Row, b: Row, c: Row, kind: Row, out: Row, inverse: Row, state: State, linked: Mask) -> None:
    """State: the three gates of the sample before, whether the toggle is on. Inputs to which nothing is linked do not
    count."""
    many = float((linked & 1) + (linked >> 1 & 1) + (linked >> 2 & 1))
    last_a, last_b, last_c, toggled = state[LAST_A], state[LAST_B], state[LAST_C], state[TOGGLED]
    for i in range(out.size):
        high_a = 1.0 if a[i] > 0.5 else 0.0
        high_b = 1.0 if b[i] > 0.5 else 0.0
        high_c = 1.0 if c[i] > 0.5 else 0.0
        together = high_a + high_b + high_c
        rises = high_a > last_a or high_b > last_b or high_c > last_c
        toggled = 1.0 - toggled if rises else toggled
        last_a, last_b, last_c = high_a, high_b, high_c
        way = int(kind[i] + 0.5)
        if way == 0:
            value = many > 0.0 and together == many
        elif way == 1:
            value = together > 0.0
        elif way == 2:
            value = together == 1.0 or together == 3.0
        elif way == 3:
            value = together == 0.0
        elif way == 4:
            value = 2.0 * together > many
        else:
            value = toggled > 0.5
        out[i] = 1.0 if value else 0.0
        inverse[i] = 1.0 - out[i]
    state[LAST_A], state[LAST_B], state[LAST_C], state[TOGGLED] = last_a, last_b, last_c, toggled


MODULE = ModuleSpec(
    id="logic",
    name="Logic",
    stage="time",
    sentence="Combines up to three gates into one: all, any, an odd number, none, most of them, or a toggle.",
    kernel=kernel,
    inputs=tuple(Input(letter, f"Gate {letter}", "gate", "Ignored when nothing is linked.") for letter in "abc"),
    params=(Param("kind", "Kind", "choice", 0, 5, 0, "When the gate is high.", KINDS),),
    outputs=(Output("out", "Gate", "gate", 0, 1), Output("inverse", "Inverse", "gate", 0, 1)),
    state=4,
    cycle=Cycle(steps=lambda g: 2 if g.values["kind"] == 5 else 1, at=("a", "b", "c")),
    face="kind",
    passes="a",
    words=("and", "or", "xor", "not", "flip-flop", "combine gates", "boolean", "exclusive or"),
    presets=(
        Preset("Exclusive or", "High while just one of its gates is.",
               {"kind": "exclusive or"}, ("xor", "exclusive-or", "either but not both")),
        Preset("Inverted gate", "High while its gate is low.",
               {"kind": "not"}, ("not", "invert gate")),
        Preset("Toggle", "Changes side at each trigger.",
               {"kind": "toggle"}, ("flip-flop", "latch", "on off")),
    ),
    sources=("Boolean algebra (definition)",),
)  # fmt: skip
