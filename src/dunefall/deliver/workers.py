"""Many tasks on many cores: one interface, ``concurrent.futures.Executor``, for this machine or for a cluster.

A worker that dies takes nothing with it: its tasks are done again. Progress and the wish to stop go through small
files, so that any kind of worker on this machine can use them.
"""

from __future__ import annotations

import multiprocessing
import os
import shutil
import sys
import tempfile
import time
from bisect import insort
from collections.abc import Callable, Sequence
from concurrent.futures import BrokenExecutor, Executor, Future, ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, TypeVar

from dunefall.base.errors import DunefallError, ParameterError, StorageError
from dunefall.base.language import tr
from dunefall.base.processes import end_with
from dunefall.base.storage import PART, synced, whole
from dunefall.compiler.team import threads_here
from dunefall.deliver.making import File, Task, make
from dunefall.deliver.rendering import Ear, StoppedError
from dunefall.render.threads import render_with

__all__ = ["Batch", "Outcome", "Workers", "begin_work", "cluster", "work"]

MOST_TRIES = 4
T = TypeVar("T")
NICE = 10
"""Workers of this machine yield to the sound."""
STOP = "stop"
CONNECT_S, TELLS_S = 10.0, 0.1
UNREAD_FAILS = (3, 11, 5)
"""From this Python on, writing orders that no worker reads any more fails; before it, the program waits for ever."""


@dataclass(frozen=True)
class Outcome:
    """What became of a task.

    Attributes
    ----------
    files : tuple of File
    error : str
        A sentence, if it failed; ``stopped`` if it was cancelled.
    data : dict of str to bytes
        The files themselves, where the worker may not share a disk with us.
    """

    files: tuple[File, ...] = ()
    error: str = ""
    data: dict[str, bytes] = field(default_factory=dict)


_ready = False


def _serve(master: int, threads: int) -> None:
    """Once in each worker of this machine: it yields to the sound, ends with the program that it serves, and renders
    with so many threads."""
    os.nice(NICE)
    end_with(master)
    render_with(threads)


def begin_work() -> None:
    """At the beginning of each task; does something once in each worker: it has the kernels at hand then."""
    global _ready
    if _ready:
        return
    from dunefall.catalogue import catalogue
    from dunefall.compiler.warmup import prepare

    prepare(catalogue())
    _ready = True


def work(task: Task, channel: str, far: bool, sounds: dict[str, bytes]) -> Outcome:
    """Do a task in a worker.

    Parameters
    ----------
    task : Task
        What is to be made.
    channel : str
        Folder of progress, or empty.
    far : bool
        The worker is on another machine: the files come back as bytes.
    sounds : dict of str to bytes
        Sound files of the patch by their path, for a worker that may not have them.

    Returns
    -------
    Outcome
    """
    begin_work()
    tell = Path(channel) if channel else None
    told = [time.monotonic()]

    def ear(share: float) -> None:
        if tell is None:
            return
        if (tell / STOP).exists() or not tell.is_dir():  # whoever asked for it is gone
            raise StoppedError
        now = time.monotonic()
        if now - told[0] >= TELLS_S:
            told[0] = now
            try:
                with whole(tell / f"{task.number}") as part:  # half written, it would be read as nothing done
                    part.write_text(f"{share:.3f}")
            except StorageError:
                raise StoppedError from None  # whoever asked for it has gone just now

    try:
        if not far:
            return _made(task, ear)
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "out"
            out.mkdir()
            outcome = _made(replace(_with_sounds(task, Path(folder), sounds), folder=str(out)), ear)
            return replace(outcome, data={path.name: path.read_bytes() for path in sorted(out.iterdir())})
    except StoppedError:
        return Outcome(error="stopped")
    except DunefallError as error:
        return Outcome(error=str(error))
    except MemoryError:
        return Outcome(error=tr("there was not enough memory; render a shorter time or fewer layers at once"))


def _made(task: Task, ear: Ear) -> Outcome:
    from dunefall.compiler.sounds import import_sounds

    troubles = import_sounds(task.source.patch, alone=True)
    return Outcome(error=troubles[0]) if troubles else Outcome(tuple(make(task, ear)))


def _with_sounds(task: Task, folder: Path, sounds: dict[str, bytes]) -> Task:
    """The task with its sounds in a folder of this machine, where they travelled with it."""
    if not sounds:
        return task
    paths = {}
    for k, (name, data) in enumerate(sounds.items()):
        path = folder / f"{k}{Path(name).suffix}"
        path.write_bytes(data)
        paths[name] = str(path)
    patch = task.source.patch
    layers = tuple(
        replace(layer, modules=tuple(
            replace(m, sound=replace(m.sound, path=paths.get(m.sound.path, m.sound.path))) if m.sound else m
            for m in layer.modules
        ))
        for layer in patch.layers
    )  # fmt: skip
    return replace(
        task, source=replace(task.source, take=replace(task.source.take, start=replace(patch, layers=layers)))
    )


