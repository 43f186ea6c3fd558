"""The take that is played, on disk while it grows: a crash does not lose it.

A file of lines beside the ring of the last minutes: the head of a take's file, then each of its entries. What is
played on is added to it; where the take goes on in another way, it is written anew.
"""

from __future__ import annotations

import json
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from os import SEEK_END
from pathlib import Path

from dunefall.base.door import parse_json, read_file
from dunefall.base.errors import DunefallError
from dunefall.base.storage import whole
from dunefall.patch.entryfiles import dump_entries
from dunefall.patch.journal import Journal
from dunefall.patch.take import Entry, Take
from dunefall.patch.takefiles import raw_take, take_of

__all__ = ["TakeLog", "read_take_log"]

NAME = "take.lines"
EVERY_S = 2.0


class TakeLog:
    """Keeps a take in a folder.

    Parameters
    ----------
    folder : Path
        Of the last minutes of this process.
    """

    def __init__(self, folder: Path) -> None:
        self._path = folder / NAME
        self._journal: Journal | None = None
        self._count = self._reordered = 0
        self._looked = 0.0
        self._writer = ThreadPoolExecutor(1, "dunefall-take")

    def follow(self, journal: Journal) -> None:
        """Write what is new of a take, in a thread of its own, now and then; called as often as one likes.

        Parameters
        ----------
        journal : Journal
            What was played so far, and what is still to come of it.
        """
        now = time.monotonic()
        if now - self._looked < EVERY_S:
            return
        self._looked = now
        count = self._count
        grows = journal is self._journal and journal.reordered == self._reordered
        if grows and len(journal) == count:
            return
        self._journal, self._reordered, self._count = journal, journal.reordered, len(journal)
        if grows:
            self._writer.submit(self._add, journal.since(count))
        else:
            self._writer.submit(self._begin, journal.take)

    def _add(self, entries: tuple[Entry, ...]) -> None:
        try:
            with self._path.open("r+") as file:  # "a" would make a file without a head
                file.seek(0, SEEK_END)
                file.write(_lines(entries))
        except OSError:
            self._journal = None

    def _begin(self, take: Take) -> None:
        """A disk that refuses costs what a crash would take, and nothing else: the ring says so."""
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            head = {**raw_take(replace(take, entries=())), "entries": []}
            with whole(self._path) as part:
                part.write_text(json.dumps(head) + "\n" + _lines(take.entries))
        except (OSError, DunefallError):
            self._journal = None

    def end(self) -> None:
        """Write no more; what is being written is finished."""
        self._writer.shutdown(wait=True, cancel_futures=True)


def _lines(entries: tuple[Entry, ...]) -> str:
    return "".join(json.dumps(entry) + "\n" for entry in dump_entries(entries))


def read_take_log(folder: Path) -> Take | None:
    """The take that a program left behind, up to the last whole line; None where there is none, or no entry in it.

    Parameters
    ----------
    folder : Path
        Its last minutes.

    Returns
    -------
    Take or None
    """
    try:
        lines = read_file(folder / NAME).split(b"\n")[:-1]
        head = parse_json(lines[0]) if lines else None
        if not isinstance(head, dict):
            return None
        return take_of({**head, "entries": [parse_json(line) for line in lines[1:]]})
    except DunefallError:
        return None
