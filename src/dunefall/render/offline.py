"""Rendering a patch to samples in memory, faster than it plays; ``deliver`` makes files."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.compiler.code import use_loop_code
from dunefall.dsp.limiter import Limiter
from dunefall.patch.model import Patch
from dunefall.patch.take import Take
from dunefall.render.performance import Performance

__all__ = ["CODE_FROM_S", "MAX_SECONDS", "render_to_array"]

MAX_SECONDS = 86_400.0
CODE_FROM_S = 120.0
"""A render of this length is worth the seconds in which missing code for its feedback loops is made."""
_MAX_RATE, _MIN_RATE = 192_000.0, 8_000.0


def render_to_array(
    take: Patch | Take, *, seconds: float, rate: float = 48000.0, block: int = 4096, limit: bool = False
) -> NDArray[np.float64]:
    """The first seconds of a patch or take, as they are: without fades.

    Parameters
    ----------
    take : Patch or Take
        A patch is a take without entries.
    seconds : float
        Time in seconds.
    rate : float
        Sample rate in Hz.
    block : int
        Frames at a time; never changes the result.
    limit : bool
        Whether true peaks are kept under ``dsp.limiter.CEILING_DB``, as at the output.

    Returns
    -------
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
            raise ParameterError(tr("{name} must be above 0 and at most {high:g}, at least {low:g}; got {value:g}",
                                    name=name, high=high, low=low, value=value))  # fmt: skip
    performance = Performance(Take(take, rate) if isinstance(take, Patch) else take.at_rate(rate))
    use_loop_code(performance.player.program, wait=seconds >= CODE_FROM_S)
    channels = performance.player.channels
    sound = np.zeros((max(1, round(seconds * rate)), channels))
    limiter = Limiter(rate, channels=channels) if limit else None
    if limiter is not None:
        ahead = np.zeros((limiter.latency, channels))  # so that what comes out begins with the first sample
        performance.fill(ahead)
        limiter.process(ahead)
    for at in range(0, len(sound), block):
        piece = sound[at : at + block]
        performance.fill(piece)
        if limiter is not None:
            limiter.process(piece)
    return sound
