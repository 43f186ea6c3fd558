"""MIDI outputs: ports of the machine through ``mido``, and one that notes what it is sent."""

from __future__ import annotations

import time
from collections import deque
from typing import Any, Protocol

import mido

from dunefall.base.errors import DeviceError
from dunefall.engine.devices.keys import midi_names
from dunefall.engine.devices.ports import chosen

__all__ = ["MidiPort", "SimulatedPort", "open_midi_out", "output_names"]


class MidiPort(Protocol):
    """What is needed of a MIDI output."""

    def send(self, message: Any) -> None:
        """Send a message now."""

    def close(self) -> None:
        """Send no more."""


class SimulatedPort:
    """Notes what is sent.

    Attributes
    ----------
    sent : deque of (float, message)
        When, as ``time.monotonic()`` counts, and what; the last thousands.
    """

    def __init__(self) -> None:
        self.sent = deque[tuple[float, Any]](maxlen=10_000)
        self.closed = False

    def send(self, message: Any) -> None:
        """Note a message."""
        self.sent.append((time.monotonic(), message))

    def close(self) -> None:
        """Note that it is closed."""
        self.closed = True


def output_names() -> list[str]:
    """Names of the machine's MIDI outputs."""
    return midi_names(mido.get_output_names)


def open_midi_out(choice: str) -> MidiPort | None:
    """The output for a choice: ``none``, ``simulated`` or part of a port's name.

    Raises
    ------
    DeviceError
        If a named port is not there or refuses.
    """
    if choice == "none":
        return None
    if choice == "simulated":
        return SimulatedPort()
    names = output_names()
    name = names[chosen(choice, names, "MIDI output")]
    try:
        port: MidiPort = mido.open_output(name)
    except (ImportError, OSError, ValueError) as error:
        raise DeviceError(f"the MIDI output {name} cannot be used: {error}") from error
    return port