def cluster(address: str) -> Executor:
    """The workers of a Dask cluster that the user has.

    Parameters
    ----------
    address : str
        Of its scheduler, ``tcp://HOST:PORT``.

    Returns
    -------
    Executor

    Raises
    ------
    ParameterError
        If ``dask.distributed`` is not installed, or nobody answers there.
    """
    try:
        from distributed import Client
    except ImportError as error:
        raise ParameterError(tr('a scheduler needs "dask.distributed": pip install dunefall[cluster]')) from error
    try:
        client: Any = Client(  # type: ignore[no-untyped-call]
            address, timeout=CONNECT_S, set_as_default=False
        )
    except (OSError, ValueError, TimeoutError) as error:
        raise ParameterError(
            tr("no scheduler answers at {address}: {error}", address=address, error=error or "timed out")
        ) from error
    executor: Executor = client.get_executor(pure=False, retries=MOST_TRIES)
    return executor


class Workers:
    """The workers of this machine, or of a cluster; they come with the first task, and stay for the next batch.

    Parameters
    ----------
    count : int
        How many there are on this machine.
    scheduler : str
        Address of a cluster to use instead.
    """

    def __init__(self, count: int, scheduler: str = "") -> None:
        self.count, self.scheduler = max(1, count), scheduler
        self._executor: Executor | None = None

    @property
    def far(self) -> bool:
        """They may not share a disk with this process."""
        return bool(self.scheduler)

    @property
    def most(self) -> int:
        """So many tasks are given out at a time: enough that no worker waits for the next."""
        return 4 * self.count if self.far else 2 * self.count

    def submit(self, what: Callable[..., T], *given: Any) -> Future[T]:
        """Have a function called with what is given; raises BrokenExecutor if a worker has died."""
        return self._begin_executor().submit(what, *given)

    def _begin_executor(self) -> Executor:
        if self._executor is None:
            if self.far:
                self._executor = cluster(self.scheduler)
            else:
                served = os.getpid(), threads_here() // self.count
                self._executor = ProcessPoolExecutor(self.count, multiprocessing.get_context("spawn"), _serve, served)
        return self._executor

    def close(self, at_once: bool = False) -> None:
        """Let them go; the next task brings new ones.

        Parameters
        ----------
        at_once : bool
            Those of this machine end now, whatever they do: the program ends, and would wait for them.
        """
        executor, self._executor = self._executor, None
        if isinstance(executor, ProcessPoolExecutor):
            processes = list((executor._processes or {}).values())
            manager: Any = executor._executor_manager_thread
            orders: Any = getattr(executor, "_call_queue", None)
            executor.shutdown(wait=False, cancel_futures=True)
            if orders is not None and sys.version_info < UNREAD_FAILS:
                _close_end(orders._reader)
            for process in processes if at_once else ():
                process.kill()
            if at_once and manager is not None:
                manager.join(1.0)  # or the interpreter wakes it at its end when its pipe is closed, and says so
        elif executor is not None:
            executor.shutdown(wait=False)


def _close_end(end: Any) -> None:
    """Close one end of a pipe, of which other threads may be closing the same: only one of them has its number."""
    number, end._handle = end._handle, None
    if number is not None:
        os.close(number)


