"""Working out the state that a take has at a sample, in small pieces between other work."""

from __future__ import annotations

import time

import numpy as np

from dunefall.compiler.records import QUANTUM
from dunefall.patch.take import Take
from dunefall.render.performance import Performance
from dunefall.render.player import Checkpoint

__all__ = ["SeekJob"]

PIECE = 32 * QUANTUM
SLICE_S = 0.03


class SeekJob:
    """Runs a take, unheard, up to a sample.

    Attributes
    ----------
    join : bool
        It follows a sound that runs on meanwhile, to take its place: then ``goal`` moves.
    """

    def __init__(self, take: Take, goal: int, checkpoint: Checkpoint | None, *, join: bool = False) -> None:
        self.join = join
        self.goal = goal // QUANTUM * QUANTUM
        self.performance = Performance(take, checkpoint)
        self._piece = np.zeros((PIECE, self.performance.player.channels))

    @property
    def position(self) -> int:
        """The current position."""
        return self.performance.player.position

    def work(self) -> bool:
        """Go on for a moment; whether it is there, with no fade going on."""
        end = time.perf_counter() + SLICE_S
        while self.position < self.goal and time.perf_counter() < end:
            self.performance.fill(self._piece[: min(PIECE, self.goal - self.position)])
        if self.position < self.goal:
            return False
        self.performance.player.end_fade()
        return True
