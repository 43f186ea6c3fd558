"""Notes and movements of the patch, on their way to other instruments and programs.

Source: MIDI 1.0 Detailed Specification (from memory): note on and off, pitch bend of ± 2 semitones, control change.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import count

import mido
import numpy as np

from dunefall.base.language import tr
from dunefall.compiler.traces import SENT_SAMPLES
from dunefall.engine.devices.midiout import Door, GoingOut, MidiPort, open_midi_out
from dunefall.engine.devices.osc import OscOutput, destination, osc_name
from dunefall.engine.outgoing import Outgoing, Pace, Tap
from dunefall.engine.steady import Steady

__all__ = ["SAFE_S", "Sender", "open_sending", "sending"]

LOOK_S, REST_S, SAFE_S, STALE_S = 0.003, 0.05, 0.006, 0.5
"""So often it looks while something plays, and while nothing does; it sends so much later than a block, so that nothing
is ever too late for its own place; where no block has begun for so long nothing plays."""
CONTROL_S = 0.01
"""Controllers and the wheel move at most so often."""
HIGH, BENT, CENTRE = 0.5, 2.0, 8192


@dataclass
class _Voice:
    """What one tap has sent last."""

    tap: Tap
    high: bool = False
    key: int = -1
    channel: int = 0
    bend: int = 0
    number: int = -1
    due_s: float = 0.0


@dataclass(order=True)
class _Due:
    """A note that begins, or with no key ends."""

    at_s: float
    order: int
    voice: _Voice = field(compare=False)
    key: int = field(default=-1, compare=False)
    bend: int = field(default=0, compare=False)
    velocity: int = field(default=0, compare=False)


class Sender:
    """Decides what is sent when.

    Parameters
    ----------
    outgoing : Outgoing
        Where it is read from.
    rate : float
        Samples a second.
    block_s : float
        A block of the sound: what happens in one is sent while it is heard.
    port : MidiPort or None
        Where notes and controllers go.
    osc : OscOutput or None
        Where numbers go.
    """

    def __init__(
        self, outgoing: Outgoing, rate: float, block_s: float, port: MidiPort | None, osc: OscOutput | None
    ) -> None:
        self._outgoing, self._rate, self._late_s = outgoing, rate, block_s + SAFE_S
        self._port, self._osc = port, osc
        self._voices: dict[str, _Voice] = {}
        self._waiting: list[_Due] = []
        self._orders = count()
        self._cursor = self._place = 0
        self._begun = Steady()
        self._pace = Pace()

    def step(self, now_s: float) -> float:
        """Send what is due.

        Parameters
        ----------
        now_s : float
            ``time.monotonic()``.

        Returns
        -------
        float
            Time until the next look, in seconds.
        """
        pace = self._outgoing.pace
        if not pace.plays or now_s - pace.at_s > STALE_S or not self._outgoing.taps:
            self.end()
            self._cursor = self._outgoing.written
            return REST_S
        self._follow(pace)
        self._take_voices()
        last = self._outgoing.written
        first = self._cursor if 0 <= last - self._cursor <= SENT_SAMPLES // 2 else last
        self._cursor = last
        place = round((now_s - self._late_s - self._begun.seconds) * self._rate)
        self._place = min(max(place, last - SENT_SAMPLES // 2), last - 1)
        for voice in self._voices.values():
            if voice.tap.kind == "notes" and self._port is not None:
                self._notes(voice, first, last)
            if voice.tap.kind != "notes" or voice.key >= 0:
                self._moved(voice, now_s)
        while self._waiting and self._waiting[0].at_s <= now_s:
            self._send(heapq.heappop(self._waiting))
        return min(LOOK_S, self._waiting[0].at_s - now_s) if self._waiting else LOOK_S

    def end(self) -> None:
        """Let go of all notes."""
        self._waiting.clear()
        for voice in self._voices.values():
            self._leave(voice)
        self._voices.clear()

    def _follow(self, pace: Pace) -> None:
        """When the first sample of all would have begun; blocks that come a little early or late do not move it."""
        if pace != self._pace:
            self._pace = pace
            self._begun.follow(pace.at_s - pace.samples / self._rate)

    def _take_voices(self) -> None:
        """Begin with modules that are new, and let go of what those that are gone play."""
        taps = {tap.instance: tap for tap in self._outgoing.taps}
        for gone in [self._voices.pop(name) for name in list(self._voices) if name not in taps]:
            self._leave(gone)
            self._waiting = [due for due in self._waiting if due.voice is not gone]
            heapq.heapify(self._waiting)
        for instance, tap in taps.items():
            self._voices.setdefault(instance, _Voice(tap)).tap = tap

    def _notes(self, voice: _Voice, first: int, last: int) -> None:
        gate, pitch, force = voice.tap.slots
        high = self._outgoing.read(gate, first, last) > HIGH
        for k in np.flatnonzero(np.diff(high, prepend=voice.high)).tolist():
            at = first + k
            if high[k]:
                note = float(self._outgoing.read(pitch, at, at + 1)[0])
                struck = float(self._outgoing.read(force, at, at + 1)[0])
                self._begin(voice, at, note, struck)
            else:
                heapq.heappush(self._waiting, _Due(self._heard_s(at), next(self._orders), voice))
        voice.high = bool(high[-1]) if len(high) else voice.high

    def _begin(self, voice: _Voice, at: int, note: float, struck: float) -> None:
        if not (np.isfinite(note) and np.isfinite(struck)):
            return
        key = min(127, max(0, round(note)))
        bend, velocity = _bend(note, key, voice.tap), min(127, max(1, round(127 * struck)))
        heapq.heappush(self._waiting, _Due(self._heard_s(at), next(self._orders), voice, key, bend, velocity))

    def _heard_s(self, at: int) -> float:
        """When a sample is heard, or its block would be."""
        return self._begun.seconds + at / self._rate + self._late_s

    def _send(self, due: _Due) -> None:
        voice = due.voice
        self._let_go(voice)
        if due.key >= 0 and self._port is not None:
            voice.key, voice.channel = due.key, round(voice.tap.values["channel"])
            self._turn_wheel(voice, due.bend)
            note = {"channel": voice.channel, "note": due.key, "velocity": due.velocity}
            self._port.send(mido.Message("note_on", **note))

    def _turn_wheel(self, voice: _Voice, bend: int) -> None:
        if voice.bend != bend and self._port is not None:
            self._port.send(mido.Message("pitchwheel", channel=voice.channel, pitch=bend))
        voice.bend = bend

    def _let_go(self, voice: _Voice) -> None:
        if voice.key >= 0 and self._port is not None:
            self._port.send(mido.Message("note_off", channel=voice.channel, note=voice.key))
        voice.key = -1

    def _leave(self, voice: _Voice) -> None:
        """Nothing more is sent of it: no key stays down, and the wheel does not stay bent."""
        self._let_go(voice)
        self._turn_wheel(voice, 0)

    def _moved(self, voice: _Voice, now_s: float) -> None:
        """Where a controller, the wheel or a number stands now, if it is its turn."""
        tap = voice.tap
        pause_s = 1.0 / max(tap.values["rate_hz"], 0.1) if tap.kind == "osc" else CONTROL_S
        if now_s < voice.due_s:
            return
        voice.due_s = max(voice.due_s + pause_s, now_s - pause_s)
        slot = tap.slots[1 if tap.kind == "notes" else 0]
        value = float(self._outgoing.read(slot, self._place, self._place + 1)[0])
        if not np.isfinite(value):
            return
        if tap.kind == "osc" and self._osc is not None:
            low, high = tap.values["low"], tap.values["high"]
            self._osc.send(osc_name(tap.name), low + (high - low) * value)
        elif tap.kind == "controller" and self._port is not None:
            number = min(127, max(0, round(127 * value)))
            if number != voice.number:
                self._port.send(mido.Message(
                    "control_change", channel=round(tap.values["channel"]), control=round(tap.values["controller"]),
                    value=number,
                ))  # fmt: skip
            voice.number = number
        elif tap.kind == "notes":
            self._turn_wheel(voice, _bend(value, voice.key, tap))


def _bend(note: float, key: int, tap: Tap) -> int:
    """Where the wheel stands for a pitch: from the key that is held."""
    if tap.values["between"] < HIGH:
        return 0
    return min(CENTRE - 1, max(-CENTRE, round((note - key) / BENT * CENTRE)))


def sending(sender: Sender, doors: tuple[Door, ...], failed: Callable[[str], None]) -> GoingOut:
    """What sends, in a thread of its own.

    Parameters
    ----------
    sender : Sender
        Decides.
    doors : tuple of Door
        Port and output, closed with it.
    failed : function
        Is told, in a sentence, that the port refuses; then nothing is sent any more.

    Returns
    -------
    GoingOut
    """
    return GoingOut(sender.step, sender.end, doors, tr("Notes and controllers no longer go out"), failed)


def open_sending(
    outgoing: Outgoing, rate: float, frames: int, midi: str, osc: str, failed: Callable[[str], None]
) -> GoingOut | None:
    """What sends to a MIDI output (``none``, ``simulated`` or part of a port's name) and to a destination of Open Sound
    Control (empty: none).

    Raises
    ------
    DeviceError
        If one of them is not there or refuses; then nothing is open.
    """
    output = OscOutput(destination(osc), failed) if osc else None
    port = open_midi_out(midi, "Dunefall out", failed)
    doors = tuple(door for door in (port, output) if door is not None)
    return sending(Sender(outgoing, rate, frames / rate, port, output), doors, failed) if doors else None
