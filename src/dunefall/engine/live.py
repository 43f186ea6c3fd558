"""The live input on its way into the sound, and into recordings to which the take refers."""

from __future__ import annotations

import hashlib
import time
from collections import deque
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from dunefall.base.errors import StorageError
from dunefall.base.folders import data_folder
from dunefall.base.language import tr
from dunefall.base.programs import program_name
from dunefall.engine.devices.input import AudioInput, SimulatedInput
from dunefall.render.recordings import SUFFIX, RecordingWriter

__all__ = ["LiveTap", "recorded", "recordings_folder"]

RING = 1 << 22
"""Samples that may wait for the disk: more than a minute."""
MOST_AT_ONCE = 64
KEPT_DAYS = 30.0


def recordings_folder() -> Path:
    """The folder for recordings until a take is saved with copies of them. Those older than a month are deleted, but
    none of this window, whatever the clock says."""
    folder = data_folder() / "recordings"
    folder.mkdir(parents=True, exist_ok=True)
    for old in folder.glob(f"*{SUFFIX}"):
        if f" {program_name()}-" not in old.name and time.time() - old.stat().st_mtime > KEPT_DAYS * 86400.0:
            old.unlink(missing_ok=True)
    return folder


def recorded(choice: str, rate_hz: float, seconds: float) -> Path:
    """A mono recording of what a render hears as its live input.

    Parameters
    ----------
    choice : str
        ``simulated``, or a sound file; of several channels their mean is taken.
    rate_hz, seconds : float
        Of the simulated voice.

    Returns
    -------
    Path

    Raises
    ------
    StorageError
        If the file cannot be read, or the recording not be written.
    """
    if choice == "simulated":
        voice, length = SimulatedInput(rate_hz), round(rate_hz * seconds) + 1
        sound, rate, name = np.zeros(length, np.float32), rate_hz, f"simulated {length} at {rate_hz:g}"
        voice.read(sound)
    else:
        path = Path(choice)
        try:
            whole, rate = soundfile.read(path, dtype="float32", always_2d=True)
        except (OSError, TypeError, soundfile.SoundFileError) as error:
            raise StorageError(tr("the live input {path} cannot be read: {error}", path=path, error=error)) from error
        if whole.shape[1] == 1:
            return path.resolve()
        sound = whole.mean(axis=1)
        name = hashlib.blake2b(sound.tobytes(), digest_size=8).hexdigest()
    kept = recordings_folder() / f"{name}{SUFFIX}"
    writer = RecordingWriter(kept, rate)
    try:
        writer.write(sound)
    finally:
        writer.close()
    return kept


class LiveTap:
    """Gives the audio thread the live input, and keeps what was given.

    The audio thread calls ``read`` only; it writes into a ring, and another thread takes it from there to the disk.
    """

    def __init__(self, rate: float, began: Callable[[int, Path], None]) -> None:
        self.source: AudioInput | None = None
        self._rate, self._began = rate, began
        self._next = -1
        self._heard = np.zeros(MOST_AT_ONCE, np.float32)
        self._ring = np.zeros(RING, np.float32)
        self._written = self._kept = 0
        self._starts: deque[tuple[int, int]] = deque()
        self._file: RecordingWriter | None = None

    def read(self, position: int, out: NDArray[np.float64]) -> None:
        """The live input from a position on (audio thread)."""
        n, source = len(out), self.source
        heard = self._heard[:n]
        if source is None:
            heard[:] = 0.0
        else:
            source.read(heard)
        out[:] = heard
        if position != self._next:
            self._starts.append((self._written, position))
        at = self._written % RING
        first = min(n, RING - at)
        self._ring[at : at + first] = heard[:first]
        self._ring[: n - first] = heard[first:]
        self._written += n
        self._next = position + n

    def keep(self) -> None:
        """Write what came in to the disk (not in the audio thread); raises StorageError."""
        while True:
            written = self._written
            ends = self._starts[0][0] if self._starts else written
            if self._kept < ends:
                self._write(ends)
            if not self._starts or self._starts[0][0] > self._kept:
                return
            _, position = self._starts.popleft()
            self.end()
            name = f"{time.strftime('%Y-%m-%d %H-%M-%S')} {program_name()}-{position}{SUFFIX}"
            self._file = RecordingWriter(recordings_folder() / name, self._rate)
            self._began(position, self._file.path)

    def end(self) -> None:
        """End the recording, if there is one."""
        if self._file is not None:
            self._file.close()
            self._file = None

    def _write(self, end: int) -> None:
        places = np.arange(self._kept, end) % RING
        self._kept = end
        if self._file is None:
            return
        try:
            self._file.write(self._ring[places])
        except StorageError:
            self.end()
            raise
