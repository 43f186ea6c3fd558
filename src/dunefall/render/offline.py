"""Rendering a patch to samples or to a file, faster than it plays."""

from __future__ import annotations

import math
import os
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from dunefall.base.errors import ParameterError, StorageError
from dunefall.compiler.build import compile_patch
from dunefall.compiler.loop import Traces, no_traces, run
from dunefall.compiler.program import QUANTUM, Program
from dunefall.patch.model import Patch

__all__ = ["MAX_SECONDS", "Player", "blocks", "render_to_array", "render_to_file"]

MAX_SECONDS = 86_400.0
FADE_S = 0.01
"""Fade at the start and at the end of everything that is heard."""
_MAX_RATE, _MIN_RATE = 192_000.0, 8_000.0


class Player:
    """Gives the sound of a program in pieces of any length, computed in whole quantums.

    The result does not depend on the lengths asked for: what a quantum has too much is kept for the next piece.
    """

    def __init__(self, program: Program, traces: Traces | None = None) -> None:
        self.program = program
        self.traces: Traces | None = traces
        self._unwatched = no_traces()
        self._ready = np.zeros((QUANTUM, 2))
        self._left_over = 0

    def fill(self, out: NDArray[np.float64]) -> None:
        """Write the next ``len(out)`` frames, left and right; ``out`` is in C order."""
        frames = len(out)
        done = min(self._left_over, frames)
        out[:done] = self._ready[QUANTUM - self._left_over : QUANTUM - self._left_over + done]
        self._left_over -= done
        whole = (frames - done) // QUANTUM * QUANTUM
        if whole:
            self._run(out[done : done + whole])
            done += whole
        if done < frames:
            self._run(self._ready)
            out[done:] = self._ready[: frames - done]
            self._left_over = QUANTUM - (frames - done)

    @property
    def left_over(self) -> int:
        """Frames of the last quantum that nobody has asked for yet."""
        return self._left_over

    def follow(self, other: Player | None) -> None:
        """Begin at the same sample within a quantum as another player whose program this one took over."""
        if other is not None:
            self._ready[:] = other._ready
            self._left_over = other._left_over

    def _run(self, out: NDArray[np.float64]) -> None:
        run(self.program.plan, self.program.memory, self.traces or self._unwatched, out)


def blocks(patch: Patch, *, seconds: float, rate: float, block: int) -> Iterator[NDArray[np.float64]]:
    """Pieces of ``block`` samples (the last one shorter), each of shape (n, 2), with a fade at both ends.

    Raises
    ------
    ParameterError
        If seconds, rate (8000 to 192000 Hz) or block (1 to 1048576) are out of range.
    """
    for name, value, low, high in (
        ("seconds", seconds, 1e-9, MAX_SECONDS),
        ("rate", rate, _MIN_RATE, _MAX_RATE),
        ("block", block, 1, 1 << 20),
    ):
        if not low <= value <= high:
            raise ParameterError(f"{name} must be above 0 and at most {high:g}, at least {low:g}; got {value:g}")
    return _blocks(patch, seconds, rate, block)


def _blocks(patch: Patch, seconds: float, rate: float, block: int) -> Iterator[NDArray[np.float64]]:
    player = Player(compile_patch(patch, rate=rate))
    total = max(1, round(seconds * rate))
    fade = min(max(1, round(FADE_S * rate)), total)
    for start in range(0, total, block):
        piece = np.zeros((min(block, total - start), 2))
        player.fill(piece)
        place = np.arange(start, start + len(piece))[:, None]
        if start < fade:
            piece *= np.clip((place + 1) / fade, 0.0, 1.0)
        if start + block > total - fade:
            piece *= np.clip((total - place) / fade, 0.0, 1.0)
        yield piece


def render_to_array(patch: Patch, *, seconds: float, rate: float = 48000.0, block: int = 4096) -> NDArray[np.float64]:
    """The first seconds of a patch, shape (n, 2)."""
    return np.concatenate(list(blocks(patch, seconds=seconds, rate=rate, block=block)), axis=0)


def render_to_file(
    patch: Patch,
    path: Path,
    *,
    seconds: float,
    rate: float = 48000.0,
    block: int = 4096,
    progress: Callable[[float], bool] | None = None,
) -> bool:
    """Render the first seconds of a patch to a 24-bit WAV file.

    The file appears only when it is whole: an existing one of the same name stays until then.

    Parameters
    ----------
    progress : function of the share done, 0..1
        Called after each piece; returns False to cancel.

    Returns
    -------
    bool
        False if it was cancelled; nothing is left behind then.

    Raises
    ------
    ParameterError
        If a number is out of range.
    StorageError
        If the file cannot be written.
    """
    pieces = blocks(patch, seconds=seconds, rate=rate, block=block)
    count = math.ceil(max(1, round(seconds * rate)) / block)
    temporary = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.resolve().parent)
        os.close(handle)
        temporary = Path(name)
        with soundfile.SoundFile(temporary, "w", round(rate), 2, subtype="PCM_24", format="WAV") as file:
            for index, piece in enumerate(pieces):
                file.write(piece)
                if progress and not progress((index + 1) / count):
                    return False
        temporary.chmod(0o644)
        os.replace(temporary, path)
        return True
    except (OSError, soundfile.SoundFileError) as error:
        reason = getattr(error, "strerror", None) or error
        raise StorageError(f"cannot write {path}: {reason}") from error
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
