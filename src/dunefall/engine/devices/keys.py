"""MIDI inputs: those of the machine, the simulated keyboard that plays a shipped MIDI file, or the simulated clock."""

from __future__ import annotations

import random
import threading
import time
from collections.abc import Callable
from typing import Any, NamedTuple, Protocol

import mido

from dunefall.base.language import tr
from dunefall.engine.devices.sequencer import SequencerPort, why_no_midi
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
    "open_keys",
]

Played = Callable[[float, float, int, float], None]
"""Takes a note number, a velocity, 0 to 1, where 0 lets the note go, a MIDI channel, 1 to 16, and when, as
``time.monotonic()`` counts."""
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


class Keys(Protocol):
    """What the engine needs of a keyboard.

    Attributes
    ----------
    told : str
        What is wrong with it, in a sentence; empty: nothing.
    """

    simulated: bool
    told: str

    @property
    def name(self) -> str:
        """Who plays; empty while nobody is there."""

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

    def take(self, message: Any, at_s: float) -> None:
        """A MIDI message, and when it came; what is neither a note, a controller nor a clock is passed over."""
        if message.type in CLOCK_WORDS:
            self._timed(CLOCK_WORDS[message.type], at_s, getattr(message, "pos", 0))
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
        self._played(float(message.note), velocity, channel, at_s)

    def let_go(self) -> None:
        """Let go of everything."""
        for note, channel in sorted(self._held):
            self._played(float(note), 0.0, channel, time.monotonic())
        self._held.clear()


class SimulatedKeys:
    """Somebody who plays the shipped file over and over."""

    simulated, told = True, ""
    name = tr("simulated keyboard")

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
                self._held.take(message, time.monotonic())
        self._held.let_go()

    def stop(self) -> None:
        """Stop playing."""
        self._ended.set()
        self._thread.join()


class SimulatedClock:
    """A sequencer that begins after a while, at 87.3 BPM, whose ticks come up to 3 ms early or late."""

    simulated, name, told = True, tr(CLOCK), ""
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
    """A MIDI input of the machine, waited for while it is not there; raises DeviceError where there is no MIDI."""

    simulated = False

    def __init__(self, choice: str, takes: Takes) -> None:
        self._held = _Held(takes)
        self._port = SequencerPort("Dunefall in", choice, plays=True, took=self._held.take, left=self._held.let_go)
        self.told = self._port.told

    @property
    def name(self) -> str:
        """The one that plays; empty while none is there."""
        return self._port.other

    def stop(self) -> None:
        """Close the port."""
        self._port.close()
        self._held.let_go()


def open_keys(choice: str, takes: Takes) -> Keys | None:
    """The input for a choice: ``none``, ``auto`` (the first that is there, or comes), ``simulated``, ``simulated
    clock``, or part of a name.

    Raises
    ------
    DeviceError
        If there is no MIDI, and an input was named.
    """
    if choice == "none":
        return None
    if choice == "simulated":
        return SimulatedKeys(takes)
    if choice == CLOCK:
        return SimulatedClock(takes)
    return None if choice == "auto" and why_no_midi()[0] else RealKeys(choice, takes)
