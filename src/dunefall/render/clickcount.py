"""How often the layers of a patch click in its first seconds: whether a cure helps is found out by rendering both."""

from __future__ import annotations

import numpy as np

from dunefall.base.layouts import layout_of
from dunefall.compiler.build import compile_patch
from dunefall.dsp.clicks import CLICK_STATE, COUNT
from dunefall.patch.model import Patch
from dunefall.render.player import Player

__all__ = ["count_clicks"]

BLOCK = 4096


def count_clicks(patch: Patch, end: str, seconds: float, rate: float = 48000.0) -> int:
    """Clicks of one layer.

    Parameters
    ----------
    patch : Patch
        The patch.
    end : str
        Id of the layer's output.
    seconds : float
        How much of it is rendered, from its start.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    int
    """
    program = compile_patch(patch, rate=rate)
    channels, left = layout_of(patch.layout).channels, round(seconds * rate)
    player = Player(program, channels=channels)
    while left > 0:
        out = np.zeros((min(BLOCK, left), channels))
        player.fill(out)
        left -= len(out)
    at = CLICK_STATE * (int(program.plan.modules["lane_end"][program.module_at[end]]) - 1)
    return int(program.memory.clicks[at + COUNT])
