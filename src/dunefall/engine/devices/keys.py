"""MIDI inputs: ports of the machine through ``mido``, the simulated keyboard that plays a shipped MIDI file, or the
simulated clock.
"""

from __future__ import annotations

import random
import threading
import time
from collections.abc import Callable
from importlib.util import find_spec
from pathlib import Path
from typing import Any, NamedTuple, Protocol

import mido

from dunefall.base.errors import DeviceError
from dunefall.engine.devices.ports import chosen
from dunefall.engine.messages import ClockWord
from dunefall.patch.library import DATA

__all__ = [
    "CLOCK",
    "PRESSURE",
    "WHEEL",
    "Keys",
    "RealKeys",
    "SimulatedClock",
    "SimulatedKeys",
    "Takes",
    "key_names",
    "midi_names",
    "open_keys",
    "why_no_keys",
]

Played = Callable[[float, float, int], None]
"""Takes a note number, a velocity, 0 to 1, where 0 lets the note go, and a MIDI channel, 1 to 16."""
Turned = Callable[[int, float], None]
"""Takes the number of a controller and where it stands, 0 to 1; ``WHEEL`` goes from -1 to 1."""
Timed = Callable[[ClockWord, float, int], None]
"""Takes what a clock says (see ``messages.Ticked``), when, as ``time.monotonic()`` counts, and its song position."""
CLOCK_WORDS: dict[str, ClockWord] = {
    "clock": "tick", "start": "start", "continue": "continue", "stop": "stop", "songpos": "place",
}  # fmt: skip
CLOCK = "simulated clock"
WHEEL, PRESSURE = 128, 129
"""The pitch wheel and the pressure of the keys, counted on from the 128 controllers."""
SHIPPED = DATA / "keys.mid"
SEQUENCER = Path("/dev/snd/seq")
"""Without it ALSA has no MIDI, and says so on the terminal when it is asked."""


class Keys(Protocol):
    """What the engine needs of a keyboard."""

    name: str
    simulated: bool

    def stop(self) -> None:
        """Close it; what is held is let go."""


class Takes(NamedTuple):
    """Who takes what comes in; called in the thread of the input."""

    played: Played
    turned: Turned
    timed: Timed


class _Held:
    """Hands on what comes in, and remembers which notes are held."""

    def __init__(self, takes: Takes) -> None:
        self._played, self._turned, self._timed = takes
        self._held: set[tuple[int, int]] = set()

    def take(self, message: Any) -> None:
        """A MIDI message; what is neither a note, a controller nor a clock is passed over."""
        if message.type in CLOCK_WORDS:
            self._timed(CLOCK_WORDS[message.type], time.monotonic(), getattr(message, "pos", 0))
        elif message.type == "control_change":
            self._turned(message.control, message.value / 127.0)
        elif message.type == "pitchwheel":
            self._turned(WHEEL, max(message.pitch / 8191.0, -1.0))
        elif message.type == "aftertouch":
            self._turned(PRESSURE, message.value / 127.0)
        if message.type not in ("note_on", "note_off"):
            return
        velocity = message.velocity / 127.0 if message.type == "note_on" else 0.0
        channel = message.channel + 1
        (self._held.add if velocity > 0.0 else self._held.discard)((message.note, channel))
        self._played(float(message.note), velocity, channel)

    def let_go(self) -> None:
        """Let go of everything."""
        for note, channel in sorted(self._held):
            self._played(float(note), 0.0, channel)
        self._held.clear()


class SimulatedKeys:
    """Somebody who plays the shipped file over and over."""

    simulated = True
    name = "simulated keyboard"

    def __init__(self, takes: Takes) -> None:
        self._held = _Held(takes)
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._play, name="simulated keyboard", daemon=True)
        self._thread.start()

    def _play(self) -> None:
        file = mido.MidiFile(SHIPPED)
        while not self._ended.is_set():
            for message in file:
                if self._ended.wait(message.time):
                    break
                self._held.take(message)
        self._held.let_go()

    def stop(self) -> None:
        """Stop playing."""
        self._ended.set()
        self._thread.join()


class SimulatedClock:
    """A sequencer that begins after a while, at 87.3 BPM, whose ticks come up to 3 ms early or late."""

    simulated, name = True, CLOCK
    bpm, jitter_s, begins_s = 87.3, 3e-3, 0.5

    def __init__(self, takes: Takes) -> None:
        self._timed = takes.timed
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name=CLOCK, daemon=True)
        self._thread.start()

    def _run(self) -> None:
        dice, first, count = random.Random(1), time.monotonic() + self.begins_s, 0
        self._timed("start", first, 0)
        while True:
            at = first + count * 60.0 / (24 * self.bpm) + dice.uniform(-self.jitter_s, self.jitter_s)
            if self._ended.wait(max(0.0, at - time.monotonic())):
                return
            self._timed("tick", at, 0)  # with the time of the device, as its driver tells it: this thread may be late
            count += 1

    def stop(self) -> None:
        """Stop ticking."""
        self._ended.set()
        self._thread.join()


class RealKeys:
    """A MIDI input of the machine; raises DeviceError if it refuses."""

    simulated = False

    def __init__(self, name: str, takes: Takes) -> None:
        self.name = name
        self._held = _Held(takes)
        try:
            self._port: Any = mido.open_input(name, callback=self._held.take)
        except (ImportError, OSError, ValueError) as error:
            raise DeviceError(f"the MIDI input {name} cannot be used: {error}") from error

    def stop(self) -> None:
        """Close the port."""
        self._port.close()
        self._held.let_go()


def why_no_keys() -> tuple[str, str]:
    """Why this machine can have no MIDI, and what to do about it; both empty if it can."""
    if not SEQUENCER.exists():
        return f"this machine has no {SEQUENCER}, the kernel's MIDI sequencer", "sudo modprobe snd-seq"
    if find_spec("rtmidi") is None:
        return "the package python-rtmidi is missing", "python -m pip install python-rtmidi"
    return "", ""


def midi_names(listed: Callable[[], list[str]]) -> list[str]:
    """Names of the machine's MIDI ports, as one of mido's functions lists them; empty where there is no MIDI."""
    if not SEQUENCER.exists():
        return []
    try:
        return list(dict.fromkeys(listed()))
    except (ImportError, OSError):
        return []


def key_names() -> list[str]:
    """Names of the machine's MIDI inputs."""
    return midi_names(mido.get_input_names)


def open_keys(choice: str, takes: Takes) -> Keys | None:
    """The input for a choice: ``none``, ``auto`` (the first one, if there is one), ``simulated``, ``simulated clock``,
    or part of a name.

    Raises
    ------
    DeviceError
        If a named keyboard is not there or refuses.
    """
    if choice == "none":
        return None
    if choice == "simulated":
        return SimulatedKeys(takes)
    if choice == CLOCK:
        return SimulatedClock(takes)
    names = key_names()
    if choice == "auto":
        return RealKeys(names[0], takes) if names else None
    return RealKeys(names[chosen(choice, names, "MIDI input")], takes)
