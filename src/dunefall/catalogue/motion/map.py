"""Map: a drawn curve from what comes in to what goes out."""

from __future__ import annotations

from dunefall.base.arrays import Drawn, Row, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param, Series
from dunefall.dsp.curves import drawn

__all__ = ["MODULE"]


def kernel(signal: Row, span: Row, mix: Row, curve: Drawn, out: Row, state: State) -> None:
    """State: unused."""
    for i in range(out.size):
        place = signal[i] if span[i] >= 0.5 else 0.5 * signal[i] + 0.5
        out[i] = signal[i] + mix[i] * (drawn(curve, min(max(place, 0.0), 1.0), False) - signal[i])


MODULE = ModuleSpec(
    id="map",
    name="Map",
    stage="motion",
    sentence="Maps its input through a curve you draw.",
    kernel=kernel,
    inputs=(Input("signal", "Signal", "control", "Place on the curve."),),
    params=(
        Param("span", "Reads", "choice", 0, 1, 0, "The range the curve covers.", ("−1 to 1", "0 to 1")),
        Param("mix", "Strength", "ratio", 0, 1, 1, "From the unchanged input to the mapped one.", amount=0.3),
    ),
    series=(
        Series("curve", "Curve", "none", -1, 1, (-1, -0.9, -0.6, 0, 0.2, 0.1, 0.4, 0.8, 1),
               "Output (vertical) for each input (horizontal).", least=2, most=64, drawn="curve"),
    ),
    outputs=(Output("out", "Value", "control"),),
    face="mix",
    passes="signal",
    words=("transfer curve", "response", "table", "lookup", "shape a movement"),
    sources=("linear interpolation (definition)",),
)  # fmt: skip
