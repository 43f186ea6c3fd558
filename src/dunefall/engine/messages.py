"""What window and engine say to each other, one small class each; sent pickled over a pipe of the two processes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal

from dunefall.patch.model import Patch, Place, SoundRef
from dunefall.patch.take import END, Clear, Entry, Note, Press, Take
from dunefall.render.known import Ahead
from dunefall.render.portrait import Portrait

__all__ = [
    "Act",
    "Applied",
    "AskClicks",
    "AskPortrait",
    "CheckpointKept",
    "Clicked",
    "ClockWord",
    "DeviceChosen",
    "EngineOptions",
    "Faults",
    "FollowTransport",
    "GotClicks",
    "GotPortrait",
    "Happened",
    "KeepCheckpoint",
    "Leaving",
    "Monitor",
    "MoveTransport",
    "Open",
    "Play",
    "Prepare",
    "Prepared",
    "Probe",
    "ProgramRuns",
    "Progress",
    "Quit",
    "Replayed",
    "Seek",
    "SetDevice",
    "SetPatch",
    "Sought",
    "Stop",
    "TakeOver",
    "Ticked",
    "Transported",
    "Trouble",
    "Turned",
    "Watch",
]


ClockWord = Literal["tick", "start", "continue", "stop", "place"]


@dataclass(frozen=True)
class EngineOptions:
    """Devices by choice (``auto``, ``simulated``, part of a name), rate in Hz and frames per block; ``osc_out`` is a
    destination (``devices.osc.destination``), or empty."""

    audio: str = "auto"
    rate: float = 48000.0
    frames: int = 512
    live: str = "auto"
    keys: str = "auto"
    clock_out: str = "none"
    midi_out: str = "none"
    osc_out: str = ""


# -- window to engine -----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Prepare:
    """Get everything ready that can be ready before there is a patch: the kernels of these types of modules."""

    types: tuple[str, ...] = ()


@dataclass(frozen=True)
class Open:
    """Begin a take, fading out what sounds.

    Attributes
    ----------
    position : int
        Sample to go to. Beyond the start the sound begins there at once, with nothing remembered, and joins the take's
        own state as soon as that has been worked out.
    playing : bool
        Whether it sounds at once.
    """

    take: Take
    position: int = 0
    playing: bool = False


@dataclass(frozen=True)
class Seek:
    """Go to a sample of this take, in the state that it has there, and go on as it does.

    Attributes
    ----------
    ahead : Ahead
        A checkpoint of it, and its sound, which were made ahead.
    same_until : int
        Up to this sample it is the take that was heard before.
    """

    take: Take
    position: int
    ahead: Ahead = field(default_factory=Ahead)
    same_until: int = END


@dataclass(frozen=True)
class TakeOver:
    """What the take has at this sample or later does not happen: it goes on by hand."""

    at: int


@dataclass(frozen=True)
class SetPatch:
    """Sound this patch from now on; ``number`` comes back in ``Applied``."""

    patch: Patch
    number: int = 0


@dataclass(frozen=True)
class Act:
    """A note, a press or a clearing by hand; ``number`` comes back in ``Applied``."""

    what: Note | Press | Clear
    number: int = 0


@dataclass(frozen=True)
class Play:
    """Let sound run, fading in for so many seconds."""

    fade_s: float = 0.03


@dataclass(frozen=True)
class Stop:
    """Fade out and hold the position."""


@dataclass(frozen=True)
class Probe:
    """Write this output, sample by sample, into one of the probes."""

    index: int
    place: Place | None


@dataclass(frozen=True)
class Watch:
    """Compute these modules, or outputs named as ``shared.trace_key`` does, even if they lead nowhere: somebody looks
    at them."""

    modules: tuple[str, ...]


@dataclass(frozen=True)
class Monitor:
    """How the mix goes to the device.

    Attributes
    ----------
    limited : bool
        Whether the limiter is in the way.
    fold : "", "stereo" or "mono"
        Let it sound as it would on fewer loudspeakers: a check that changes no measure.
    """

    limited: bool = True
    fold: Literal["", "stereo", "mono"] = ""


@dataclass(frozen=True)
class FollowTransport:
    """Go with the transport of the sound server, or no longer."""

    on: bool = False


@dataclass(frozen=True)
class MoveTransport:
    """Let that transport roll or rest, and go to a time; None: as it is."""

    rolls: bool | None = None
    seconds: float | None = None


@dataclass(frozen=True)
class SetDevice:
    """Use other devices, another rate or another block."""

    options: EngineOptions


@dataclass(frozen=True)
class KeepCheckpoint:
    """Write the state of the next moment to a file."""

    path: Path


@dataclass(frozen=True)
class AskPortrait:
    """Draw what a module of a type does at these values."""

    type_id: str
    params: Mapping[str, float]
    sound: SoundRef | None = None
    series: Mapping[str, tuple[float, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class AskClicks:
    """Count how often a layer, by its output, clicks in the first seconds of each of some patches."""

    patches: tuple[Patch, ...]
    end: str
    seconds: float


@dataclass(frozen=True)
class Quit:
    """End."""


# -- engine to window -----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Progress:
    """A first start has to compile; ``done`` of ``total`` kernels are ready."""

    done: int
    total: int
    name: str


@dataclass(frozen=True)
class Prepared:
    """Ready to sound."""


@dataclass(frozen=True)
class ProgramRuns:
    """What belongs to what in the shared memory.

    Attributes
    ----------
    slots : dict
        Trace slot of each output by ``trace_key``.
    inputs : dict
        Place in ``now`` of each (module, port).
    asleep : frozenset of str
        Modules that lead nowhere: they are not computed unless they are watched.
    """

    slots: dict[str, int] = field(default_factory=dict)
    inputs: dict[tuple[str, str], int] = field(default_factory=dict)
    asleep: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Applied:
    """An edit or act took effect at this sample."""

    number: int
    at: int


@dataclass(frozen=True)
class Replayed:
    """What the take has up to this sample has happened again."""

    at: int


@dataclass(frozen=True)
class Happened:
    """Something that came from a device and belongs to the take."""

    entry: Entry


@dataclass(frozen=True)
class Sought:
    """The position that was ``asked`` for (-1: none) has been reached, or one close by, in its true state."""

    at: int
    asked: int = -1


@dataclass(frozen=True)
class CheckpointKept:
    """A file holds the state at a sample; -1: it could not be written, or the sound has not come to its true state."""

    path: Path
    position: int = -1


@dataclass(frozen=True)
class GotPortrait:
    """The curves that were asked for."""

    asked: AskPortrait
    portrait: Portrait


@dataclass(frozen=True)
class GotClicks:
    """The counts that were asked for."""

    asked: AskClicks
    counts: tuple[int, ...]


@dataclass(frozen=True)
class DeviceChosen:
    """The device that sounds, and a note if it is not the one asked for."""

    name: str
    simulated: bool
    rate: float
    frames: int
    note: str = ""


@dataclass(frozen=True)
class Clicked:
    """A layer's sound has clicked: its end, at which sample last, how large the step was, and how often so far."""

    module: str
    at: int
    size: float
    count: int


