"""The render queue: jobs one after the other, by workers beside the sound; it survives a restart and a crash.

Each entry is two files in the queue's folder: what is to be done (a job file with the names of all its files), and a
line for each file that is finished. So after a crash an entry goes on with what is missing.
"""

from __future__ import annotations

import contextlib
import json
import os
import re
import time
from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from dunefall.base.door import dump_json, parse_json, read_file
from dunefall.base.errors import DunefallError, ParameterError, PatchError
from dunefall.base.folders import data_folder
from dunefall.base.language import tr
from dunefall.base.storage import write_file
from dunefall.deliver.job import Job, Source
from dunefall.deliver.jobfiles import JobFile, parse_job, raw_job_file
from dunefall.deliver.loops import Seam
from dunefall.deliver.making import File, Task
from dunefall.deliver.measure import Measures
from dunefall.deliver.plan import report_path, tasks_of
from dunefall.deliver.rendering import Click
from dunefall.deliver.reports import changed, save_report
from dunefall.deliver.verdict import Finding
from dunefall.deliver.workers import Batch, Workers

__all__ = ["Entry", "RenderQueue", "queue_folder"]

WAITING, RUNNING, PAUSED, DONE, CANCELLED, FAILED = "waiting", "running", "paused", "done", "cancelled", "failed"
BROKEN = (DunefallError, OSError, KeyError, TypeError, ValueError, AttributeError)
"""What reading a file of the queue can end with."""
REST_S = 60.0
"""After so long without a job, the workers go."""


def queue_folder() -> Path:
    """Where the queue is kept."""
    return data_folder() / "queue"


@dataclass(eq=False)
class Entry:
    """A job in the queue.

    Attributes
    ----------
    id : str
        Of its files in the queue's folder.
    made : str
        Date and time that are written into the files.
    tasks : list of Task
        All of them.
    state : str
        waiting, running, paused, done, cancelled or failed.
    files : list of File
        What is finished, in order of their numbers.
    failed : dict of int to str
        Why a task failed, by its number.
    again : list of Task
        What is to be made again.
    """

    id: str
    job: Job
    source: Source
    made: str
    tasks: list[Task]
    state: str = WAITING
    files: list[File] = field(default_factory=list)
    failed: dict[int, str] = field(default_factory=dict)
    again: list[Task] = field(default_factory=list)
    batch: Batch | None = None

    @property
    def flagged(self) -> int:
        """How many finished files miss their limits."""
        return sum(1 for file in self.files if file.findings)

    @property
    def total(self) -> int:
        """How many tasks there are."""
        return len(self.tasks)

    def missing(self) -> list[Task]:
        """The tasks that are not finished."""
        done = {file.number for file in self.files}
        return [task for task in self.tasks if task.number not in done]

    @property
    def share(self) -> float:
        """How much is done, 0..1."""
        if self.batch is None:
            return 1.0 - len(self.missing()) / max(self.total, 1) if self.state != DONE else 1.0
        before = self.total - self.batch.total
        return (before + self.batch.share * self.batch.total) / max(self.total, 1)


def _file_of(raw: Any) -> File:
    """A file's figures of a line of the queue; raises one of ``BROKEN`` if it holds none."""
    seam = Seam(**{**raw["seam"], "usual": tuple(raw["seam"]["usual"])}) if raw.get("seam") else None
    return File(
        tuple(raw["names"]), int(raw["number"]), int(raw["seed"]), tuple(raw["sha256"]), Measures(**raw["measures"]),
        tuple(Click(**click) for click in raw["clicks"]), seam, tuple(Finding(**f) for f in raw["findings"]),
        [list(map(float, pair)) for pair in raw["picture"]], str(raw["told"]),
        tuple(tuple(pair) for pair in raw["changes"]), str(raw["processor"]),
    )  # fmt: skip


