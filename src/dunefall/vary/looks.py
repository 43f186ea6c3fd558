"""What a patch looks and is like, made ahead in worker processes: a sound to play, a spectrogram, figures."""

from __future__ import annotations

import hashlib
import pickle
import shutil
import tempfile
from concurrent.futures import BrokenExecutor, Future
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from dunefall.analysis.descriptors import Descriptors, described, spectra
from dunefall.analysis.loudness import energies_of, level_of_energy
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr
from dunefall.compiler.code import LoopCode, use_loop_code
from dunefall.compiler.sounds import import_sounds
from dunefall.deliver.rendering import StoppedError, compiled
from dunefall.deliver.workers import Workers, begin_work
from dunefall.patch.model import Patch
from dunefall.patch.take import Take
from dunefall.render.performance import Performance
from dunefall.vary.variations import RATE, by_itself

__all__ = ["BANDS", "COLUMNS", "SILENT", "Look", "Looks", "key_of", "look_at"]

COLUMNS, BANDS = 240, 68
LOWEST_HZ, HIGHEST_HZ = 50.0, 16_000.0
QUIET_DB, LOUD_DB = -84.0, -12.0
"""A spectrogram's white and black: the same for all, so that they can be compared."""
BLOCK = 4096
SILENT, DEAFENING_LUFS = -70.0, -3.0
COURSE = 30
"""Pieces of 10 ms before and behind: of what the course of loudness shows at a place."""
MOST_KEPT, MOST_KEYS, MOST_TRIES = 96, 400, 3


@dataclass(frozen=True)
class Look:
    """What was made of a patch.

    Attributes
    ----------
    picture : ndarray of uint8 [shape=(BANDS, COLUMNS)]
        Spectrogram, the highest band first; 255 is loud.
    course : ndarray [shape=(COLUMNS,)]
        Loudness in LUFS over time.
    descriptors : Descriptors or None
        None where it could not be rendered.
    peak : float
        Highest sample.
    seconds : float
        How long it was listened to.
    path : str
        The sound, as a file; "" where none is kept.
    trouble : str
        What is wrong with it, in a sentence.
    missing : tuple of Path
        Code of its feedback loops that would have made it faster, see ``use_loop_code``.
    """

    picture: NDArray[np.uint8]
    course: NDArray[np.float64]
    descriptors: Descriptors | None
    peak: float
    seconds: float
    path: str = ""
    trouble: str = ""
    missing: tuple[Path, ...] = ()


def look_at(patch: Patch, seconds: float, path: str, channel: str) -> Look:
    """Listen to a patch, in a worker.

    Parameters
    ----------
    patch : Patch
        The patch.
    seconds : float
        How long.
    path : str
        Where the sound is put; "": nowhere.
    channel : str
        Folder that is there as long as somebody waits.

    Returns
    -------
    Look
    """
    begin_work()
    try:
        sound, faulty, missing = _rendered(patch, seconds, Path(channel))
        look = replace(_look(sound, seconds), missing=tuple(missing))
        if path:
            soundfile.write(path, np.clip(sound, -4.0, 4.0).astype(np.float32), RATE, "FLOAT", format="WAV")
            look = replace(look, path=path)
        if faulty:
            names = ", ".join(patch.module(module).name for module in faulty if patch.has(module))
            return replace(look, trouble=tr("{names} gave invalid numbers and was muted.", names=names))
        return look
    except StoppedError:
        return _nothing(seconds, "stopped")
    except (DunefallError, OSError, MemoryError) as error:
        return _nothing(
            seconds, tr("It could not be rendered: {error}.", error=error or tr("there was not enough memory"))
        )


def _nothing(seconds: float, trouble: str) -> Look:
    return Look(np.zeros((BANDS, COLUMNS), np.uint8), np.full(COLUMNS, SILENT), None, 0.0, seconds, "", trouble)


