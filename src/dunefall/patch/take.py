"""Takes: a patch, and everything that was changed by hand while it played, each with the sample at which it happened.

A take replays exactly. An entry can be changed, moved, muted or taken out, and the take replayed without it.
"""

from __future__ import annotations

import bisect
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.patch.changes import Change, apply_changes, difference
from dunefall.patch.model import Patch

__all__ = [
    "END",
    "Clear",
    "Edit",
    "Entry",
    "Heard",
    "Note",
    "Press",
    "Take",
    "What",
    "first_difference",
    "place_of",
]


@dataclass(frozen=True)
class Edit:
    """The patch changed."""

    changes: tuple[Change, ...]


@dataclass(frozen=True)
class Note:
    """A key of a keyboard module was pressed, or let go (velocity 0).

    Attributes
    ----------
    note : float
        As a MIDI note number.
    velocity : float [0, 1]
    """

    module: str
    note: float
    velocity: float


@dataclass(frozen=True)
class Press:
    """An input was held high by hand, or let go."""

    module: str
    port: str
    high: bool


@dataclass(frozen=True)
class Clear:
    """A module, or with an empty name every module, forgot what it remembered."""

    module: str = ""


@dataclass(frozen=True)
class Heard:
    """From here on the live input was this recording, from its first sample to its last.

    Attributes
    ----------
    recording : str
        A mono sound file: its path, in a take's file relative to it.
    """

    recording: str


What = Edit | Note | Press | Clear | Heard
END = 1 << 62
"""Behind every sample."""


@dataclass(frozen=True)
class Entry:
    """What happened at a sample; a muted one stays in the take without doing anything."""

    at: int
    what: What
    muted: bool = False


def place_of(entry: Entry, entries: Sequence[Entry]) -> int:
    """Where an entry belongs among others: behind those of the same sample.

    Parameters
    ----------
    entry : Entry
        What happened, and when.
    entries : sequence of Entry
        In order of time.

    Returns
    -------
    int

    Raises
    ------
    ParameterError
        If it is earlier than the start.
    """
    if entry.at < 0:
        raise ParameterError(tr("an entry of a take must be at sample 0 or later; got {at}", at=entry.at))
    return bisect.bisect_right(entries, entry.at, key=lambda other: other.at)


@dataclass(frozen=True)
class Take:
    """A patch at its start, and its journal.

    Attributes
    ----------
    rate_hz : float
        Sample rate in which the entries are counted.
    entries : tuple of Entry
        In order of time; what happened at the same sample in the order in which it happened.
    """

    start: Patch
    rate_hz: float = 48000.0
    entries: tuple[Entry, ...] = ()

    def with_entry(self, entry: Entry) -> Take:
        """This take with one more entry, behind those of the same sample; raises ParameterError before the start.

        Parameters
        ----------
        entry : Entry
            What happened, and when.

        Returns
        -------
        Take
            The longer take.

        Raises
        ------
        ParameterError
            If it is earlier than the last entry.
        """
        place = place_of(entry, self.entries)
        return replace(self, entries=(*self.entries[:place], entry, *self.entries[place:]))

    @cached_property
    def sounding(self) -> tuple[Entry, ...]:
        """The entries that are not muted."""
        if not any(entry.muted for entry in self.entries):
            return self.entries
        return tuple(entry for entry in self.entries if not entry.muted)

    def with_entry_replaced(self, index: int, entry: Entry) -> Take:
        """This take with another entry instead of one of its own.

        Parameters
        ----------
        index : int
            Of the entry that goes.
        entry : Entry
            What happens instead, at whatever sample.

        Returns
        -------
        Take
            Of the same length.

        Raises
        ------
        ParameterError
            If it is earlier than the start.
        """
        if entry.at != self.entries[index].at:
            return self.without_entry(index).with_entry(entry)
        return replace(self, entries=(*self.entries[:index], entry, *self.entries[index + 1 :]))

    def without_entry(self, index: int) -> Take:
        """This take without one of its entries."""
        return replace(self, entries=self.entries[:index] + self.entries[index + 1 :])

    def with_entry_moved(self, index: int, at: int) -> Take:
        """This take with one of its entries at another sample."""
        return self.with_entry_replaced(index, replace(self.entries[index], at=at))

    def until(self, at: int) -> Take:
        """This take with what happened before a sample only."""
        return replace(self, entries=tuple(entry for entry in self.entries if entry.at < at))

    def patch_at(self, at: int) -> Patch:
        """The patch as it was just before a sample.

        Parameters
        ----------
        at : int
            Sample since the start of the take.

        Returns
        -------
        Patch
            A new patch.
        """
        done = (entry.what for entry in self.entries if entry.at < at and not entry.muted)
        return apply_changes(self.start, [change for what in done if isinstance(what, Edit) for change in what.changes])

    def at_rate(self, rate_hz: float) -> Take:
        """This take counted in another sample rate.

        Parameters
        ----------
        rate_hz : float
            Sample rate in Hz.

        Returns
        -------
        Take
        """
        if rate_hz == self.rate_hz:
            return self
        scale = rate_hz / self.rate_hz
        entries = tuple(replace(entry, at=round(entry.at * scale)) for entry in self.entries)
        return Take(self.start, rate_hz, entries)


def first_difference(before: Take, after: Take) -> int:
    """The sample from which on two takes may sound otherwise; ``END`` where they do not.

    Parameters
    ----------
    before, after : Take
        Both.

    Returns
    -------
    int
    """
    if before.rate_hz != after.rate_hz:
        return 0
    if before.start is not after.start and difference(before.start, after.start):
        return 0
    ours, theirs = before.sounding, after.sounding
    for old, new in zip(ours, theirs, strict=False):
        if old is not new and old != new:
            return min(old.at, new.at)
    if len(ours) == len(theirs):
        return END
    longer = max(ours, theirs, key=len)
    return longer[min(len(ours), len(theirs))].at