class RenderQueue:
    """Jobs in their order; ``step`` does what is due and says whether something has changed.

    Parameters
    ----------
    folder : Path
        Where it is kept.
    workers : int
        How many there are.

    Attributes
    ----------
    entries : list of Entry
    troubles : list of str
        Sentences for the user.
    unexpected : list of Exception
        Errors of workers that are none of the project's.
    """

    def __init__(self, folder: Path, workers: int | None = None) -> None:
        self._folder, self._workers, self._idle_since = folder, Workers(workers or os.cpu_count() or 1), 0.0
        self.entries: list[Entry] = []
        self.troubles, self.unexpected = list[str](), list[Exception]()
        self._said = False

    # -- keeping -----------------------------------------------------------------------------------------------------

    def load(self) -> None:
        """Take up what a queue of before had left; what cannot be read is told and left where it is."""
        for path in sorted(self._folder.glob("*.dunejob")) if self._folder.is_dir() else ():
            try:
                self.entries.append(self._read(path))
            except BROKEN as error:
                self.troubles.append(tr("A job of the queue cannot be read: {path}: {error}", path=path, error=error))

    def _read(self, path: Path) -> Entry:
        raw = parse_json(read_file(path))
        if not isinstance(raw, dict):
            raise PatchError(tr("it holds no job"))
        queued = raw.pop("queued")
        file = parse_job(raw)
        if file.source is None:
            raise ParameterError(tr("it holds no patch"))
        job, source, made = file.job, file.source, str(queued["made"])
        planned = tasks_of(replace(job, existing="replace"), source, made)
        tasks = [replace(t, names=tuple(n)) for t, n in zip(planned, queued["names"], strict=True)]
        state = str(queued["state"])
        entry = Entry(path.stem, job, source, made, tasks, WAITING if state == RUNNING else state)
        lines = path.with_suffix(".done")
        for line in read_file(lines).splitlines() if lines.exists() else ():
            with contextlib.suppress(*BROKEN):  # the crash came while it was written: that file is made again
                self._put(entry, _file_of(parse_json(line)))
        return entry

    def _save(self, entry: Entry) -> None:
        raw = raw_job_file(JobFile(entry.job, entry.source))
        raw["queued"] = {"made": entry.made, "state": entry.state, "names": [list(task.names) for task in entry.tasks]}
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            write_file(dump_json(raw), self._folder / f"{entry.id}.dunejob")
        except (DunefallError, OSError) as error:
            self._tell_once(tr("The queue cannot be kept for a restart: {error}", error=error))

    def _note(self, entry: Entry, file: File) -> None:
        raw = {**asdict(file), "measures": file.measures.raw()}
        try:
            with (self._folder / f"{entry.id}.done").open("a") as lines:
                lines.write(f"\n{json.dumps(raw)}\n")  # the line before may have been cut off by a crash
        except OSError as error:
            self._tell_once(tr("The queue cannot be kept for a restart: {reason}", reason=error.strerror))

    def _tell_once(self, text: str) -> None:
        if not self._said:
            self._said = True
            self.troubles.append(text)

    # -- what the user does ---------------------------------------------------------------------------------------

    def add(self, job: Job, source: Source) -> Entry:
        """Add a job behind the others.

        Parameters
        ----------
        job : Job
            The settings.
        source : Source
            What is rendered.

        Returns
        -------
        Entry

        Raises
        ------
        ParameterError
            If a setting or a name cannot be used, or files exist.
        StorageError
            If the folder cannot be written to.
        """
        tasks = tasks_of(job, source)
        if not tasks:
            raise ParameterError(tr("all its files are there already; nothing is left to render"))
        names = [name for entry in self.entries if entry.state in (WAITING, RUNNING, PAUSED) for name in _paths(entry)]
        clash = next((name for task in tasks for name in task.names if (task.folder, name) in names), None)
        if clash:
            raise ParameterError(
                tr('"{clash}" is in the queue already; give these files another name or folder', clash=clash)
            )
        numbers = [int(match[1]) for entry in self.entries if (match := re.fullmatch(r"(\d+)", entry.id))]
        entry = Entry(f"{max(numbers, default=0) + 1:05d}", job, source, tasks[0].made, tasks)
        self.entries.append(entry)
        self._save(entry)
        return entry

    def pause(self, entry: Entry) -> None:
        """Begin no more of its files; those under way are finished."""
        if entry.state in (WAITING, RUNNING):
            entry.state = PAUSED
            if entry.batch is not None:
                entry.batch.paused = True
            self._save(entry)

    def resume(self, entry: Entry) -> None:
        """Go on."""
        if entry.state == PAUSED:
            entry.state = RUNNING if entry.batch is not None else WAITING
            if entry.batch is not None:
                entry.batch.paused = False
            self._save(entry)

    def cancel(self, entry: Entry) -> None:
        """Stop it: whole files stay, half ones go.

        Parameters
        ----------
        entry : Entry
            A job of the queue.
        """
        if entry.batch is not None:
            entry.batch.stop()
        entry.state = CANCELLED
        self._save(entry)

    def first(self, entry: Entry) -> None:
        """Do it before all others that wait.

        Parameters
        ----------
        entry : Entry
            A job of the queue.
        """
        self.entries.remove(entry)
        at = next((k for k, other in enumerate(self.entries) if other.state in (WAITING, PAUSED)), len(self.entries))
        self.entries.insert(at, entry)

    def remove(self, entry: Entry) -> None:
        """Forget a job that does not run; its files stay."""
        if entry.batch is None:
            self.entries.remove(entry)
            for suffix in (".dunejob", ".done"):
                (self._folder / f"{entry.id}{suffix}").unlink(missing_ok=True)

    def retry(self, entry: Entry) -> None:
        """Do what failed or was cancelled again."""
        if entry.batch is None and entry.state in (FAILED, CANCELLED):
            entry.failed.clear()
            entry.state = WAITING
            self._save(entry)

    def make_again(self, entry: Entry, numbers: Sequence[int], changes: dict[str, object] | None = None) -> None:
        """Make files again, with other settings or another seed; the old ones stay until the new ones are whole.

        Parameters
        ----------
        entry : Entry
            Their job.
        numbers : sequence of int
            The files' numbers.
        changes : dict, optional
            Settings by name; ``seed`` may be "next": one that the job has not used.
        """
        for task in entry.tasks:
            if task.number in numbers or (len(entry.tasks) == 1 and numbers):
                wanted = dict(changes or {})
                if wanted.get("seed") == "next":
                    used = {t.source.patch.seed for t in (*entry.tasks, *entry.again)} | {f.seed for f in entry.files}
                    wanted["seed"] = (max(used) + 1) % 2**32
                entry.again.append(changed(task, wanted))
        if entry.state in (DONE, FAILED, CANCELLED):
            entry.state = WAITING

    # -- working --------------------------------------------------------------------------------------------------

    @property
    def running(self) -> Entry | None:
        """The job under way."""
        return next((entry for entry in self.entries if entry.batch is not None), None)

    def step(self) -> bool:
        """Take in what is finished, and begin what waits.

        Returns
        -------
        bool
            Whether there is anything to show anew.
        """
        entry = self.running
        if entry is None:
            entry = next((entry for entry in self.entries if entry.state == WAITING), None)
            if entry is None:
                if time.monotonic() - self._idle_since > REST_S:
                    self._workers.close()
                return False
            tasks = entry.again or entry.missing()
            entry.again = []
            entry.batch, entry.state = Batch(tasks, self._workers), RUNNING
            self._save(entry)
        assert entry.batch is not None
        batch = entry.batch
        left = batch.step()
        self.unexpected += batch.unexpected
        batch.unexpected.clear()
        for file in batch.new_files():
            self._put(entry, file)
            self._note(entry, file)
        if not left:
            self._end(entry, batch)
        return True

    def _put(self, entry: Entry, file: File) -> None:
        at = bisect_left(entry.files, file.number, key=lambda other: other.number)
        same = at < len(entry.files) and entry.files[at].number == file.number
        entry.files[at : at + same] = [file]

    def _end(self, entry: Entry, batch: Batch) -> None:
        entry.batch, self._idle_since = None, time.monotonic()
        entry.failed = dict(batch.failed)
        if entry.state != CANCELLED:
            entry.state = FAILED if entry.failed else WAITING if entry.again else DONE
        if entry.files:
            try:
                folder = Path(entry.tasks[0].folder)
                path = report_path(replace(entry.job, existing="replace"), entry.source, folder)
                save_report(entry.job, entry.source, entry.made, entry.files, path)
            except DunefallError as error:
                self.troubles.append(tr("The figures beside the files were not saved: {error}", error=error))
        self._save(entry)

    def close(self) -> None:
        """The program ends: what is under way is stopped, and goes on at the next start."""
        for entry in self.entries:
            if entry.batch is not None:
                entry.batch.stop()
        self._workers.close(at_once=True)
        for entry in self.entries:
            if entry.batch is not None:
                entry.batch.close()


def _paths(entry: Entry) -> set[tuple[str, str]]:
    return {(task.folder, name) for task in entry.tasks for name in task.names}
