"""Sound that was worked out ahead and lies on disk: it is heard at once where a program must first be brought there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dunefall.base.layouts import MOST_CHANNELS, Layout
from dunefall.patch.take import END

__all__ = ["Ahead", "KnownFile", "KnownSound", "read_known", "write_known"]

DISK = "<f4"


@dataclass(frozen=True)
class KnownFile:
    """A file of bare 32-bit floats, a frame after the other, before the limiter.

    Attributes
    ----------
    path : Path
    begin : int
        Its first sample since the start of the take.
    channels : int
    """

    path: Path
    begin: int
    channels: int


@dataclass(frozen=True)
class Ahead:
    """What was made ahead of a take, near a sample.

    Attributes
    ----------
    kept : Path or None
        A file that begins with a checkpoint before it.
    sounds : tuple of KnownFile
        Its sound from there on, in order of time.
    """

    kept: Path | None = None
    sounds: tuple[KnownFile, ...] = ()


class KnownSound:
    """Some seconds of sound.

    Parameters
    ----------
    samples : ndarray [shape=(n, MOST_CHANNELS)]
        The samples.
    begin : int
        The first one's place in the take.
    layout : Layout
        Whose channels they are.

    Attributes
    ----------
    position : int
        The next sample that is given.
    """

    def __init__(self, samples: NDArray[np.float64], begin: int, layout: Layout) -> None:
        self._samples, self._begin = samples, begin
        self.position, self.layout = begin, layout

    @property
    def end(self) -> int:
        """Where it ends."""
        return self._begin + len(self._samples)

    def fill(self, out: NDArray[np.float64], until: int = END) -> int:
        """Write the next frames to ``out`` [shape=(n, MOST_CHANNELS)], silence behind its end; up to a sample.

        Parameters
        ----------
        out : ndarray
            Where they are written.
        until : int
            No further than this sample.

        Returns
        -------
        int
            How many frames were written.
        """
        n = max(0, min(len(out), until - self.position))
        at = self.position - self._begin
        there = max(0, min(n, len(self._samples) - at))
        out[:there] = self._samples[at : at + there]
        out[there:n] = 0.0
        self.position += there if until == END else n
        return n


def write_known(mix: NDArray[np.float64], path: Path) -> None:
    """Write a stretch of sound; raises OSError where the disk refuses.

    Parameters
    ----------
    mix : ndarray [shape=(n, channels)]
        The samples.
    path : Path
        The file.
    """
    mix.astype(DISK).tofile(path)


def read_known(files: Sequence[KnownFile], position: int, seconds: float, rate_hz: float, layout: Layout) -> (
    KnownSound | None
):  # fmt: skip
    """What is known from a sample on.

    Parameters
    ----------
    files : sequence of KnownFile
        In order of time, each beginning where the one before ends.
    position : int
        The sample.
    seconds : float
        So much is read at most.
    rate_hz : float
        Sample rate in Hz.
    layout : Layout
        Of the patch at that time.

    Returns
    -------
    KnownSound or None
        None where that sample is not there, or the files are gone.
    """
    parts, at, most = list[NDArray[np.float64]](), position, round(seconds * rate_hz)
    for file in files:
        if file.channels != layout.channels or at < file.begin:
            break
        try:
            skipped = (at - file.begin) * file.channels
            bare = np.fromfile(file.path, DISK, most * file.channels, offset=skipped * np.dtype(DISK).itemsize)
        except (OSError, ValueError):
            break
        part = bare.reshape(-1, file.channels)
        parts.append(part)
        at, most = at + len(part), most - len(part)
        if most <= 0:
            break
    length = at - position
    if not length:
        return None
    samples = np.zeros((length, MOST_CHANNELS))
    samples[:, : layout.channels] = np.concatenate(parts)
    return KnownSound(samples, position, layout)
