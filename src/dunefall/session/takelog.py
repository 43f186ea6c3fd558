"""The take that is played, on disk while it grows: a crash does not lose it.

A file of lines beside the ring of the last minutes: the head of a take's file, then each of its entries. What is
played on is added to it; where the take goes on in another way, it is written anew.
"""

from __future__ import annotations

import json
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

from dunefall.base.door import parse_json, read_file
from dunefall.base.errors import DunefallError
from dunefall.base.storage import whole
from dunefall.patch.entryfiles import dump_entries
from dunefall.patch.take import Take
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
        self._written: Take | None = None
        self._looked = 0.0
        self._writer = ThreadPoolExecutor(1, "dunefall-take")

    def follow(self, take: Take) -> None:
        """Write what is new of a take, in a thread of its own, now and then; called as often as one likes.

        Parameters
        ----------
        take : Take
            What was played so far, and what is still to come of it.
        """
        now = time.monotonic()
        if now - self._looked < EVERY_S or take is self._written:
            return
        self._looked = now
        before, self._written = self._written, take
        self._writer.submit(self._write, before, take)

    def _write(self, before: Take | None, take: Take) -> None:
        """A disk that refuses costs what a crash would take, and nothing else: the ring says so."""
        try:
            count = len(before.entries) if before is not None else 0
            grows = before is not None and before.start is take.start and before.rate_hz == take.rate_hz
            if before is not None and grows and self._path.exists() and take.entries[:count] == before.entries:
                with self._path.open("a") as file:
                    file.write(_lines(replace(take, entries=take.entries[count:])))
                return
            self._path.parent.mkdir(parents=True, exist_ok=True)
            head = {**raw_take(replace(take, entries=())), "entries": []}
            with whole(self._path) as part:
                part.write_text(json.dumps(head) + "\n" + _lines(take))
        except (OSError, DunefallError):
            self._written = None

    def end(self) -> None:
        """Write no more; what is being written is finished."""
        self._writer.shutdown(wait=True, cancel_futures=True)


def _lines(take: Take) -> str:
    return "".join(json.dumps(entry) + "\n" for entry in dump_entries(take))


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
