"""Which module made a layer click, and the cure: a slew of a few milliseconds behind it."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from dunefall.catalogue.compounds import spec_for
from dunefall.compiler.traces import BIN_SAMPLES
from dunefall.engine.client import EngineClient
from dunefall.engine.messages import Clicked
from dunefall.patch.model import Patch

__all__ = ["ClickWatch", "Culprit", "find_culprit"]

LOOK_BACK = 12
"""Trace bins before and after the click that are looked at: it is told a moment later."""
LEAST = 0.05
PAUSE_S = 8.0
"""Clicks are told no more often than this."""


class Traces(Protocol):
    """Where traces come from."""

    def trace(self, module: str, port: str = "") -> NDArray[np.float32] | None:
        """Lowest and highest value per bin, oldest first."""


@dataclass(frozen=True)
class Culprit:
    """A module whose output jumped when a layer clicked.

    Attributes
    ----------
    before, after : float
        Its value on either side of the jump.
    """

    module: str
    before: float
    after: float


class ClickWatch:
    """Remembers which module made the last reported click.

    Attributes
    ----------
    culprit : Culprit or None
        What would be softened.
    """

    def __init__(self) -> None:
        self.culprit: Culprit | None = None
        self._told = -PAUSE_S

    def take(self, click: Clicked, patch: Patch, engine: EngineClient, key: str) -> str:
        """Find out which module made a layer click; returns a notice from time to time.

        Parameters
        ----------
        click : Clicked
            What the engine reported.
        patch : Patch
            The patch; it is not changed.
        engine : EngineClient
            Where traces come from.
        key : str
            Key of the command that softens the click, in words.

        Returns
        -------
        str
        """
        ago = max(engine.position - click.at, 0)
        found = find_culprit(patch, click.module, ago, engine)
        if found is None or time.monotonic() - self._told < PAUSE_S:
            return ""
        self._told, self.culprit = time.monotonic(), found
        layer, name = patch.module(click.module).name, patch.module(found.module).name
        times = "once" if click.count == 1 else f"{click.count} times so far"
        jump = f"{found.before:.2f} to {found.after:.2f}".replace("-", "−")
        return f"{layer} clicked ({times}): {name} jumped from {jump}. {key} softens it by a slew of 5 ms."


def find_culprit(patch: Patch, end: str, ago_samples: float, traces: Traces) -> Culprit | None:
    """The module before a layer's end whose movement jumped furthest just then; None where no movement did.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    end : str
        Id of the layer's output.
    ago_samples : float
        How long ago it clicked.
    traces : Traces
        What the engine traced.

    Returns
    -------
    Culprit or None
    """
    best: Culprit | None = None
    for module_id in _before(patch, end):
        module = patch.module(module_id)
        spec = spec_for(module)
        if spec is None or spec.stage not in ("time", "motion", "pitch"):
            continue
        found = _jump(traces.trace(module_id), ago_samples)
        scale = 12.0 if spec.outputs[0].role == "pitch" else 1.0
        if found and abs(found[1] - found[0]) / scale > LEAST:
            size = abs(found[1] - found[0]) / scale
            if best is None or size > abs(best.after - best.before):
                best = Culprit(module_id, found[0], found[1])
    return best


def _before(patch: Patch, end: str) -> list[str]:
    """Modules that move what sounds on the way to a layer's output: everything that feeds it, nearest first."""
    found, waiting = [end], [end]
    while waiting:
        here = waiting.pop(0)
        for link in patch.links_into(here):
            if link.on and link.source.module not in found:
                found.append(link.source.module)
                waiting.append(link.source.module)
    return found[1:]


def _jump(bins: NDArray[np.float32] | None, ago_samples: float) -> tuple[float, float] | None:
    """Values before and after the bin of about that time within which it moved furthest."""
    if bins is None:
        return None
    at = len(bins) - 1 - int(ago_samples / BIN_SAMPLES)
    first, last = max(at - LOOK_BACK, 1), min(at + LOOK_BACK, len(bins) - 1)
    if last <= first:
        return None
    reach = bins[first:last, 1] - bins[first:last, 0]
    place = first + int(np.argmax(reach))
    return float(bins[place - 1].mean()), float(bins[place + 1].mean())
