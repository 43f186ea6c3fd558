"""Named control: a value of the user's own that moves any number of others."""

from __future__ import annotations

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import ModuleSpec, Output, Param

__all__ = ["MODULE", "UNIT_SIGNS"]

UNIT_SIGNS = ("%", "", "Hz", "s", "st", "dB", "BPM", "°", "m", "°C")
"""Units in which it can be told."""


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
        Param("low", "Shown from", "none", -100000, 100000, 0, "What its lowest is called, "
              "where nothing that it moves has its unit.", set_up=True),
        Param("high", "Shown to", "none", -100000, 100000, 100, "What its highest is called, "
              "where nothing that it moves has its unit.", set_up=True),
        Param("unit", "Shown in", "choice", 0, len(UNIT_SIGNS) - 1, 0, "What it is told in.",
              tuple(sign or "no unit" for sign in UNIT_SIGNS), set_up=True),
        Param("controller", "MIDI controller", "none", -1, 127, -1, "MIDI controller number; −1: none.",
              whole=True, set_up=True),
    ),
    outputs=(Output("out", "Value", "control", 0, 1),),
    face="value",
    words=("macro", "master control", "knob", "midi", "osc", "performance", "gather"),
    sources=("definition",),
)  # fmt: skip
