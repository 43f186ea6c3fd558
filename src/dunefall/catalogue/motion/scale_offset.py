"""Scale & offset: a movement made larger, smaller, upside down, or moved."""

from __future__ import annotations

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.maths import fma

__all__ = ["MODULE"]


def kernel(signal: Row, scale: Row, offset: Row, low: Row, high: Row, out: Row, state: State) -> None:
    """State: unused."""
    for i in range(out.size):
        out[i] = min(max(fma(signal[i], scale[i], offset[i]), min(low[i], high[i])), max(low[i], high[i]))


MODULE = ModuleSpec(
    id="scale-offset",
    name="Scale & offset",
    stage="motion",
    sentence="Scales, inverts and offsets a control signal, and limits it to a range.",
    kernel=kernel,
    inputs=(Input("signal", "Signal", "control", "What is scaled."),),
    params=(
        Param("scale", "Scale", "ratio", -4, 4, 1, "Gain; negative inverts.", amount=0.5),
        Param("offset", "Offset", "none", -4, 4, 0, "Added after the scale: a scale of 50 % and 0.5 here make "
              "−1 to 1 into 0 to 1.", amount=0.3),
        Param("low", "Lowest", "none", -4, 4, -4, "It never goes below.", amount=0.3),
        Param("high", "Highest", "none", -4, 4, 4, "It never goes above.", amount=0.3),
    ),
    outputs=(Output("out", "Value", "control"),),
    face="scale",
    passes="signal",
    words=("attenuate", "invert", "shift", "bias", "range", "clip", "avoid zero"),
    presets=(
        Preset("Inverter", "Up becomes down.",
               {"scale": -1.0}, ("invert", "negative", "upside down")),
        Preset("One-sided", "From −1 to 1 becomes 0 to 1.",
               {"scale": 0.5, "offset": 0.5}, ("unipolar", "positive only")),
    ),
    sources=("linear map (definition)",),
)  # fmt: skip
