"""Controller out: a movement of the patch, as a MIDI controller for another instrument."""

from __future__ import annotations

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import ModuleSpec, Output, Param
from dunefall.catalogue.ports import MIDI_CHANNELS

__all__ = ["MODULE"]


def kernel(value: Row, controller: Row, channel: Row, out: Row, state: State) -> None:
    """State: unused. ``controller`` and ``channel`` are for what sends (``engine.devices.sending``)."""
    for i in range(out.size):
        out[i] = value[i]


MODULE = ModuleSpec(
    id="controller-out",
    name="Controller out",
    stage="motion",
    sentence="Turns a knob of another instrument: sends its value as a MIDI controller.",
    kernel=kernel,
    params=(
        Param("value", "Value", "ratio", 0, 1, 0, "Sent as 0 to 127, whenever that changes.", amount=0.5),
        Param("controller", "MIDI controller", "none", 0, 127, 1, "MIDI controller number.", whole=True, set_up=True),
        Param("channel", "MIDI channel", "choice", 0, 15, 0, "It is sent on.", MIDI_CHANNELS, set_up=True),
    ),
    outputs=(Output("out", "Value", "control", 0, 1),),
    sends="controller",
    face="value",
    words=("midi", "midi out", "cc", "send", "knob", "external", "hardware", "modulation"),
    sources=("MIDI 1.0 Detailed Specification: control change (from memory)",),
)  # fmt: skip