class Batch:
    """The tasks of one job on their way; ask ``step`` now and then until nothing is left.

    Parameters
    ----------
    tasks : sequence of Task
        What is to be done.
    workers : Workers
        Who does it.

    Attributes
    ----------
    files : list of File
        What is finished, in order of their numbers.
    failed : dict of int to str
        Why a task failed, by its number.
    unexpected : list of Exception
        Errors of workers that are none of the project's, for whoever writes them down.
    paused : bool
        No new task is begun.
    """

    def __init__(self, tasks: Sequence[Task], workers: Workers) -> None:
        self._waiting, self._running = list(tasks), dict[Future[Outcome], Task]()
        self._workers, self._tries = workers, 0
        self._channel = tempfile.mkdtemp(prefix="dunefall-render-")
        self._sounds = _sounds_of(tasks[0]) if workers.far and tasks else {}
        self.total, self.done, self.paused, self.stopped = len(tasks), 0, False, False
        self.files, self.failed, self.unexpected = list[File](), dict[int, str](), list[Exception]()
        self._disk = ThreadPoolExecutor(1, "dunefall-disk")
        self._settling = dict[Future[str], tuple[Task, Outcome]]()
        self._new = list[File]()

    @property
    def share(self) -> float:
        """How much is done, 0..1."""
        running = sum(self.shares().values())
        return (self.done + len(self._settling) + running) / max(self.total, 1)

    def shares(self) -> dict[int, float]:
        """How far each running task is, by its number."""
        found = {}
        for task in self._running.values():
            try:
                found[task.number] = float((Path(self._channel) / str(task.number)).read_text() or 0.0)
            except (OSError, ValueError):
                found[task.number] = 0.0
        return found

    def step(self) -> bool:
        """Take in what is finished and begin what can be begun; False when nothing is left."""
        self._collect()
        while self._waiting and not self.paused and not self.stopped and len(self._running) < self._workers.most:
            task = self._waiting.pop(0)
            try:
                self._running[self._workers.submit(work, task, self._channel, self._workers.far, self._sounds)] = task
            except BrokenExecutor:
                self._again([task])
        if self.stopped:
            self._waiting.clear()
        left = bool(self._running or self._waiting or self._settling)
        if not left:
            self.close()
        return left

    def new_files(self) -> list[File]:
        """What was finished since this was last asked."""
        new, self._new = self._new, []
        return new

    def _collect(self) -> None:
        lost = []
        for settled in [settled for settled in self._settling if settled.done()]:
            self._settled(*self._settling.pop(settled), settled.result())
        for future in [future for future in self._running if future.done()]:
            task = self._running.pop(future)
            try:
                outcome = future.result()
            except BrokenExecutor:
                lost.append(task)
                continue
            except Exception as error:  # what a worker does not expect is told like what it does
                self.unexpected.append(error)
                outcome = Outcome(
                    error=tr("the worker ended unexpectedly: {name}: {error}", name=type(error).__name__, error=error)
                )
            self._take(task, outcome)
        if lost:
            lost += self._running.values()
            self._running.clear()
            self._again(lost)

    def _again(self, tasks: list[Task]) -> None:
        """A worker has died: all that it and the others had in hand is done again, by new ones."""
        self._tries += 1
        self._workers.close()
        for task in tasks:
            _tidy(task)
            if self._tries >= MOST_TRIES:
                self._take(task, Outcome(error=tr("its worker died several times; is there enough memory?")))
            else:
                self._waiting.insert(0, task)

    def _take(self, task: Task, outcome: Outcome) -> None:
        self._tries = 0 if outcome.files else self._tries
        if outcome.error:
            self._settled(task, outcome, outcome.error if outcome.error != "stopped" else "")
        else:
            self._settling[self._disk.submit(_settle, Path(task.folder), outcome)] = (task, outcome)

    def _settled(self, task: Task, outcome: Outcome, error: str) -> None:
        """Its files are on the disk, or could not be made."""
        self.done += 1
        if error:
            self.failed[task.number] = error
            return
        for file in outcome.files:
            insort(self.files, file, key=_number)
        self._new += outcome.files

    def stop(self) -> None:
        """Cancel: what is whole stays, what is half done goes."""
        self.stopped = True
        if Path(self._channel).is_dir():
            (Path(self._channel) / STOP).touch()
        for future in list(self._running):
            if future.cancel():
                self._running.pop(future)

    def close(self) -> None:
        """Tidy up; the workers stay."""
        for task in self._running.values():
            _tidy(task)
        self._disk.shutdown(wait=False)
        shutil.rmtree(self._channel, ignore_errors=True)


def _tidy(task: Task) -> None:
    """Remove what a worker that is gone had half written."""
    for part in Path(task.folder).glob(f".*{PART}"):
        if any(part.name.startswith(f".{name}") for name in task.names):
            part.unlink(missing_ok=True)


def _number(file: File) -> int:
    return file.number


def _settle(folder: Path, outcome: Outcome) -> str:
    """Put finished files on the disk, beside the work on the next; gives what went wrong, in a sentence."""
    try:
        for name, data in outcome.data.items():
            with whole(folder / name) as part:
                part.write_bytes(data)
        for file in outcome.files:
            for name in file.names:
                synced(folder / name)
    except StorageError as error:
        return str(error)
    return ""


def _sounds_of(task: Task) -> dict[str, bytes]:
    found = {}
    for module in task.source.patch.modules():
        if module.sound is not None:
            try:
                found[module.sound.path] = Path(module.sound.path).read_bytes()
            except OSError as error:
                raise StorageError(
                    tr("the sound {path} cannot be read: {reason}", path=module.sound.path, reason=error.strerror)
                ) from error
    return found
