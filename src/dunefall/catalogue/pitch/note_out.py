"""Note out: what the patch plays, as notes for another instrument."""

from __future__ import annotations

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.catalogue.ports import MIDI_CHANNELS

__all__ = ["BEND", "MODULE"]

BEND = ("the nearest key", "by the wheel")
"""How a pitch between two keys is sent."""


def kernel(
    gate: Row, notes: Row, force: Row, channel: Row, between: Row, sent: Row, pitch: Row, velocity: Row, state: State,
) -> None:  # fmt: skip
    """State: unused. ``channel`` and ``between`` are for what sends (``engine.devices.sending``)."""
    for i in range(sent.size):
        sent[i] = 1.0 if gate[i] > 0.5 else 0.0
        pitch[i] = notes[i]
        velocity[i] = force[i]


MODULE = ModuleSpec(
    id="note-out",
    name="Note out",
    stage="pitch",
    sentence="Plays another instrument: sends each gate as a MIDI note.",
    kernel=kernel,
    inputs=(Input("gate", "Gate", "gate", "A note begins when it rises, and ends when it falls.", listens=True),),
    params=(
        Param("notes", "Note", "note", 0, 127, 60, "Note that is sent; a linked pitch is relative to C4.", amount=7.0),
        Param("force", "Velocity", "ratio", 0.01, 1, 0.8, "How hard the note is struck.", amount=0.2),
        Param("channel", "MIDI channel", "choice", 0, 15, 0, "It is sent on.", MIDI_CHANNELS, set_up=True),
        Param("between", "Between keys", "choice", 0, 1, 0, "A pitch between two keys: the nearest key is played, or "
              "the pitch wheel bends it there (± 2 semitones).", BEND, set_up=True),
    ),
    outputs=(
        Output("sent", "Gate", "gate", 0, 1),
        Output("pitch", "Pitch", "pitch", seen=True),
        Output("velocity", "Velocity", "control", 0, 1, seen=True),
    ),
    sends="notes",
    face="notes",
    words=("midi", "midi out", "notes", "send", "instrument", "synthesizer", "external", "hardware"),
    sources=("MIDI 1.0 Detailed Specification: note on and off, pitch bend (from memory)",),
)  # fmt: skip
