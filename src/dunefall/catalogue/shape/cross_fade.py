"""Cross-fade: from one sound or movement to another."""

from __future__ import annotations

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma, sine

__all__ = ["MODULE"]


def kernel(a: Row, b: Row, place: Row, law: Row, out: Row, state: State) -> None:
    """State: unused."""
    for i in range(out.size):
        quarter = 0.25 * place[i]
        first = fma(law[i], sine(0.25 + quarter) - (1.0 - place[i]), 1.0 - place[i])
        second = fma(law[i], sine(quarter) - place[i], place[i])
        out[i] = fma(a[i], first, b[i] * second)


MODULE = ModuleSpec(
    id="cross-fade",
    name="Cross-fade",
    stage="shape",
    sentence="Crossfades from one sound, or one control signal, to another.",
    kernel=kernel,
    inputs=(
        Input("a", "Signal a", "audio", "Heard at the beginning."),
        Input("b", "Signal b", "audio", "Heard at the end."),
    ),
    params=(
        Param("place", "Place", "ratio", 0, 1, 0.5, "From a to b.", amount=0.5),
        Param("law", "Law", "choice", 0, 1, 1, "Linear, for control signals and similar sounds; or equal power.",
              ("even", "equal power")),
    ),
    outputs=(Output("out", "Both", "audio"),),
    face="place",
    passes="a",
    words=("blend", "morph", "mix two", "fade", "dissolve", "crossfader", "xfade"),
    sources=("linear and sine-cosine law (textbook)",),
)  # fmt: skip
