"""In time with a MIDI clock: tempo and beat of the patch follow those of another device.

A clock comes with some milliseconds of jitter. Its ticks are filtered with a straight line of growing memory (the
expanding-memory polynomial filter of the first degree: Brookner, "Tracking and Kalman Filtering Made Easy", 1998,
chapter 1.2.10, from memory); where ticks keep coming to one side of the line, the tempo is changing, and all but the
last ones are forgotten. The patch's tempo then is the clock's, a little more or less of it as long as its beats are not
where the clock's are.
"""

from __future__ import annotations

import math
from collections import deque
from dataclasses import replace
from itertools import pairwise
from typing import Protocol

from dunefall.compiler.records import RAMP_S
from dunefall.engine.devices.clockout import SIXTEENTH, TICKS
from dunefall.engine.messages import EngineOptions, Ticked
from dunefall.patch.changes import TempoSet
from dunefall.patch.journal import Journal
from dunefall.patch.model import Patch
from dunefall.patch.partfiles import TEMPOS_BPM
from dunefall.patch.take import Edit

__all__ = ["ClockFollower", "TickFilter", "take_tempo"]

MEMORY, LATEST, FAR = 480, 12, 5.0
"""Ticks that count; those that tell a change, and how many standard errors of their mean it takes."""
GAP_S = 2.0
"""After a silence of this length the clock begins anew; a shorter one is bridged."""
SETTLED = 8
CATCH_UP_S, MOST_CATCH_UP = 2.0, 0.05
"""So soon the beats are to be together; by so much more or less than the clock's tempo at most."""
STEP, LATE_S = 5e-5, 2e-4
"""The tempo is set where it is off by this share, or where the beats would be by this time."""


class TickFilter:
    """When the ticks of a clock would come if they had no jitter.

    Attributes
    ----------
    count : int
        Ticks since it began, with those that were lost.
    at_s : float
        When the last one was due.
    period_s : float
        From one to the next; 0 as long as that is not known.
    """

    def __init__(self) -> None:
        self.count, self.at_s, self.period_s = 0, 0.0, 0.0
        self._known = 0
        self._off: deque[float] = deque(maxlen=2 * LATEST)

    @property
    def settled(self) -> bool:
        """Whether the period is known well enough to go by."""
        return self._known >= SETTLED

    def take(self, at_s: float) -> None:
        """A tick has come.

        Parameters
        ----------
        at_s : float
            When, in seconds of any clock that does not jump.
        """
        if self._known == 0 or at_s - self.at_s > GAP_S:
            self._begin(at_s)
        elif self._known == 1:
            self.period_s, self.at_s = max(at_s - self.at_s, 1e-4), at_s
            self.count, self._known = self.count + 1, 2
        else:
            self._go_on(at_s)

    def _begin(self, at_s: float) -> None:
        self.count, self._known, self.at_s, self.period_s = self.count + 1, 1, at_s, 0.0
        self._off.clear()

    def _go_on(self, at_s: float) -> None:
        steps = max(1, round((at_s - self.at_s) / self.period_s)) if self.settled else 1
        due = self.at_s + steps * self.period_s
        off, n = at_s - due, self._known
        self.count, self._known = self.count + steps, min(n + 1, MEMORY)
        share = 2.0 * (2 * n + 1) / ((n + 1) * (n + 2))
        self.at_s = due + share * off
        self.period_s = max(self.period_s + 6.0 / ((n + 1) * (n + 2)) * off, 1e-4)
        self._off.append(off)
        if self._changing():
            self._known = min(self._known, LATEST)
            self._off.clear()

    def _changing(self) -> bool:
        """Whether the last ticks all came to one side of where they were due, by more than their jitter explains."""
        if len(self._off) < 2 * LATEST:
            return False
        off = list(self._off)
        jitter = math.sqrt(sum((b - a) ** 2 for a, b in pairwise(off)) / (2 * len(off) - 2))
        return abs(sum(off[-LATEST:])) / LATEST > FAR * max(jitter, 1e-5) / math.sqrt(LATEST)


class Engine(Protocol):
    """What a follower needs of the engine."""

    journal: Journal
    options: EngineOptions
    moved_on: bool

    @property
    def patch(self) -> Patch:
        """What sounds."""

    @property
    def heard_again(self) -> bool:
        """Whether a take is heard again, with its own tempo."""

    def set_patch(self, patch: Patch) -> None:
        """Sound another patch from now on."""


