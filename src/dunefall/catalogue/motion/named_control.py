"""Named control: a value of the user's own that moves any number of others."""

from __future__ import annotations

from collections.abc import Mapping

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import ModuleSpec, Output, Param

__all__ = ["MODULE", "UNIT_SIGNS", "shown_value"]

UNIT_SIGNS = ("%", "", "Hz", "s", "st", "dB", "BPM", "°", "m", "°C")
"""Units in which it can be told."""


def shown_value(name: str, values: Mapping[str, float]) -> Param:
    """The control's value as a parameter in its own range and unit, under its own name; ``values`` are those that were
    set."""
    given = {param.id: values.get(param.id, param.default) for param in MODULE.params}
    low, high = sorted((given["low"], given["high"]))
    sign = UNIT_SIGNS[round(given["unit"])]
    title = f"{name} ({sign})" if sign else name
    high = high if high > low else low + 1.0
    return Param("value", title, "none", low, high, low + given["value"] * (high - low), "A value of your own.")


def kernel(value: Row, low: Row, high: Row, unit: Row, controller: Row, out: Row, state: State) -> None:
    """State: unused. ``low``, ``high``, ``unit`` and ``controller`` are for the eye and the hand only."""
    for i in range(out.size):
        out[i] = value[i]


MODULE = ModuleSpec(
    id="named-control",
    name="Named control",
    stage="motion",
    sentence="A control of your own, with a name, a range and a unit, that moves any number of values at once.",
    kernel=kernel,
    params=(
        Param("value", "Value", "ratio", 0, 1, 0, "From its minimum to its maximum; everything it moves follows.",
              amount=0.3),
        Param("low", "Shown from", "none", -100000, 100000, 0, "What its lowest is called."),
        Param("high", "Shown to", "none", -100000, 100000, 100, "What its highest is called."),
        Param("unit", "Shown in", "choice", 0, len(UNIT_SIGNS) - 1, 0, "What it is told in.",
              tuple(sign or "no unit" for sign in UNIT_SIGNS)),
        Param("controller", "MIDI controller", "none", -1, 127, -1, "MIDI controller number; −1: none.",
              whole=True),
    ),
    outputs=(Output("out", "Value", "control", 0, 1),),
    face="value",
    words=("macro", "master control", "knob", "midi", "osc", "performance", "gather"),
    sources=("definition",),
)  # fmt: skip
