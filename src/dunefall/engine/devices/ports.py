"""What the machine has of a kind of device, and which of them a user's choice means."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

from dunefall.base.errors import DeviceError

__all__ = ["Port", "chosen", "sound_names", "sound_ports", "usual_channels"]


class Port(NamedTuple):
    """A device: its number with PortAudio, its name, and how many channels it has."""

    number: int
    name: str
    channels: int


def sound_ports(direction: Literal["input", "output"], channels: int) -> list[Port]:
    """The machine's inputs or outputs with so many channels; raises ImportError or OSError without PortAudio."""
    import sounddevice

    entries = enumerate(sounddevice.query_devices())
    ports = (Port(k, str(entry["name"]), int(entry[f"max_{direction}_channels"])) for k, entry in entries)
    return [port for port in ports if port.channels >= channels]


def usual_channels(direction: Literal["input", "output"]) -> int:
    """How many channels the machine's default input or output has; there must be one."""
    import sounddevice

    return int(sounddevice.query_devices(kind=direction)[f"max_{direction}_channels"])


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
    raise DeviceError(f'there is no {kind} "{choice}"; this machine has: {there}; or choose "simulated"')
