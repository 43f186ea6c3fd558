"""Recordings of the live input: written while it sounds, read when a take is played again.

They are Sun/NeXT sound files (.au, an open format: a header of 24 bytes and the samples), of which can be read what has
been written so far, also after a crash. Samples have 32 bits, as devices give them: what is read is what sounded.
"""

from __future__ import annotations

import struct
from pathlib import Path
from typing import BinaryIO

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

from dunefall.base.errors import StorageError
from dunefall.base.language import tr
from dunefall.patch.take import Heard, Take

__all__ = ["SUFFIX", "RecordingWriter", "TakeRecordings"]

SUFFIX = ".au"
_FLOAT32, _LENGTH_UNKNOWN = 6, 0xFFFFFFFF
_PIECE = 1 << 16


class RecordingWriter:
    """A recording that grows; raises StorageError where the disk refuses.

    Parameters
    ----------
    path : Path
        The file.
    rate_hz : float
        Sample rate in Hz.
    channels : int
    what : str
        What it is of, for errors.
    """

    def __init__(self, path: Path, rate_hz: float, channels: int = 1, what: str = tr("the live input")) -> None:
        self.path, self._what = path, what
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._file: BinaryIO = path.open("wb", buffering=0)
            header = struct.pack(">4s5I", b".snd", 24, _LENGTH_UNKNOWN, _FLOAT32, round(rate_hz), channels)
            self._file.write(header)
        except OSError as error:
            raise StorageError(
                tr("{what} cannot be recorded to {path}: {reason}", what=what, path=path, reason=error.strerror)
            ) from error

    def write(self, samples: NDArray[np.float32]) -> None:
        """Add samples.

        Parameters
        ----------
        samples : ndarray
            Samples, one column for each channel.

        Raises
        ------
        StorageError
            If the disk is full, or the folder has been removed.
        """
        try:
            self._file.write(samples.astype(">f4").tobytes())
        except OSError as error:
            raise StorageError(tr("{what} cannot be recorded to {path}: {reason}", what=self._what, path=self.path,
                                  reason=error.strerror)) from error  # fmt: skip

    def close(self) -> None:
        """End the file."""
        self._file.close()


class TakeRecordings:
    """The live input of a take by its position; silence where nothing was recorded.

    Raises
    ------
    StorageError
        If a recording is missing or cannot be read.
    """

    def __init__(self, take: Take) -> None:
        self._rate = take.rate_hz
        heard = [(entry.at, entry.what) for entry in take.sounding if isinstance(entry.what, Heard)]
        self._parts = [(at, Path(what.recording)) for at, what in heard]
        self._part = -1
        self._file: soundfile.SoundFile | None = None
        self._converted: NDArray[np.float64] | None = None
        self._begin = self._end = 0
        self._samples: NDArray[np.float64] = np.zeros(0)

    def read(self, position: int, out: NDArray[np.float64]) -> None:
        """Fill ``out`` with the live input from a position on; positions mostly rise.

        Parameters
        ----------
        position : int
            Sample since the start of the take.
        out : ndarray [shape=(n,)]
            Where the samples are written.
        """
        out[:] = 0.0
        done = 0
        while done < len(out):
            at = position + done
            if not self._begin <= at < self._end:
                self._load(at)
            n = min(self._end - at, len(out) - done)
            piece = self._samples[at - self._begin : at - self._begin + n]
            out[done : done + len(piece)] = piece
            done += n

    def _load(self, at: int) -> None:
        """Have the samples around a position; of a stretch without a recording there are none."""
        part = max((k for k, (begin, _) in enumerate(self._parts) if begin <= at), default=-1)
        after = self._parts[part + 1][0] if part + 1 < len(self._parts) else 1 << 62
        if part < 0:
            self._begin, self._end, self._samples = 0, after, np.zeros(0)
            return
        begin, path = self._parts[part]
        if part != self._part:
            self._open(path)
            self._part = part
        assert self._file is not None
        first = (at - begin) // _PIECE * _PIECE
        self._samples = self._piece(first)
        self._begin = begin + first
        self._end = min(self._begin + _PIECE, after) if len(self._samples) else after

    def _open(self, path: Path) -> None:
        try:
            self._file = soundfile.SoundFile(path)
        except (OSError, soundfile.SoundFileError) as error:
            raise StorageError(
                tr("the recording {path} of this take cannot be read: {error}", path=path, error=error)
            ) from error
        if self._file.format == "RAW":  # what libsndfile takes for sound without a header
            raise StorageError(
                tr("the recording {path} of this take cannot be read: it is not a sound file", path=path)
            )
        if self._file.channels != 1:
            raise StorageError(tr("the recording {path} must have one channel; it has {channels}", path=path,
                                  channels=self._file.channels))  # fmt: skip
        self._converted = None
        if self._file.samplerate != round(self._rate):
            whole = self._file.read(dtype="float64")
            self._converted = np.asarray(soxr.resample(whole, self._file.samplerate, round(self._rate), "VHQ"))

    def _piece(self, first: int) -> NDArray[np.float64]:
        """``_PIECE`` samples from the ``first`` on, in the take's rate."""
        assert self._file is not None
        if self._converted is not None:
            return self._converted[first : first + _PIECE]
        self._file.seek(min(first, self._file.frames))
        return np.asarray(self._file.read(_PIECE, dtype="float64"))
