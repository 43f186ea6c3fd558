"""What is still to come of a take that is heard again: each entry is handed to the sound shortly before it is due."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from dataclasses import replace

from dunefall.patch.take import Entry, Heard, Take

__all__ = ["AHEAD_S", "Replay"]

AHEAD_S = 0.25
"""So long before it is due an entry is made ready."""


class Replay:
    """Entries that are still to come, in order of time."""

    def __init__(self) -> None:
        self._coming: deque[Entry] = deque()

    def begin(self, take: Take, position: int) -> None:
        """Go on as a take does from a sample (also in the audio thread, which hands over what was made before).

        Parameters
        ----------
        take : Take
            Counted in the rate of the sound.
        position : int
            What is at this sample or later is still to come.
        """
        self._coming = deque(e for e in take.sounding if e.at >= position and not isinstance(e.what, Heard))

    def scale(self, factor: float) -> None:
        """It is counted in another rate from now on."""
        self._coming = deque(replace(entry, at=round(entry.at * factor)) for entry in self._coming)

    def end(self, at: int) -> None:
        """What is at a sample or later does not happen any more."""
        self._coming = deque(entry for entry in self._coming if entry.at < at)

    def due(self, before: int) -> Iterator[Entry]:
        """The entries before a sample, each once."""
        while self._coming and self._coming[0].at < before:
            yield self._coming.popleft()
