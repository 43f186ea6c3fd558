"""Working out the state that a take has at a sample, in small pieces between other work."""

from __future__ import annotations

import pickle
import time
from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

import numpy as np

from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.patch.model import Patch
from dunefall.patch.take import Take
from dunefall.render.known import KnownSound
from dunefall.render.performance import Performance
from dunefall.render.player import Checkpoint

__all__ = ["Meeting", "SeekJob", "nearer"]

PIECE = 32 * QUANTUM
SLICE_S = 0.03
JOIN_AHEAD_S, KNOWN_AHEAD_S = 0.1, 0.3
ROOM_S = 0.015
"""More than a cross-fade and two quantums take."""


def nearer(own: Checkpoint | None, kept: Path | None, position: int) -> Checkpoint | None:
    """The later one of two checkpoints at or before a sample.

    Parameters
    ----------
    own : Checkpoint or None
        The engine's.
    kept : Path or None
        A file that begins with another one, written by this program; one that is gone is none.
    position : int
        The sample.

    Returns
    -------
    Checkpoint or None
    """
    if kept is None:
        return own
    try:
        with kept.open("rb") as file:
            other = Checkpoint.read(file)
    except (OSError, EOFError, ValueError, pickle.UnpicklingError):
        return own
    if other.position > position or (own is not None and own.position >= other.position):
        return own
    return other


def _clear_of(goal: int, changes: Iterable[int], room: int) -> int:
    """The start of a quantum at the goal or behind it that is clear of changes of structure: where cross-fades meet, a
    change waits for that of the seek, and the state would be another one."""
    for at in sorted(changes):
        if goal - room < at < goal + room:
            goal = at + room
    return goal // QUANTUM * QUANTUM


class SeekJob:
    """Runs a take, unheard, up to a sample.

    Parameters
    ----------
    take : Take
        At least up to there.
    goal : int
        Where it ends; a little later where the structure changes just there.
    checkpoint : Checkpoint or None
        Where it begins; None: at the start.
    asked : int
        What was asked for, to be told when it is there; -1: it follows a sound that runs on, to take its place.
    known : KnownSound, optional
        What is heard meanwhile.

    Attributes
    ----------
    goal : int
        It moves where a sound goes on meanwhile.
    ahead_s : float
        So far ahead of that sound it ends.
    """

    def __init__(
        self, take: Take, goal: int, checkpoint: Checkpoint | None, asked: int = -1, known: KnownSound | None = None
    ) -> None:
        self.asked, self.known = asked, known
        self.ahead_s = JOIN_AHEAD_S if known is None else KNOWN_AHEAD_S
        self.performance = Performance(take, checkpoint)
        self._changes = [step.at for step in self.performance.player.steps if step.structural]
        self._room = round(ROOM_S * take.rate_hz)
        self.goal = goal // QUANTUM * QUANTUM if self.join else _clear_of(goal, self._changes, self._room)
        self._piece = np.zeros((PIECE, self.performance.player.channels))

    @property
    def join(self) -> bool:
        """Whether it takes the place of a sound that has begun with nothing remembered."""
        return self.asked < 0

    @property
    def position(self) -> int:
        """The current position."""
        return self.performance.player.position

    def follow(self, now: int, ahead: int) -> None:
        """End so far ahead of what sounds now, where that has gone on meanwhile."""
        goal = (now + ahead) // QUANTUM * QUANTUM
        if self.known is not None:
            goal = _clear_of(min(goal, self.known.end), self._changes, self._room)
        self.goal = max(goal, self.position)

    @property
    def due(self) -> int:
        """From this sample on the take has not happened yet: a change of structure may wait for the end of a fade."""
        return min([self.position, *(step.at for step in self.performance.player.steps)])

    def work(self) -> bool:
        """Go on for a moment; whether it is there, with no fade going on."""
        end = time.perf_counter() + SLICE_S
        while self.position < self.goal and time.perf_counter() < end:
            self.performance.fill(self._piece[: min(PIECE, self.goal - self.position)])
        if self.position < self.goal:
            return False
        self.performance.player.end_fade()
        return True


class Meeting(NamedTuple):
    """A seek that has got there: its program waits to sound; the patch and the program of before sound until then."""

    job: SeekJob
    patch: Patch
    program: Program | None