def _possible(bpm: float) -> float:
    """The nearest tempo that a patch can have."""
    return min(max(bpm, TEMPOS_BPM[0]), TEMPOS_BPM[1])


def take_tempo(engine: Engine, bpm: float) -> None:
    """Let what sounds have the tempo of another device, as near as a patch can have it.

    Parameters
    ----------
    engine : Engine
        Whose tempo is set; the document follows.
    bpm : float
        The tempo.
    """
    if engine.patch.tempo_bpm != _possible(bpm):
        engine.set_patch(replace(engine.patch, tempo_bpm=_possible(bpm)))
        engine.moved_on = True


class ClockFollower:
    """Lets the tempo of what sounds follow a MIDI clock.

    Parameters
    ----------
    engine : Engine
        Whose tempo is set. It tells when that was by its journal.

    Attributes
    ----------
    on : bool
        Whether the clock is followed; a keyboard may send one that nobody wants.
    """

    def __init__(self, engine: Engine) -> None:
        self.on = False
        self._engine = engine
        self._ticks, self._first, self._heard_s = TickFilter(), 0, -math.inf
        self._journal: Journal | None = None
        self._reordered = self._read = 0
        self._at = self._beats = self._bpm = 0.0

    @property
    def bpm(self) -> float:
        """The tempo of the clock; 0 where none is known."""
        return 60.0 / (TICKS * self._ticks.period_s) if self._ticks.settled else 0.0

    def runs(self, now_s: float) -> bool:
        """Whether a clock is there.

        Parameters
        ----------
        now_s : float
            ``time.monotonic()``.

        Returns
        -------
        bool
        """
        return self.on and self._ticks.settled and now_s - self._heard_s < GAP_S

    def take(self, message: Ticked, *, playing: bool) -> None:
        """Something has come from a clock: a tick, or where it stands.

        Parameters
        ----------
        message : Ticked
            It.
        playing : bool
            Whether the patch sounds: then its beats are brought to those of the clock.
        """
        if message.what == "start":
            self._first = self._ticks.count + 1
        elif message.what == "place":
            self._first = self._ticks.count + 1 - message.sixteenths * SIXTEENTH
        elif message.what == "tick":
            self._heard_s = message.at_s
            self._ticks.take(message.at_s)
            follows = self.on and self._ticks.settled and not self._engine.heard_again
            if follows and (self._ticks.count - self._first) % SIXTEENTH == 0:
                self._follow(message, playing)

    def _follow(self, message: Ticked, playing: bool) -> None:
        """Set the tempo, if it is off."""
        ticks, rate_hz = self._ticks, self._engine.options.rate
        late_beats = 0.0
        if playing:
            theirs = (ticks.count - self._first + (message.at_s - ticks.at_s) / ticks.period_s) / TICKS
            late_beats = theirs - self._beats_at(message.place_s * rate_hz, rate_hz)
            late_beats -= round(late_beats)
        catch_up = min(max(late_beats * 60.0 / (self.bpm * CATCH_UP_S), -MOST_CATCH_UP), MOST_CATCH_UP)
        wanted = _possible(self.bpm * (1.0 + catch_up))
        late_s = abs(late_beats) * 60.0 / self.bpm
        if abs(wanted / self._engine.patch.tempo_bpm - 1.0) > (STEP if late_s < LATE_S else 0.1 * STEP):
            take_tempo(self._engine, wanted)

    def _beats_at(self, sample: float, rate_hz: float) -> float:
        """Beats of the patch from the start of its take to a sample: its tempo over all that time."""
        journal = self._engine.journal
        if journal is not self._journal or journal.reordered != self._reordered:
            self._journal, self._reordered = journal, journal.reordered
            self._read, self._at, self._beats = 0, 0.0, 0.0
            self._bpm = journal.take.start.tempo_bpm
        for entry in journal.since(self._read):
            if entry.at > sample:
                break
            self._read += 1
            changes = entry.what.changes if isinstance(entry.what, Edit) and not entry.muted else ()
            for change in changes:
                if isinstance(change, TempoSet):
                    at = entry.at + 0.5 * RAMP_S * rate_hz  # the middle of its glide
                    self._beats += (at - self._at) * self._bpm / (60.0 * rate_hz)
                    self._at, self._bpm = at, change.bpm
        return self._beats + (sample - self._at) * self._bpm / (60.0 * rate_hz)
