"""OSC out: a movement of the patch, as Open Sound Control for another program."""

from __future__ import annotations

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import ModuleSpec, Output, Param

__all__ = ["MODULE"]


def kernel(value: Row, low: Row, high: Row, rate_hz: Row, out: Row, state: State) -> None:
    """State: unused. ``low``, ``high`` and ``rate_hz`` are for what sends (``engine.devices.sending``)."""
    for i in range(out.size):
        out[i] = value[i]


MODULE = ModuleSpec(
    id="osc-out",
    name="OSC out",
    stage="motion",
    sentence="Moves something in another program: sends its value by Open Sound Control, to an address with its name.",
    kernel=kernel,
    params=(
        Param("value", "Value", "ratio", 0, 1, 0, "From the lowest to the highest number that is sent.", amount=0.5),
        Param("low", "Lowest", "none", -100000, 100000, 0, "Number that is sent for 0 %.", set_up=True),
        Param("high", "Highest", "none", -100000, 100000, 1, "Number that is sent for 100 %.", set_up=True),
        Param("rate_hz", "Rate", "hz", 0.1, 200, 25, "How often it is sent.", taper="octaves", amount=1.0,
              set_up=True),
    ),
    outputs=(Output("out", "Value", "control", 0, 1),),
    sends="osc",
    face="value",
    words=("open sound control", "send", "network", "external", "program", "lights", "video"),
    sources=("Open Sound Control 1.0 specification",),
)  # fmt: skip
