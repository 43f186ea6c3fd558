"""MIDI clock out: other devices go in time with the sound.

Twenty-four ticks to a beat, start, continue, stop and song position as the MIDI standard has them (MIDI 1.0 Detailed
Specification, "System Real Time Messages" and "Song Position Pointer", from memory).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

import mido

from dunefall.base.language import tr
from dunefall.engine.devices.midiout import GoingOut, MidiPort, open_midi_out

__all__ = [
    "SIXTEENTH",
    "TICKS",
    "BeatLine",
    "Ticker",
    "clock_out",
    "open_clock_out",
]

TICKS, SIXTEENTH = 24, 6
"""Of a beat, and of a sixteenth, in which song positions are told."""
LOOK_S, STALE_S, JUMP_BEATS, FIRST = 0.004, 0.5, 0.5, 0.25
"""So often it looks; a line as old as this no longer holds; the beats have jumped if they are off by this; others still
begin with a sixteenth of which so much has passed."""
MOST_SIXTEENTHS = 1 << 14


class BeatLine(NamedTuple):
    """Where the beats of the sound are: at a time of ``time.monotonic()``, and how fast they go; 0: it rests."""

    at_s: float = 0.0
    beats: float = 0.0
    per_s: float = 0.0


class Ticker:
    """Decides what is sent when.

    Parameters
    ----------
    port : MidiPort
        Where it goes.
    """

    def __init__(self, port: MidiPort) -> None:
        self._port = port
        self._tick = -1

    def step(self, line: BeatLine, now_s: float) -> float:
        """Send what is due.

        Parameters
        ----------
        line : BeatLine
            Where the beats are.
        now_s : float
            ``time.monotonic()``.

        Returns
        -------
        float
            Time until the next look, in seconds.
        """
        beats = line.beats + (now_s - line.at_s) * line.per_s
        runs = line.per_s > 0.0 and now_s - line.at_s < STALE_S
        if not runs or abs(self._tick / TICKS - beats) > JUMP_BEATS:
            self.end()
        if not runs:
            return LOOK_S
        if self._tick < 0:
            self._begin(beats)
        due_s = line.at_s + (self._tick / TICKS - line.beats) / line.per_s
        if due_s > now_s:
            return min(due_s - now_s, LOOK_S)
        self._port.send(mido.Message("clock"))
        self._tick += 1
        return 0.0

    def _begin(self, beats: float) -> None:
        """Others begin at the next sixteenth, which is the finest place that can be told."""
        sixteenth = max(0, math.ceil(beats * TICKS / SIXTEENTH - FIRST))
        self._tick = sixteenth * SIXTEENTH
        if sixteenth == 0:
            self._port.send(mido.Message("start"))
        else:
            self._port.send(mido.Message("songpos", pos=sixteenth % MOST_SIXTEENTHS))
            self._port.send(mido.Message("continue"))

    def end(self) -> None:
        """Stop the others, if they run."""
        if self._tick >= 0:
            self._tick = -1
            self._port.send(mido.Message("stop"))


def clock_out(port: MidiPort, line: Callable[[], BeatLine], failed: Callable[[str], None]) -> GoingOut:
    """A clock that ticks with the beats of the sound.

    Parameters
    ----------
    port : MidiPort
        Where it goes; closed with it.
    line : function
        Where the beats are.
    failed : function
        Is told, in a sentence, that the port refuses; then there is no clock any more.

    Returns
    -------
    GoingOut
    """
    ticker = Ticker(port)
    lost = tr("The MIDI clock no longer goes out")
    return GoingOut(lambda now_s: ticker.step(line(), now_s), ticker.end, (port,), lost, failed)


def open_clock_out(choice: str, line: Callable[[], BeatLine], failed: Callable[[str], None]) -> GoingOut | None:
    """A clock for a choice: ``none``, ``simulated`` or part of a port's name.

    Raises
    ------
    DeviceError
        If there is no MIDI, and a port was named.
    """
    port = open_midi_out(choice, "Dunefall clock out", failed)
    return clock_out(port, line, failed) if port is not None else None
