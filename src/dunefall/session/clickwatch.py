"""Which module made a layer click, and the cure, where it helps: a slew of a few milliseconds behind it."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Input, Param
from dunefall.catalogue.ports import RESETS
from dunefall.compiler.traces import BIN_SAMPLES
from dunefall.engine.client import EngineClient
from dunefall.engine.messages import AskClicks, Clicked
from dunefall.patch.model import Link, Patch
from dunefall.session.edits.links import softened

__all__ = ["ClickWatch", "Culprit", "find_culprit"]

LOOK_BACK = 12
"""Trace bins before and after the click that are looked at: it is told a moment later."""
LEAST = 0.05
LOOK_AHEAD_S = 6.0
"""So much of the patch is rendered with and without the cure."""
PAUSE_S = 8.0
"""Clicks are told no more often than this."""


class Traces(Protocol):
    """Where traces come from."""

    def trace(self, module: str, port: str = "") -> NDArray[np.float32] | None:
        """Lowest and highest value per bin, oldest first."""


@dataclass(frozen=True)
class Culprit:
    """A module that made a layer click.

    Attributes
    ----------
    module : str
        Its output jumped, or it was set back in the middle of its sound.
    told : str
        What it did, in words.
    size : float
        How much of a level it moved by it.
    softens : bool
        Whether a slew behind it could help.
    """

    module: str
    told: str
    size: float
    softens: bool


class ClickWatch:
    """Finds out which module made a click, and whether a slew behind it would help, by looking ahead.

    Attributes
    ----------
    culprit : Culprit or None
        What would be softened: a slew behind it was found to help.
    """

    def __init__(self) -> None:
        self.culprit: Culprit | None = None
        self._told = -PAUSE_S
        self._tried: tuple[Culprit, AskClicks] | None = None

    def take(self, click: Clicked, patch: Patch, engine: EngineClient) -> str:
        """Find out which module made a layer click; returns a notice from time to time.

        Parameters
        ----------
        click : Clicked
            What the engine reported.
        patch : Patch
            The patch; it is not changed.
        engine : EngineClient
            Where traces come from, and who looks ahead.

        Returns
        -------
        str
        """
        ago = max(engine.position - click.at, 0)
        found = find_culprit(patch, click.module, ago, engine)
        if found is None or time.monotonic() - self._told < PAUSE_S:
            return ""
        self._told, self._tried = time.monotonic(), None
        if self.culprit is not None and self.culprit.module != found.module:
            self.culprit = None  # what was offered before is kept where it is to blame again
        cured = softened(patch, found.module) if found.softens else None
        if cured is not None:
            wanted = AskClicks((patch, cured[0]), click.module, LOOK_AHEAD_S)
            self._tried = (found, wanted) if engine.ask_clicks(wanted) else None
        times = "once" if click.count == 1 else f"{click.count} times so far"
        return f"{patch.module(click.module).name} clicked ({times}): {found.told}."

    def follow(self, patch: Patch, engine: EngineClient, key: str) -> str:
        """Whether the cure of the last click was found to help; returns a notice once it was.

        Parameters
        ----------
        patch : Patch
            The patch of now: the cure is offered only for the one that it was tried on.
        engine : EngineClient
            Who looked ahead.
        key : str
            Key of the command that softens the click, in words.

        Returns
        -------
        str
        """
        answer = engine.clicks(self._tried[1]) if self._tried else None
        if self._tried is None or answer is None:
            return ""
        (found, wanted), self._tried = self._tried, None
        before, after = answer.counts
        if wanted.patches[0] is not patch or after > before / 2:
            return ""
        self.culprit = found
        name = patch.module(found.module).name
        return (
            f"{key} puts a slew of 5 ms behind {name}: of {before} clicks in the first {LOOK_AHEAD_S:.0f} s, "
            f"{after or 'none'} would be left."
        )


def find_culprit(patch: Patch, end: str, ago_samples: float, traces: Traces) -> Culprit | None:
    """The module before a layer's end that made it click just then; None where none did.

    It is the one whose output jumped furthest into a level, or the one that a trigger set back in the middle of its
    sound. A step of a pitch, of a frequency or of a time makes no click; nor does a trigger that starts something.

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
    before = _before(patch, end)
    for module_id in before:
        jump = _jump(traces.trace(module_id), ago_samples)
        if jump is None or abs(jump[1] - jump[0]) <= LEAST:
            continue
        for link in patch.links_from(module_id):
            if link.on and link.target.module in (*before, end):
                found = _blamed(patch, link, jump)
                if found is not None and found.size > (best.size if best else LEAST):
                    best = found
    return best


def _blamed(patch: Patch, link: Link, jump: tuple[float, float]) -> Culprit | None:
    """Who is to blame where a jump goes through a link: nobody, its source, or the module that it sets back."""
    source, target = patch.module(link.source.module), patch.module(link.target.module)
    spec, own = spec_for(target), spec_for(source)
    port = spec.target(link.target.port) if spec else None
    if spec is None or own is None or port is None or own.stage not in ("time", "motion", "pitch"):
        return None
    if isinstance(port, Input) and port.role == "gate":
        if port.id in RESETS and spec.outputs[0].role == "audio":
            return Culprit(target.id, f"{source.name} set {target.name} back in the middle of its sound", 1.0, False)
        return None
    level = {"ratio": 1.0, "db": 24.0}.get(port.unit) if isinstance(port, Param) else 1.0
    if level is None or (isinstance(port, Param) and port.choices):
        return None
    values = f"{jump[0]:.2f} to {jump[1]:.2f}".replace("-", "−")
    size = abs((jump[1] - jump[0]) * link.amount) / level
    return Culprit(source.id, f"{source.name} jumped from {values}", size, True)


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
