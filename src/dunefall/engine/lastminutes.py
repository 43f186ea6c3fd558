"""The last minutes of what was heard, always kept: a ring of short files that survives a crash, and its way into one.

The audio thread writes into a ring in memory only; the thread that answers messages takes it from there to the disk.
"""

from __future__ import annotations

import shutil
import time
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from dunefall.base.errors import StorageError
from dunefall.base.folders import state_folder
from dunefall.base.language import tr
from dunefall.base.pages import put_at_hand
from dunefall.base.programs import program_name, program_runs
from dunefall.base.storage import whole
from dunefall.render.recordings import SUFFIX, RecordingWriter

__all__ = [
    "MOST_S",
    "LastMinutes",
    "forget_last_minutes",
    "join_last_minutes",
    "kept_s",
    "last_minutes_folder",
    "last_minutes_left",
    "pieces_of",
]

MOST_S, PIECE_S = 600.0, 10.0
"""Ten minutes in two channels at 48 kHz take 230 MB."""
RING = 1 << 20
"""Frames that may wait for the disk: 22 s at 48 kHz."""
AT_LEAST_S, AGAIN_S = 0.5, 20.0
"""So much is written at a time; so long after the disk has refused, it is tried again."""
BLOCK = 1 << 16
WHAT = "the sound of the last minutes"


def last_minutes_folder() -> Path:
    """The folder of this program's ring."""
    return _root() / program_name()


def _root() -> Path:
    """The folder of all rings."""
    return state_folder() / "last-minutes"


class LastMinutes:
    """Keeps what is heard, by the program that it belongs to.

    The audio thread calls ``hear`` only.

    Parameters
    ----------
    rate : float
        Sample rate in Hz.
    """

    def __init__(self, rate: float) -> None:
        self._rate, self._folder = rate, last_minutes_folder()
        self._ring = np.zeros((RING, 2), np.float32)
        put_at_hand(self._ring)
        self._written = self._kept = 0
        self._file: RecordingWriter | None = None
        self._left, self._number, self._again_at, self._refused = 0, -1, 0.0, False

    def hear(self, block: NDArray[np.float64]) -> None:
        """The next frames [shape=(n, 2)] (audio thread)."""
        at, n = self._written % RING, len(block)
        first = min(n, RING - at)
        self._ring[at : at + first] = block[:first]
        self._ring[: n - first] = block[first:]
        self._written += n

    def keep(self) -> None:
        """Write what was heard since to the disk, and remove what is too old (not in the audio thread).

        Raises
        ------
        StorageError
            If the disk refuses, once; it is tried again after a while.
        """
        written = self._written
        if written - self._kept < AT_LEAST_S * self._rate or time.monotonic() < self._again_at:
            return
        self._kept = max(self._kept, written - RING // 2)  # what waited for too long is lost
        try:
            while self._kept < written:
                self._write(min(written - self._kept, self._left or round(PIECE_S * self._rate)))
            self._refused = False
        except StorageError as error:
            self.end()
            self._kept, self._again_at = written, time.monotonic() + AGAIN_S
            if not self._refused:
                self._refused = True
                raise StorageError(tr("{error}; the sound goes on", error=error)) from error

    def _write(self, frames: int) -> None:
        if self._file is None:
            pieces = pieces_of(self._folder)
            for old in pieces[: max(0, len(pieces) - round(MOST_S / PIECE_S))]:
                old.unlink(missing_ok=True)
            self._number = max(self._number, *(int(piece.stem) for piece in pieces), -1) + 1
            self._file = RecordingWriter(self._folder / f"{self._number:06}{SUFFIX}", self._rate, 2, WHAT)
            self._left = round(PIECE_S * self._rate)
        places = np.arange(self._kept, self._kept + frames) % RING
        self._file.write(self._ring[places])
        self._kept += frames
        self._left -= frames
        if self._left <= 0:
            self.end()

    def end(self) -> None:
        """End the piece that is being written."""
        if self._file is not None:
            self._file.close()
            self._file, self._left = None, 0


def pieces_of(folder: Path) -> list[Path]:
    """The pieces of a ring, the oldest first."""
    return sorted(path for path in folder.glob(f"*{SUFFIX}") if path.stem.isdecimal())


def last_minutes_left() -> list[Path]:
    """Rings of programs that did not end as they should; empty ones are removed."""
    found = []
    for folder in sorted(_root().glob("*")):
        if folder.is_dir() and not program_runs(folder.name):
            if pieces_of(folder):
                found.append(folder)
            else:
                shutil.rmtree(folder, ignore_errors=True)
    return found


def kept_s(folder: Path | None = None) -> float:
    """How many seconds a ring holds; without a folder, the one of this program."""
    total = 0.0
    for piece in pieces_of(folder or last_minutes_folder()):
        try:
            about = soundfile.info(piece)
        except (OSError, soundfile.SoundFileError):
            continue
        total += about.frames / about.samplerate
    return total


def forget_last_minutes(folder: Path | None = None) -> None:
    """Remove a ring; without a folder, the one of this program."""
    shutil.rmtree(folder or last_minutes_folder(), ignore_errors=True)


def join_last_minutes(path: Path, seconds: float, folder: Path | None = None) -> float:
    """Write the last seconds of a ring as one WAV file of 32-bit floats.

    Parameters
    ----------
    path : Path
        The file.
    seconds : float
        How much; less where less is kept, or where the sample rate changed.
    folder : Path, optional
        The ring; without one, that of this program.

    Returns
    -------
    float
        Seconds that it holds.

    Raises
    ------
    StorageError
        If nothing is kept, or the file cannot be written.
    """
    files = [file for piece in pieces_of(folder or last_minutes_folder()) if (file := _opened(piece)) is not None]
    try:
        rate = files[-1].samplerate if files else 0
        same = [file for k, file in enumerate(files) if all(other.samplerate == rate for other in files[k:])]
        skip = max(0, sum(file.frames for file in same) - round(seconds * rate))
        written = 0
        if not same:
            raise StorageError(tr("nothing is kept yet: play something first"))
        with whole(path) as part, soundfile.SoundFile(part, "w", rate, 2, "FLOAT", format="WAV") as out:
            for file in same:
                if skip >= file.frames:
                    skip -= file.frames
                    continue
                file.seek(skip)
                skip = 0
                for block in file.blocks(BLOCK, dtype="float32", always_2d=True):
                    out.write(block)
                    written += len(block)
        return written / rate
    except soundfile.SoundFileError as error:
        raise StorageError(tr("{path} cannot be written: {error}", path=path, error=error)) from error
    finally:
        for file in files:
            file.close()


def _opened(piece: Path) -> soundfile.SoundFile | None:
    """A piece, unless it has just been removed, or is damaged."""
    try:
        return soundfile.SoundFile(piece)
    except (OSError, soundfile.SoundFileError):
        return None
