"""A search in worker processes for variations that go where some words say; see ``vary.steer``."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Collection, Mapping, Sequence
from concurrent.futures import BrokenExecutor, Future
from contextlib import suppress
from pathlib import Path

from dunefall.analysis.descriptors import Descriptors
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr
from dunefall.deliver.rendering import StoppedError
from dunefall.deliver.workers import Workers, begin_work
from dunefall.patch.model import Patch
from dunefall.vary.steer import MOST_RENDERS, STEERED_S, Found, hears_alone, steered

__all__ = ["Quest", "seek"]

MOST_TRIES = 3


def seek(
    patch: Patch, modules: Collection[str], kinds: Collection[str], words: Mapping[str, float], renders: int, seed: int,
    channel: str,
) -> Found | str:  # fmt: skip
    """Search in a worker; gives what was found, or what went wrong in a sentence.

    Parameters
    ----------
    patch : Patch
        The parent.
    modules, kinds : collection of str
        What may change.
    words : mapping of str to float
        What is wanted.
    renders : int
        So many sounds are listened to at most.
    seed : int
        Where chance begins.
    channel : str
        Folder of progress, which is there as long as somebody waits.

    Returns
    -------
    Found or str
    """
    begin_work()
    folder, heard = Path(channel), [0]
    listen = hears_alone(modules, STEERED_S)

    def hears(patches: Sequence[Patch]) -> list[Descriptors]:
        found = []
        for one in patches:
            if not folder.is_dir():
                raise StoppedError
            found += listen([one])
            heard[0] += 1
            with suppress(OSError):
                (folder / f"{seed}").write_text(f"{heard[0]}")
        return found

    try:
        return steered(patch, modules, kinds, words, seed=seed, renders=renders, hears=hears)
    except StoppedError:
        return ""
    except (DunefallError, MemoryError) as error:
        return str(error) or tr("there was not enough memory")


class Quest:
    """Some searches side by side, each from another seed; ask ``step`` now and then.

    Parameters
    ----------
    workers : Workers
        Who searches.
    patch : Patch
        The parent.
    modules, kinds : collection of str
        What may change.
    words : mapping of str to float
        What is wanted.
    seeds : sequence of int
        One search each.
    renders : int
        So many sounds are listened to at most, for each.

    Attributes
    ----------
    found : dict of int to Found
        By seed.
    troubles : list of str
        What went wrong.
    """

    def __init__(
        self, workers: Workers, patch: Patch, modules: Collection[str], kinds: Collection[str],
        words: Mapping[str, float], seeds: Sequence[int], renders: int = MOST_RENDERS,
    ) -> None:  # fmt: skip
        self._workers, self.words, self._seeds = workers, dict(words), list(seeds)
        self._given, self._renders = (patch, modules, kinds, dict(words), renders), renders
        self._folder = tempfile.mkdtemp(prefix="dunefall-steer-")
        self._waiting, self._running = list(seeds), dict[Future[Found | str], int]()
        self.found: dict[int, Found] = {}
        self.troubles: list[str] = []
        self._tries = 0

    @property
    def share(self) -> float:
        """How much of the renders that may be used is used, 0..1."""
        used = 0.0
        for seed in self._seeds:
            with suppress(OSError, ValueError):
                used += int((Path(self._folder) / f"{seed}").read_text())
        return min(1.0, used / (self._renders * len(self._seeds)))

    def step(self) -> bool:
        """Take in what is finished and begin what can be begun; False when nothing is left."""
        for future in [future for future in self._running if future.done()]:
            seed = self._running.pop(future)
            try:
                found = future.result()
            except BrokenExecutor:
                self._lost(seed)
                continue
            except Exception as error:  # told like what a worker expects
                found = f"{type(error).__name__}: {error}"
            if isinstance(found, Found):
                self.found[seed] = found
            elif found:
                self.troubles.append(found)
        while self._waiting and len(self._running) < self._workers.count:
            seed = self._waiting.pop(0)
            try:
                self._running[self._workers.submit(seek, *self._given, seed, self._folder)] = seed
            except BrokenExecutor:
                self._lost(seed)
                break
        if not self._running and not self._waiting:
            shutil.rmtree(self._folder, ignore_errors=True)
            return False
        return True

    def _lost(self, seed: int) -> None:
        """A worker has died: its search begins again."""
        self._tries += 1
        self._workers.close()
        if self._tries > MOST_TRIES:
            self.troubles.append(tr("its worker died several times; is there enough memory?"))
        else:
            self._waiting.insert(0, seed)

    def stop(self) -> None:
        """Cancel: nothing comes of it."""
        self._waiting.clear()
        self._running.clear()
        shutil.rmtree(self._folder, ignore_errors=True)
