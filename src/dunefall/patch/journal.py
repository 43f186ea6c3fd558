"""The take that is being played: it grows for hours without becoming slow or large."""

from __future__ import annotations

import pickle
import weakref
import zlib
from collections.abc import Iterator

from dunefall.patch.take import Entry, Take, place_of

__all__ = ["Journal"]

AT_HAND = 2000
"""So many entries are held as they are; what is older is packed, in pieces of half as many: some 20 bytes each."""


class Journal:
    """A take to which entries are added.

    Parameters
    ----------
    take : Take
        What has happened so far.

    Attributes
    ----------
    reordered : int
        How often an entry came in before the last one: what was read before no longer is the begin of it.
    """

    def __init__(self, take: Take) -> None:
        self._start, self._rate_hz = take.start, take.rate_hz
        self._packed: list[bytes] = []
        self._recent = list(take.entries)  # packed with the first entry that is added
        self._whole: Take | None = take
        self._last: weakref.ref[Take] | None = weakref.ref(take)  # while somebody holds it, the next is made of it
        self.reordered = 0

    @property
    def take(self) -> Take:
        """All of it; the same object until something is added. It takes the longer, the longer it has become."""
        if self._whole is None:
            last = self._last() if self._last else None
            known = last.entries if last else ()
            self._whole = Take(self._start, self._rate_hz, known + self.since(len(known)))
            self._last = weakref.ref(self._whole)
        return self._whole

    def since(self, count: int) -> tuple[Entry, ...]:
        """What follows the first entries; quick for the latest ones.

        Parameters
        ----------
        count : int
            How many are left out.

        Returns
        -------
        tuple of Entry
        """
        old = len(self) - len(self._recent)
        if count >= old:
            return tuple(self._recent[count - old :])
        return (*self._old(), *self._recent)[count:]

    def __len__(self) -> int:
        """How many entries there are."""
        return len(self._packed) * (AT_HAND // 2) + len(self._recent)

    def note(self, entry: Entry) -> None:
        """Add an entry in its place, behind those of the same sample.

        Parameters
        ----------
        entry : Entry
            What happened, and when.

        Raises
        ------
        ParameterError
            If it is earlier than the start.
        """
        self._whole = None
        if self._packed and entry.at < self._recent[0].at:  # hardly ever
            self._recent[:0] = self._old()
            self._packed.clear()
        place = place_of(entry, self._recent)
        if place < len(self._recent):
            self.reordered += 1
            self._last = None
        self._recent.insert(place, entry)
        self._pack()

    def _pack(self) -> None:
        while len(self._recent) > AT_HAND:
            old = tuple(self._recent[: AT_HAND // 2])
            del self._recent[: AT_HAND // 2]
            self._packed.append(zlib.compress(pickle.dumps(old)))

    def _old(self) -> Iterator[Entry]:
        for piece in self._packed:
            yield from pickle.loads(zlib.decompress(piece))  # written above, by this process