def _rendered(patch: Patch, seconds: float, channel: Path) -> tuple[NDArray[np.float64], tuple[str, ...], list[Path]]:
    """The first two channels, the modules that were silenced, and what code was missing."""
    troubles = import_sounds(patch, alone=True)
    if troubles:
        raise DunefallError(troubles[0].rstrip("."))
    performance = Performance(Take(patch, RATE), compiled=compiled)
    missing = use_loop_code(performance.player.program, wait=False)
    sound = np.zeros((round(seconds * RATE), performance.player.channels))
    for at in range(0, len(sound), BLOCK):
        if not channel.is_dir():
            raise StoppedError
        performance.fill(sound[at : at + BLOCK])
    stereo = sound[:, :2] if sound.shape[1] > 1 else np.repeat(sound, 2, axis=1)
    return stereo, performance.player.program.faulty, missing


def _look(sound: NDArray[np.float64], seconds: float) -> Look:
    magnitudes = spectra(np.ascontiguousarray(sound.mean(axis=1)))
    found = described(sound, RATE, magnitudes)
    trouble = ""
    if found.lufs < SILENT:
        trouble = tr("It is silent.")
    elif found.lufs > DEAFENING_LUFS:
        trouble = tr("It is very loud, {lufs:.0f} LUFS: it is played quieter.", lufs=found.lufs)
    peak = float(np.abs(sound).max(initial=0.0))
    return Look(_picture(magnitudes), _course(sound), found, peak, seconds, "", trouble)


def _picture(magnitudes: NDArray[np.float64]) -> NDArray[np.uint8]:
    """Spectrogram with bands even in octaves."""
    power = magnitudes**2 / (spectra(np.ones(4096))[2].max() ** 2)
    edges = np.geomspace(LOWEST_HZ, HIGHEST_HZ, BANDS + 1) / (RATE / 2.0) * (power.shape[1] - 1)
    sums = np.concatenate([np.zeros((len(power), 1)), np.cumsum(power, axis=1)], axis=1)
    at = np.arange(sums.shape[1])
    bands = np.diff(np.array([np.interp(edges, at, row) for row in _in_columns(sums)]), axis=1)
    level = 10.0 * np.log10(np.maximum(bands, 1e-12))
    shade = np.clip((level - QUIET_DB) / (LOUD_DB - QUIET_DB), 0.0, 1.0)
    return np.ascontiguousarray(np.round(255.0 * shade).astype(np.uint8).T[::-1])


def _in_columns(rows: NDArray[np.float64]) -> NDArray[np.float64]:
    """The mean of the rows of each column of the picture."""
    edges = np.linspace(0, len(rows), COLUMNS + 1)
    return np.array([rows[int(a) : max(int(a) + 1, int(b))].mean(axis=0) for a, b in pairwise(edges)])


def _course(sound: NDArray[np.float64]) -> NDArray[np.float64]:
    energies = energies_of(sound, RATE)[0]
    sums = np.concatenate([[0.0], np.cumsum(energies)])
    middles = (np.arange(COLUMNS) + 0.5) * len(energies) / COLUMNS
    first = np.clip(middles - COURSE, 0, len(energies)).astype(int)
    last = np.clip(middles + COURSE, 1, len(energies)).astype(int)
    means = (sums[last] - sums[first]) / np.maximum(last - first, 1)
    return np.array([max(SILENT, level_of_energy(float(mean))) for mean in means])


def key_of(patch: Patch, seconds: float) -> str:
    """What tells patches apart that sound otherwise; now and then also two that sound the same."""
    heard = pickle.dumps((seconds, patch.seed, patch.tempo_bpm, patch.layout, patch.layers, patch.links))
    return hashlib.sha1(heard, usedforsecurity=False).hexdigest()


