"""What is known of the next minutes or hours of a take, piece by piece from a worker; ``step`` is asked now and then.

What an edit cannot have changed stays; the rest is worked out again, from the last checkpoint before it.
"""

from __future__ import annotations

import pickle
import shutil
import tempfile
import time
from collections import deque
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, Future
from dataclasses import replace
from pathlib import Path
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from dunefall.base.caches import cache_folder
from dunefall.base.errors import StorageError
from dunefall.base.language import tr
from dunefall.base.programs import program_name, program_runs
from dunefall.base.storage import whole
from dunefall.compiler.code import LoopCode
from dunefall.patch.family import NO_FAMILY
from dunefall.patch.model import Patch
from dunefall.patch.take import END, Take, first_difference
from dunefall.render.known import Ahead, KnownFile
from dunefall.survey.courses import LayerCourse, Rest
from dunefall.survey.listening import BANDS, BIN
from dunefall.survey.pyramid import Pyramid, stretches_of
from dunefall.survey.stretch import STRETCH, STRETCH_BINS, ClickHeard, Order, Stretch, hear

__all__ = ["LATEST_S", "Outlook"]

LATEST_S = 4 * 3600.0
"""There is room for so much of a take; what was not looked at takes none."""
BUDGET_BYTES = 2_000_000_000
"""For checkpoints on disk: they are the further apart the longer one looks ahead."""
SOUND_BYTES, SOUNDS_AT_ONCE = 600_000_000, 3
"""For the sound itself, which is heard at a click: 25 minutes of stereo, those around the playhead."""
AHEAD = 2
"""Orders that a worker has at a time, so that it need not wait for the next."""
LEAD, LEAD_S, MOST_STATES = 2, 0.3, 8
"""A state of the sound helps where the way to what is wanted is longer than so many stretches; who listens from it has
heard so much before a stretch begins; so many are kept beside those of one's own."""
MOST_TRIES = 3
SPEED_OVER = 6
"""Stretches over which the speed is told."""


class Does(Protocol):
    """Who works: ``Workers``, or this process itself."""

    def submit(self, what: Callable[[Order], Stretch | str], order: Order, /) -> Future[Stretch | str]:
        """Have a stretch worked out."""

    def close(self, at_once: bool = False) -> None:
        """Let go of what works."""


