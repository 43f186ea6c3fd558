"""What window and engine say to each other, one small class each; sent pickled over a pipe of the two processes."""

from __future__ import annotations

from dataclasses import dataclass, field

from dunefall.patch.model import Patch, Place

__all__ = [
    "DeviceChosen",
    "Faults",
    "Play",
    "Prepared",
    "Probe",
    "ProgramRuns",
    "Progress",
    "Quit",
    "Rewind",
    "SetPatch",
    "Stop",
    "Trouble",
]


@dataclass(frozen=True)
class SetPatch:
    """Window to engine: sound this patch from now on."""

    patch: Patch


@dataclass(frozen=True)
class Play:
    """Window to engine: let sound run."""


@dataclass(frozen=True)
class Stop:
    """Window to engine: fade out and hold the position."""


@dataclass(frozen=True)
class Rewind:
    """Window to engine: go back to the beginning, with all memories cleared."""


@dataclass(frozen=True)
class Probe:
    """Window to engine: write this output, sample by sample, into one of the probes."""

    index: int
    place: Place | None


@dataclass(frozen=True)
class Quit:
    """Window to engine: end."""


@dataclass(frozen=True)
class Progress:
    """Engine to window: a first start has to compile; ``done`` of ``total`` kernels are ready."""

    done: int
    total: int
    name: str


@dataclass(frozen=True)
class Prepared:
    """Engine to window: ready to sound."""


@dataclass(frozen=True)
class ProgramRuns:
    """Engine to window: which trace slot (by ``trace_key``) and which place in ``now`` belongs to what."""

    slots: dict[str, int] = field(default_factory=dict)
    inputs: dict[tuple[str, str], int] = field(default_factory=dict)


@dataclass(frozen=True)
class DeviceChosen:
    """Engine to window: the device that sounds, and a note if it is not the one asked for."""

    name: str
    simulated: bool
    note: str = ""


@dataclass(frozen=True)
class Faults:
    """Engine to window: modules that gave no finite number and were silenced."""

    modules: tuple[str, ...]


@dataclass(frozen=True)
class Trouble:
    """Engine to window: something went wrong; the text says what."""

    text: str