class Looks:
    """Looks at patches, asked for here and made by workers, the first ones first; ask ``step`` now and then.

    Parameters
    ----------
    workers : Workers
        Who makes them.

    Attributes
    ----------
    unexpected : list of Exception
        Errors of workers that nobody expected.
    """

    def __init__(self, workers: Workers) -> None:
        self._workers, self._tries = workers, 0
        self._folder = Path(tempfile.mkdtemp(prefix="dunefall-vary-"))
        self._made: dict[str, Look] = {}
        self._waiting: dict[str, tuple[Patch, float, bool]] = {}
        self._running: dict[Future[Look], str] = {}
        self._asked: dict[str, tuple[Patch, float, bool]] = {}
        self._keys: dict[tuple[int, frozenset[str], float], tuple[Patch, Patch, str]] = {}
        self._code = LoopCode()
        self.unexpected: list[Exception] = []

    def _alone(self, patch: Patch, modules: frozenset[str], seconds: float) -> tuple[Patch, str]:
        """What is listened to of a patch, and its key; worked out once for each patch."""
        place = (id(patch), modules, seconds)
        if place not in self._keys:
            if len(self._keys) > MOST_KEYS:
                self._keys.clear()
            alone = by_itself(patch, modules)
            self._keys[place] = (patch, alone, key_of(alone, seconds))  # the patch stays: its number is not given again
        return self._keys[place][1:]

    def look(self, patch: Patch, modules: frozenset[str], seconds: float) -> Look | None:
        """The look at the layers of some modules, alone, if it is there.

        Parameters
        ----------
        patch : Patch
            The patch; it is not changed.
        modules : frozenset of str
            Ids of modules.
        seconds : float
            How long it is listened to.

        Returns
        -------
        Look or None
        """
        return self._made.get(self._alone(patch, modules, seconds)[1])

    def ask(self, patch: Patch, modules: frozenset[str], seconds: float, *, sound: bool = True) -> None:
        """Have such a look made, unless it is there.

        Parameters
        ----------
        patch : Patch
            The patch; it is not changed.
        modules : frozenset of str
            Ids of modules.
        seconds : float
            How long it is listened to.
        sound : bool
            Whether the sound is kept, to be played.
        """
        alone, key = self._alone(patch, modules, seconds)
        made = self._made.get(key)
        if (made is None or (sound and not made.path and not made.trouble)) and key not in self._asked:
            self._waiting[key] = self._asked[key] = (alone, seconds, sound)

    def forget_waiting(self) -> None:
        """Nobody waits for what is not under way."""
        for key in self._waiting:
            del self._asked[key]
        self._waiting.clear()

    @property
    def busy(self) -> bool:
        """Whether something is still to come."""
        return bool(self._waiting or self._running)

    @property
    def prepares(self) -> bool:
        """Whether code is being made that makes later looks faster."""
        return self._code.busy

    def step(self) -> bool:
        """Take in what is finished and begin what can be begun; whether something new is there."""
        self._code.go_on()
        done = [future for future in self._running if future.done()]
        for future in done:
            self._take(self._running.pop(future), future)
        while self._waiting and len(self._running) < self._workers.count + 1:
            key = next(iter(self._waiting))
            patch, seconds, sound = self._waiting.pop(key)
            path = str(self._folder / f"{key}.wav") if sound else ""
            try:
                self._running[self._workers.submit(look_at, patch, seconds, path, str(self._folder))] = key
            except BrokenExecutor:
                self._lost(key)
                break
        return bool(done)

    def _take(self, key: str, future: Future[Look]) -> None:
        try:
            look = future.result()
        except BrokenExecutor:
            self._lost(key)
            return
        except Exception as error:  # what a worker does not expect is told like what it does
            self.unexpected.append(error)
            look = _nothing(
                self._asked[key][1],
                tr("It could not be rendered: {name}: {error}.", name=type(error).__name__, error=error),
            )
        self._tries = 0
        self._code.make(look.missing)
        del self._asked[key]
        self._made[key] = look
        while len(self._made) > MOST_KEPT:
            Path(self._made.pop(next(iter(self._made))).path or self._folder / "none").unlink(missing_ok=True)

    def _lost(self, key: str) -> None:
        """A worker has died: what it had in hand is done again, by a new one."""
        self._tries += 1
        self._workers.close()
        if self._tries <= MOST_TRIES * (self._workers.count + 1):
            self._waiting = {key: self._asked[key], **self._waiting}
        else:
            self._made[key] = _nothing(
                self._asked.pop(key)[1], tr("Its worker died several times; is there enough memory?")
            )

    def close(self) -> None:
        """End the workers, and remove the sounds."""
        self._code.close()
        shutil.rmtree(self._folder, ignore_errors=True)
        self._waiting.clear()
        self._running.clear()
        self._workers.close(at_once=True)