class Outlook:
    """What is known of what is to come.

    Parameters
    ----------
    workers : Does
        Who works it out; one is enough, as each stretch begins where the last one ended.
    keeps_sound : bool
        Whether somebody may want to hear it.

    Attributes
    ----------
    take : Take
        What is looked at.
    seconds : float
        How far, from its start.
    bands, energy, folded, peak, offset : Pyramid
        See ``listening.Figures``.
    layers : dict of str to LayerCourse
        By id, in the order of the patch.
    trouble : str
        Why it does not go on, in a sentence.
    deaf : bool
        Something listens to the live input, which nobody knows in advance.
    paused : bool
        No new stretch is begun.
    rest : dict of int to Rest
        What else is known of each stretch.
    changes : int
        Counts what became known, or unknown.
    """

    def __init__(self, workers: Does, *, keeps_sound: bool = True) -> None:
        self._workers, self._keeps_sound = workers, keeps_sound
        self._folder: Path | None = None
        self._code = LoopCode()
        self._number = self._tries = self.changes = self._written = 0
        self._running: list[tuple[Future[Stretch | str], int, int, Path | None, Path | None]] = []
        self._at = -1
        self._ended: list[float] = []
        self.paused, self.wait, self.playhead = False, False, 0
        self.take = Take(Patch())
        self._file: Path | None = None
        self.seconds = 0.0
        self._begin(self.take)

    def _begin(self, take: Take) -> None:
        self._room = np.zeros(int(np.ceil(LATEST_S * take.rate_hz / STRETCH)), bool)
        bins = len(self._room) * STRETCH_BINS
        self.bands = Pyramid(bins, "mean", BANDS, np.uint8)
        self.energy, self.folded = Pyramid(bins, "mean"), Pyramid(bins, "mean")
        self.peak, self.offset = Pyramid(bins, "max"), Pyramid(bins, "mean")
        self.layers: dict[str, LayerCourse] = {}
        self._clicks: dict[int, list[ClickHeard]] = {}
        self.rest: dict[int, Rest] = {}
        self.trouble, self.deaf = "", False
        self._size, self._marks, self._sounds = 0, dict[int, Path](), dict[int, KnownFile]()
        self._states = deque[int]()

    # -- what is wanted -------------------------------------------------------------------------------------------

    def look(self, take: Take, seconds: float) -> None:
        """Look so far ahead at a take; what is known of it already stays.

        Parameters
        ----------
        take : Take
            What is looked at: its journal up to now.
        seconds : float
            From its start.
        """
        take = replace(take, start=replace(take.start, family=NO_FAMILY, takes=(), pins=()))
        seconds = min(seconds, LATEST_S)
        differs = first_difference(self.take, take)
        if differs == END and seconds == self.seconds:
            return
        self.changes += 1
        self.seconds = seconds
        if differs == END:
            return
        first = differs // STRETCH
        self._forget(first)
        if differs == 0:
            self._begin(take)
        else:
            self._room[first:] = False
            self.rest = {k: rest for k, rest in self.rest.items() if k < first}
            self._clicks = {k: clicks for k, clicks in self._clicks.items() if k < first}
        self.take, self.trouble, self._at = take, "", -1
        self._number += 1
        self._ended.clear()
        self._file = None

    @property
    def known(self) -> NDArray[np.bool_]:
        """Which stretches are known [shape=(stretches,)]."""
        return self._room[: max(1, int(np.ceil(self.seconds * self.take.rate_hz / STRETCH)))]

    def shows(self, take: Take) -> bool:
        """Whether this take is looked at, or one that sounds the same."""
        return first_difference(self.take, take) == END

    def _forget(self, first: int) -> None:
        """Checkpoints behind the beginning of a stretch, and the sound from there on, are of something else now."""
        for k in [k for k in self._marks if k > first or not first]:
            self._marks.pop(k).unlink(missing_ok=True)
        self._states = deque(k for k in self._states if k in self._marks)
        for k in [k for k in self._sounds if k >= first]:
            self._sounds.pop(k).path.unlink(missing_ok=True)

    # -- working --------------------------------------------------------------------------------------------------

    def step(self) -> bool:
        """Take in what is finished and order what comes next; whether something new is known."""
        self._code.go_on()
        new = False
        while self._running and self._running[0][0].done():
            future, number, index, kept, sound = self._running.pop(0)
            try:
                found = future.result()
            except BrokenExecutor:
                self._lost()
                return new
            if number == self._number:
                self._take_in(found, index, kept)
                new = True
            else:
                for path in (kept, sound):
                    if path is not None:
                        path.unlink(missing_ok=True)
        while not self.paused and not self.trouble and len(self._running) < AHEAD and self._order():
            pass
        return new

    def _wanted(self) -> tuple[int, int] | None:
        """The stretch that is wanted most, and the one with which the way there begins, behind the last one or behind a
        checkpoint: the first from the playhead on that is neither known nor under way, and that is near one of them;
        else the first of all from there on; or else before it."""
        under_way = [index for _, number, index, *_ in self._running if number == self._number]
        unknown = np.setdiff1d(np.flatnonzero(~self.known), under_way)
        if not len(unknown):
            return None
        from_here = unknown[unknown >= self.playhead // STRETCH]
        wanted = from_here if len(from_here) else unknown[:1]
        begins = np.array(sorted({0, *self._marks, max(self._at, 0)}))
        begins = begins[np.searchsorted(begins, wanted, "right") - 1]
        place = int(np.argmax(wanted - begins <= LEAD))
        return int(wanted[place]), int(begins[place])

    @property
    def wants_state(self) -> bool:
        """Whether the state in which the sound is now would save the way to what is wanted."""
        wanted = None if self.paused or self.trouble else self._wanted()
        return wanted is not None and wanted[0] >= self.playhead // STRETCH and wanted[0] - wanted[1] > LEAD

    def place_of_state(self) -> Path:
        """Where such a state is to be written."""
        self._written += 1
        return self._place(f"state-{self._written}")

    def take_state(self, path: Path, position: int, take: Take) -> None:
        """Begin there, too.

        Parameters
        ----------
        path : Path
            See ``place_of_state``; the file is this outlook's from now on.
        position : int
            Sample of the take; -1: it could not be written.
        take : Take
            What was heard when the state was asked for.
        """
        index = -(-(position + round(LEAD_S * take.rate_hz)) // STRETCH)
        holds = 0 <= position < first_difference(take, self.take)
        if not holds or index >= len(self.known) or index in self._marks:
            path.unlink(missing_ok=True)
            return
        self._marks[index] = path
        self._states.append(index)
        if len(self._states) > MOST_STATES and (oldest := self._states.popleft()) in self._marks:
            self._marks.pop(oldest).unlink(missing_ok=True)

    def _order(self) -> bool:
        """Order one stretch on the way to the one that is wanted."""
        wanted = self._wanted()
        if wanted is None:
            return False
        index, take = wanted[1], self._take_file()
        if take is None:
            return False
        keeps = index + 1 not in self._marks and (index + 1) % self._spacing == 0
        kept = self._place(f"{self._number}-{index + 1}") if keeps else None
        hear_it = self._keeps_sound and index not in self._sounds
        sound = self._place(f"{self._number}-{index}-sound") if hear_it else None
        order = Order(take, index * STRETCH, self._marks.get(index), kept, self.wait, sound)
        try:
            future = self._workers.submit(hear, order)
        except BrokenExecutor:
            self._lost()
            return False
        self._running.append((future, self._number, index, kept, sound))
        self._at = index + 1
        return True

    def _take_file(self) -> Path | None:
        """What the workers look at, written down; None where that is not possible now."""
        if self._file is not None and self._file.exists():
            return self._file
        try:
            file = self._place(f"take-{self._number}")
            with whole(file) as part:
                part.write_bytes(pickle.dumps(self.take))
        except (OSError, StorageError) as error:
            if not self._begin_anew_if_files_are_gone():
                reason = error.strerror if isinstance(error, OSError) else error
                self.trouble = tr("It cannot be looked at: {error}.", error=reason)
            return None
        self._file = file
        return file

    @property
    def _spacing(self) -> int:
        """Stretches from one checkpoint to the next: twice as many as soon as they would take too much room."""
        most = max(1, BUDGET_BYTES // max(self._size, 1))
        return 1 << max(0, int(np.ceil(np.log2(len(self.known) / most))))

    def _take_in(self, found: Stretch | str, index: int, kept: Path | None) -> None:
        self.changes += 1
        if isinstance(found, str):
            if not self._begin_anew_if_files_are_gone():
                self.trouble = found
            return
        self._tries = 0
        self._ended = [*self._ended[-SPEED_OVER:], time.monotonic()]
        if found.kept and kept is not None and (size := _size_of(kept)):
            self._marks[index + 1] = kept
            self._size = max(self._size, size)
            for k in [k for k in self._marks if k % self._spacing and k not in self._states]:
                self._marks.pop(k).unlink(missing_ok=True)
        if found.sound is not None:
            self._sounds[index] = found.sound
            self._make_room()
        self._code.make(found.missing)
        begin, figures = index * STRETCH_BINS, found.figures
        for name in ("bands", "energy", "folded", "peak", "offset"):
            getattr(self, name).put(begin, getattr(figures, name))
        for layer, theirs in figures.layers.items():
            course = self.layers.setdefault(layer, LayerCourse(len(self.peak)))
            course.level.put(begin, theirs.level)
            course.triggers.put(begin, theirs.triggers)
        for layer in self.layers.keys() - figures.layers.keys():  # not there at that time
            self.layers[layer].level.put(begin, np.zeros(STRETCH_BINS, np.float32))
            self.layers[layer].triggers.put(begin, np.zeros(STRETCH_BINS, np.uint8))
        self._clicks.pop(index, None)
        for click in found.clicks:
            ours = self._clicks.setdefault(click.at // STRETCH, [])
            if all(click.at != old.at or click.layer != old.layer for old in ours):
                ours.append(click)
        powers = {layer: theirs.powers for layer, theirs in figures.layers.items()}
        offsets = {layer: theirs.offset for layer, theirs in figures.layers.items()}
        self.rest[index] = Rest(
            powers,
            offsets,
            figures.alike,
            figures.spans,
            figures.set_back,
            figures.notes,
            figures.steps,
            found.faulty,
            found.digest,
        )
        self.deaf = self.deaf or found.deaf
        self.known[index] = True

    def _make_room(self) -> None:
        """Let go of the sound that is farthest from where one listens."""
        size = STRETCH * max(sound.channels for sound in self._sounds.values()) * 4
        if size * len(self._sounds) > SOUND_BYTES:
            here = self.playhead // STRETCH
            self._sounds.pop(max(self._sounds, key=lambda k: abs(k - here))).path.unlink(missing_ok=True)

    def _lost(self) -> None:
        """The worker has died: a new one goes on from the last checkpoint."""
        self._tries += 1
        self._workers.close()
        self._running.clear()
        self._at = -1
        if self._tries > MOST_TRIES:
            self.trouble = tr("It cannot be looked at: the worker died several times; is there enough memory?")

    def _begin_anew_if_files_are_gone(self) -> bool:
        """Nobody depends on what is kept: if somebody has removed it, what is known stays, and the way to the rest
        begins at the start."""
        kept = (self._folder, self._file, *self._marks.values())
        if all(path.exists() for path in kept if path is not None):
            return False
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
        self._folder = self._file = None
        self._marks.clear()
        self._sounds.clear()
        self._states.clear()
        self._running.clear()
        self._at = -1
        self._tries += 1
        return self._tries <= MOST_TRIES

    # -- what is known ----------------------------------------------------------------------------------------------

    @property
    def known_part(self) -> tuple[int, int]:
        """The stretches that are known without a gap around the playhead, or next behind it; else the last ones that
        are known."""
        parts = stretches_of(self.known) or [(0, 0)]
        return next((part for part in parts if part[1] > self.playhead // STRETCH), parts[-1])

    @property
    def known_s(self) -> tuple[float, float]:
        """From when and until when that is, in seconds."""
        first, last = self.known_part
        return first * STRETCH / self.take.rate_hz, min(last * STRETCH / self.take.rate_hz, self.seconds)

    @property
    def done(self) -> bool:
        """Whether all of it is known."""
        return bool(self.known.all())

    @property
    def speed(self) -> float:
        """How many times faster than it plays; 0: not known yet."""
        if len(self._ended) < 2 or self._ended[-1] <= self._ended[0]:
            return 0.0
        return (len(self._ended) - 1) * STRETCH / self.take.rate_hz / (self._ended[-1] - self._ended[0])

    @property
    def left_s(self) -> float:
        """Seconds until all of it is known; 0: not known yet."""
        speed = self.speed
        return float((~self.known).sum()) * STRETCH / self.take.rate_hz / speed if speed else 0.0

    @property
    def clicks(self) -> list[ClickHeard]:
        """All clicks, in order of time."""
        return sorted((c for ours in self._clicks.values() for c in ours), key=lambda click: (click.at, click.layer))

    @property
    def faulty(self) -> tuple[str, ...]:
        """Ids of modules that were silenced."""
        return tuple(dict.fromkeys(name for k in sorted(self.rest) for name in self.rest[k].faulty))

    def ahead(self, position: int) -> Ahead:
        """The last state at or before a sample, and the sound from there on as far as it is kept."""
        found = [k for k in self._marks if k * STRETCH <= position]
        sounds, k = list[KnownFile](), position // STRETCH
        while len(sounds) < SOUNDS_AT_ONCE and k in self._sounds:
            sounds.append(self._sounds[k])
            k += 1
        return Ahead(self._marks[max(found)] if found else None, tuple(sounds))

    def bins_of(self, seconds: float) -> float:
        """Bin of a time."""
        return seconds * self.take.rate_hz / BIN

    def finish(self, told: Callable[[float], object] = lambda share: None) -> None:
        """Go on until all of it is known, or it cannot be; where this process itself works it out.

        Parameters
        ----------
        told : function
            Is told the share that is known.
        """
        while not self.done and not self.trouble:
            self.step()
            told(float(self.known.mean()))

    def close(self) -> None:
        """End the worker, and remove what was kept."""
        self._code.close()
        self._running.clear()
        self._workers.close(at_once=True)
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)

    def _place(self, name: str) -> Path:
        """Path of a file in the folder of this outlook: on disk, where there is more room than in memory."""
        if self._folder is None:
            room = cache_folder("survey")
            for old in room.glob("*-*"):  # of programs that were killed
                if not program_runs(old.name.rpartition("-")[0], room):
                    shutil.rmtree(old, ignore_errors=True)
            self._folder = Path(tempfile.mkdtemp(prefix=f"{program_name(room)}-", dir=room if room.is_dir() else None))
        return self._folder / name


def _size_of(path: Path) -> int:
    """Bytes of a file; 0 if somebody has removed it."""
    try:
        return path.stat().st_size
    except OSError:
        return 0
