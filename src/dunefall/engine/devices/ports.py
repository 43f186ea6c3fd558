"""What the machine has of a kind of device, and which of them a user's choice means."""

from __future__ import annotations

import ctypes
import ctypes.util
import threading
from collections.abc import Sequence
from functools import cache
from typing import Any, Literal, NamedTuple

from dunefall.base.errors import DeviceError
from dunefall.base.language import tr

__all__ = ["Port", "chosen", "chosen_port", "close_stream", "portaudio", "sound_names", "sound_ports", "usual_channels"]

CLOSING_S = 0.5
"""Closing the stream of a sound server that has died never ends."""
JACK_NAME = b"Dunefall"
"""It lives as long as the program, as PortAudio asks for."""


class Port(NamedTuple):
    """A device: its number with PortAudio, its name, and how many channels it has."""

    number: int
    name: str
    channels: int


def portaudio() -> Any:
    """The package ``sounddevice``, loaded when it is first needed; raises ImportError or OSError without PortAudio."""
    _named()
    import sounddevice

    return sounddevice


@cache
def _named() -> None:
    """Let JACK show this program by its name: PortAudio's own stands there otherwise. It must be told before it
    starts, which is when the package is loaded."""
    library = ctypes.util.find_library("portaudio")
    tell = getattr(ctypes.CDLL(library), "PaJack_SetClientName", None) if library else None
    if tell is not None:
        tell(ctypes.c_char_p(JACK_NAME))


def sound_ports(direction: Literal["input", "output"], channels: int) -> list[Port]:
    """The machine's inputs or outputs with so many channels; raises ImportError or OSError without PortAudio."""
    entries = enumerate(portaudio().query_devices())
    ports = (Port(k, str(entry["name"]), int(entry[f"max_{direction}_channels"])) for k, entry in entries)
    return [port for port in ports if port.channels >= channels]


def usual_channels(direction: Literal["input", "output"]) -> int:
    """How many channels the machine's default input or output has; there must be one."""
    return int(portaudio().query_devices(kind=direction)[f"max_{direction}_channels"])


def sound_names(direction: Literal["input", "output"], channels: int) -> list[str]:
    """Their names; none where there is no sound system."""
    try:
        return [port.name for port in sound_ports(direction, channels)]
    except (ImportError, OSError):
        return []


def chosen(choice: str, names: Sequence[str], kind: str) -> int:
    """Place of the first name that holds what the user named; raises DeviceError with what there is."""
    for place, name in enumerate(names):
        if choice.lower() in name.lower():
            return place
    there = ", ".join(names) or "none"
    raise DeviceError(tr('there is no {kind} "{choice}"; this machine has: {there}; or choose "simulated"', kind=kind,
                         choice=choice, there=there))  # fmt: skip


def chosen_port(choice: str, ports: Sequence[Port], kind: str) -> Port:
    """The first port whose name holds what the user named; raises DeviceError with what there is."""
    return ports[chosen(choice, [port.name for port in ports], kind)]


def close_stream(stream: Any) -> None:
    """Close a stream of PortAudio; where that does not end, go on without waiting for it."""
    closing = threading.Thread(target=stream.close, name="closing a device", daemon=True)
    closing.start()
    closing.join(CLOSING_S)
