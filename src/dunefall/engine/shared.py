"""The shared memory in which the engine writes and the window reads: no copies, no locks.

Every number is written by the engine only. A reader may see a bin half-written; that is one pixel for one frame.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import time
import uuid
from enum import IntEnum
from multiprocessing.shared_memory import SharedMemory
from pathlib import Path

import numpy as np

from dunefall.base.errors import StorageError
from dunefall.base.language import tr
from dunefall.base.pages import read_at_hand
from dunefall.compiler.traces import PROBE_SAMPLES, PROBES, TRACE_BINS

__all__ = ["MAX_INPUTS", "MAX_SLOTS", "SharedState", "Status", "trace_key"]

MAX_SLOTS = 2048
MAX_INPUTS = 16384
STATUS = 32
FOLDER = Path("/dev/shm")
"""Where the system keeps shared memory."""
PREFIX = "dunefall-"
MADE_WITHIN_S = 2.0
"""From its first byte to its lock a block takes less."""


class Status(IntEnum):
    """Places in ``SharedState.status``."""

    POSITION = 0  # samples since the start
    RATE = 1  # Hz
    PLAYING = 2
    LOAD = 3  # share of real time, smoothed
    UNDERRUNS = 4
    CHANNELS = 5  # of the layout that sounds
    TRUE_PEAK = 7
    LUFS = 8
    BLOCKS = 9  # blocks that have sounded
    HEARTBEAT = 10  # time.monotonic() of the last look at the messages
    REDUCTION = 11  # lowest gain of the limiter, linear
    CORRELATION = 12  # of left and right, folded to stereo, -1 to 1
    MONO_DB = 13  # what is left in mono, against the mean power of both sides
    MOMENTARY = 14  # LUFS
    INTEGRATED = 15  # LUFS since play began
    RANGE = 16  # LU
    LOUDEST = 17  # LUFS, the highest momentary loudness since play began
    ENTERED = 18  # time.monotonic() at which the audio thread began with the present block; 0 between blocks
    PEAKS = 20  # one for each channel from here on, linear, highest since the last block or two


def trace_key(module: str, port: str = "") -> str:
    """Name of an output's trace; without a port, of the module's first output."""
    return f"{module}.{port}" if port else module


def _remove_left() -> None:
    """Blocks of processes that were killed go: those that nobody has locked, unless one may just be in the making. A
    number would not do: a process in another container may see this memory, and has numbers of its own."""
    for path in FOLDER.glob(f"{PREFIX}*"):
        with contextlib.suppress(OSError):
            if time.time() - path.stat().st_mtime < MADE_WITHIN_S:
                continue
            handle = os.open(path, os.O_RDWR)
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                path.unlink()
            finally:
                os.close(handle)


def _made(size: int) -> tuple[SharedMemory, int]:
    """A new block of so many bytes, of which every one is there: without that, a full disk of shared memory would end
    the process at the first byte that has no room; and the file that holds its lock."""
    _remove_left()
    block = SharedMemory(f"{PREFIX}{os.getpid()}-{uuid.uuid4().hex[:8]}", create=True, size=size)
    handle = -1
    try:
        handle = os.open(FOLDER / block.name, os.O_RDWR)
        fcntl.flock(handle, fcntl.LOCK_SH)
        os.posix_fallocate(handle, 0, size)
    except OSError as error:
        if handle >= 0:
            os.close(handle)
        block.close()
        block.unlink()
        raise StorageError(
            tr(
                "shared memory ({FOLDER}) has no room for {size:.0f} MB ({reason}); free some of it, or get "
                "more with `mount -o remount,size=2G {FOLDER}`",
                FOLDER=FOLDER,
                size=size / 1e6,
                reason=error.strerror,
            )
        ) from error
    return block, handle


class SharedState:
    """Arrays in one block of shared memory; making one raises StorageError where there is no room.

    Attributes
    ----------
    status : ndarray [shape=(32,)]
        By ``Status``.
    counts : ndarray of int64 [shape=(4,)]
        Trace bins written, quantums in the present bin, probe samples written.
    now : ndarray [shape=(MAX_INPUTS,)]
        Present value of every input and parameter of the program.
    bins : ndarray of float32 [shape=(MAX_SLOTS, TRACE_BINS, 2)]
    probes : ndarray of float32 [shape=(PROBES, PROBE_SAMPLES)]
    """

    def __init__(self, name: str | None = None) -> None:
        sizes = (STATUS * 8, 4 * 8, MAX_INPUTS * 8, MAX_SLOTS * TRACE_BINS * 8, PROBES * PROBE_SAMPLES * 4)
        self._owner, self._lock = name is None, -1
        if name:
            self._block = SharedMemory(name)
        else:
            self._block, self._lock = _made(sum(sizes))
        starts = np.cumsum((0, *sizes)).tolist()
        memory = self._block.buf
        assert memory is not None
        self.status = np.frombuffer(memory, np.float64, STATUS, starts[0])
        self.counts = np.frombuffer(memory, np.int64, 4, starts[1])
        self.now = np.frombuffer(memory, np.float64, MAX_INPUTS, starts[2])
        bins = np.frombuffer(memory, np.float32, MAX_SLOTS * TRACE_BINS * 2, starts[3])
        self.bins = bins.reshape(MAX_SLOTS, TRACE_BINS, 2)
        probes = np.frombuffer(memory, np.float32, PROBES * PROBE_SAMPLES, starts[4])
        self.probes = probes.reshape(PROBES, PROBE_SAMPLES)
        if name:  # the engine, whose audio thread writes to them
            read_at_hand(self.status, self.now, self.bins, self.probes)

    @property
    def name(self) -> str:
        """Name by which the other process attaches."""
        return self._block.name

    def close(self) -> None:
        """Let go of the memory; its owner frees it."""
        del self.status, self.counts, self.now, self.bins, self.probes
        with contextlib.suppress(BufferError):  # somebody still holds a view: the memory goes with the process
            self._block.close()
        if self._owner:
            self._block.unlink()
            os.close(self._lock)
