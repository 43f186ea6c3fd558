"""Listening to a rendered file beside the patch that plays; without a sound device silently, in its own time."""

from __future__ import annotations

import contextlib
import time
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from numpy.typing import NDArray

from dunefall.base.errors import StorageError
from dunefall.base.language import tr

__all__ = ["Audition", "Reader"]

SEAM_S = 1.0


class Reader:
    """A sound file as two channels, piece by piece: once, or round and round its seam; no more of it is in memory."""

    def __init__(self, path: Path, *, seam: bool = False, gain: float = 1.0, from_s: float = 0.0) -> None:
        self._file, self._seam, self._gain = soundfile.SoundFile(path), seam, gain
        size = min(round(SEAM_S * self._file.samplerate), self._file.frames)
        self._ends = (0, size) if seam else (0, self._file.frames)
        late = min(round(from_s * self._file.samplerate), max(0, self._file.frames - 1))
        self._begin = self._file.frames - size if seam else late
        self.rate, self.seconds = (
            self._file.samplerate,
            (2 * size if seam else self._file.frames) / self._file.samplerate,
        )
        self._file.seek(self._begin)

    def read(self, out: NDArray[np.float32]) -> bool:
        """The next frames [shape=(n, 2)]; False when the file has ended, with silence after it."""
        done = 0
        while done < len(out):
            end = self._ends[1] if self._file.tell() < self._ends[1] else self._file.frames
            wanted = min(len(out) - done, end - self._file.tell())
            piece = self._file.read(wanted, dtype="float32", always_2d=True) if wanted > 0 else out[:0]
            out[done : done + len(piece)] = self._gain * _stereo(piece)
            done += len(piece)
            if not len(piece):
                out[done:] = 0.0
                return False
            if self._seam and self._file.tell() >= end:
                self._file.seek(0 if end == self._file.frames else self._begin)
        return True

    def close(self) -> None:
        """Let the file go."""
        self._file.close()


class Audition:
    """Plays one file at a time, or goes round its seam.

    Attributes
    ----------
    path : Path or None
        What plays.
    """

    def __init__(self, device: str) -> None:
        self._device = device
        self.path: Path | None = None
        self._begun = 0.0
        self._reader: Reader | None = None
        self._stream: Any = None
        self._round = False

    def play(self, path: Path, *, seam: bool = False, gain: float = 1.0, from_s: float = 0.0) -> None:
        """Play a file from a time, so many times as loud; or the last and the first second of it, round and round.

        Raises
        ------
        StorageError
            If it cannot be read.
        """
        self.stop()
        try:
            self._reader = Reader(path, seam=seam, gain=gain, from_s=from_s)
        except (OSError, soundfile.SoundFileError) as error:
            raise StorageError(
                tr("{name} cannot be played: it is not there any more, or no sound file", name=path.name)
            ) from error
        self.path, self._begun, self._round = path, time.monotonic() - from_s, seam
        if self._device != "simulated":
            self._start(self._reader)

    def _start(self, reader: Reader) -> None:
        import sounddevice

        def fill(out: NDArray[np.float32], _frames: int, _time: object, _status: object) -> None:
            if not reader.read(out):
                raise sounddevice.CallbackStop

        with contextlib.suppress(sounddevice.PortAudioError):  # no device: it plays silently
            self._stream = sounddevice.OutputStream(reader.rate, channels=2, dtype="float32", callback=fill)
            self._stream.start()

    def stop(self) -> None:
        """Silence."""
        if self._stream is not None:
            self._stream.close()
        if self._reader is not None:
            self._reader.close()
        self.path = self._stream = self._reader = None

    @property
    def place(self) -> float:
        """How far it is, 0..1; it stops by itself at the end."""
        if self._reader is None or not self._reader.seconds:
            return 0.0
        share: float = (time.monotonic() - self._begun) / self._reader.seconds
        if self._round:
            return share % 1.0
        if share >= 1.0:
            self.stop()
            return 0.0
        return share


def _stereo(sound: NDArray[np.float32]) -> NDArray[np.float32]:
    """Two channels: more than two are folded by their mean on each side."""
    if sound.shape[1] <= 2:
        return sound
    return np.stack([sound[:, 0::2].mean(axis=1), sound[:, 1::2].mean(axis=1)], axis=1)
