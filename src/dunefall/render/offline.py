"""Rendering a patch to samples or to a file, faster than it plays."""

from __future__ import annotations

import math
import os
import tempfile
from collections.abc import Callable, Iterator
from itertools import chain
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from dunefall.base.errors import ParameterError, StorageError
from dunefall.compiler.code import use_loop_code
from dunefall.dsp.limiter import Limiter
from dunefall.patch.model import Patch
from dunefall.patch.take import Take
from dunefall.render.performance import Performance
from dunefall.render.player import Checkpoint

__all__ = ["MAX_SECONDS", "blocks", "render_to_array", "render_to_file"]

MAX_SECONDS = 86_400.0
FADE_S = 0.01
"""Fade at the start and at the end of everything that is heard."""
CODE_FROM_S = 120.0
"""A render of this length is worth the seconds in which missing code for its feedback loops is made."""
_MAX_RATE, _MIN_RATE = 192_000.0, 8_000.0


def blocks(
    take: Patch | Take,
    *,
    seconds: float,
    rate: float,
    block: int,
    limit: bool = False,
    checkpoint: Checkpoint | None = None,
) -> Iterator[NDArray[np.float64]]:
    """Pieces of ``block`` samples (the last one shorter), each of shape (n, channels), with a fade at both ends.

    Parameters
    ----------
    take : Patch or Take
        A patch is a take without entries.
    seconds : float
        Time in seconds.
    rate : float
        Sample rate in Hz.
    block : int
        Frames at a time.
    limit : bool
        Whether true peaks are kept under ``dsp.limiter.CEILING_DB``, as at the output.
    checkpoint : Checkpoint, optional
        State of this take at this rate to begin at.

    Yields
    ------
    ndarray [shape=(n, channels)]

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
    take = Take(take, rate) if isinstance(take, Patch) else take.at_rate(rate)
    return _blocks(Performance(take, checkpoint), seconds, rate, block, limit)


def _blocks(
    performance: Performance, seconds: float, rate: float, block: int, limit: bool
) -> Iterator[NDArray[np.float64]]:
    use_loop_code(performance.player.program, wait=seconds >= CODE_FROM_S)
    total = max(1, round(seconds * rate))
    fade = min(max(1, round(FADE_S * rate)), total)
    channels = performance.player.channels
    limiter = Limiter(rate, channels=channels) if limit else None
    if limiter is not None:
        ahead = np.zeros((limiter.latency, channels))  # so that what comes out begins with the first sample
        performance.fill(ahead)
        limiter.process(ahead)
    for start in range(0, total, block):
        piece = np.zeros((min(block, total - start), channels))
        performance.fill(piece)
        if limiter is not None:
            limiter.process(piece)
        place = np.arange(start, start + len(piece))[:, None]
        if start < fade:
            piece *= np.clip((place + 1) / fade, 0.0, 1.0)
        if start + block > total - fade:
            piece *= np.clip((total - place) / fade, 0.0, 1.0)
        yield piece


def render_to_array(
    take: Patch | Take, *, seconds: float, rate: float = 48000.0, block: int = 4096, limit: bool = False
) -> NDArray[np.float64]:
    """The first seconds of a patch or take, shape (n, channels); see ``blocks``."""
    return np.concatenate(list(blocks(take, seconds=seconds, rate=rate, block=block, limit=limit)), axis=0)


def render_to_file(
    take: Patch | Take,
    path: Path,
    *,
    seconds: float,
    rate: float = 48000.0,
    block: int = 4096,
    limit: bool = True,
    checkpoint: Checkpoint | None = None,
    progress: Callable[[float], bool] | None = None,
) -> bool:
    """Render the first seconds of a patch or take, or those from a checkpoint on, to a 24-bit WAV file.

    The file appears only when it is whole: an existing one of the same name stays until then.

    Parameters
    ----------
    take : Patch or Take
        What to render.
    path : Path
        The file.
    seconds, rate, block : float, float, int
        Length in seconds, sample rate in Hz, frames at a time.
    limit : bool
        Whether the limiter of the output is in the way.
    checkpoint : Checkpoint, optional
        State of this take to begin at.
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
    pieces = blocks(take, seconds=seconds, rate=rate, block=block, limit=limit, checkpoint=checkpoint)
    count = math.ceil(max(1, round(seconds * rate)) / block)
    temporary = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.resolve().parent)
        os.close(handle)
        temporary = Path(name)
        if not _written(temporary, pieces, round(rate), count, progress):
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


def _written(
    path: Path,
    pieces: Iterator[NDArray[np.float64]],
    rate: int,
    count: int,
    progress: Callable[[float], bool] | None,
) -> bool:
    """Write ``count`` pieces into a file; False if it was cancelled."""
    first = next(pieces)
    channels = first.shape[1]
    kind = "WAV" if channels == 2 else "WAVEX"  # which says where each channel belongs
    with soundfile.SoundFile(path, "w", rate, channels, subtype="PCM_24", format=kind) as file:
        for index, piece in enumerate(chain((first,), pieces)):
            file.write(piece)
            if progress and not progress((index + 1) / count):
                return False
    return True