@dataclass(frozen=True)
class Ticked:
    """A MIDI clock has ticked, or it has told where it stands.

    Attributes
    ----------
    what : str
        ``tick``, ``start`` (the next tick is the first one), ``continue``, ``stop``, or ``place``.
    at_s : float
        When, as ``time.monotonic()`` counts.
    place_s : float
        Where the sound was at that time, in seconds from the start of the take; only while it plays.
    sixteenths : int
        Where the next tick is in the song, if that is told.
    """

    what: ClockWord
    at_s: float
    place_s: float = 0.0
    sixteenths: int = 0


@dataclass(frozen=True)
class Transported:
    """The transport of the sound server was moved.

    Attributes
    ----------
    there : bool
        Whether there is one.
    rolls : bool
        Whether it rolls; the engine has followed that already.
    seconds : float
        Its time.
    bpm : float
        Its tempo; 0: it tells none.
    """

    there: bool = True
    rolls: bool = False
    seconds: float = 0.0
    bpm: float = 0.0


@dataclass(frozen=True)
class Turned:
    """The new position of a MIDI controller (0 to 127), the wheel or the pressure (see ``engine.devices.keys``)."""

    controller: int
    place: float


@dataclass(frozen=True)
class Faults:
    """Modules that gave no finite number and were silenced."""

    modules: tuple[str, ...]


@dataclass(frozen=True)
class Leaving:
    """This process ends by itself, and another is to take its place; why, and the error where there was one."""

    text: str
    details: str = ""


@dataclass(frozen=True)
class Trouble:
    """Something went wrong; the text says what, the details of an error that nobody expected where it came from."""

    text: str
    details: str = ""
