"""Which module made a layer click, told by the traces of all modules at that time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from dunefall.base.language import tr
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Input, Param
from dunefall.catalogue.ports import RESETS
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import BIN_SAMPLES, PROBES, TRACE_BINS, TRACE_QUANTUMS, Traces, nothing_sent
from dunefall.patch.model import Link, Patch, Place

__all__ = ["LOOK_AHEAD_SAMPLES", "Culprit", "TraceReader", "Traced", "find_culprit"]

LOOK_BACK = 12
"""Trace bins before and after the click that are looked at: it is told a moment later."""
LOOK_AHEAD_SAMPLES = (LOOK_BACK + 1) * BIN_SAMPLES
LEAST, JUMPS = 0.05, 3.0
"""A jump is so large, and so many times what is usual around it."""


class TraceReader(Protocol):
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


class Traced:
    """Traces of every output of a program that has a row.

    Parameters
    ----------
    program : Program
        The compiled patch.
    before : Traced, optional
        Of the program that it takes the place of: they go on from there.
    probed : sequence of Place
        Outputs of which every sample is kept as well, up to ``PROBES``.
    samples : int
        How many of them, a whole number of quantums.

    Attributes
    ----------
    traces : Traces
        Where the program writes; what it wrote is read by ``trace``.
    """

    def __init__(
        self, program: Program, before: Traced | None = None, *, probed: Sequence[Place] = (), samples: int = 0
    ) -> None:
        places = sorted((program.module_at[key[0]], row, key) for key, row in program.row_at.items())
        self._slots = {key: slot for slot, (_, _, key) in enumerate(places)}
        self._firsts = dict[str, tuple[str, str]]()
        for key in program.row_at:
            self._firsts.setdefault(key[0], key)
        first = np.searchsorted([place for place, _, _ in places], np.arange(len(program.module_at) + 1))
        count = len(places)
        self._probed = tuple(probed)[:PROBES]
        rows = [program.row_at.get((place.module, place.port), -1) for place in self._probed]
        self.traces: Traces = Traces(
            first.astype(np.int64), np.array([row for _, row, _ in places], np.int64), np.arange(count),
            np.zeros((count, TRACE_BINS, 2), np.float32), np.zeros(count), np.zeros(count), np.array(rows, np.int64),
            before.traces.probes if before else np.zeros((PROBES, samples), np.float32),
            before.traces.counts if before else np.zeros(3, np.int64), *nothing_sent(),
        )  # fmt: skip
        for key, slot in self._slots.items() if before else ():
            if before is not None and key in before._slots:
                self.traces.bins[slot] = before.traces.bins[before._slots[key]]

    def begin_at(self, position: int) -> None:
        """Count from a sample on, as if the program had run from its start.

        Parameters
        ----------
        position : int
            The start of a quantum.
        """
        self.traces.counts[1] = position // QUANTUM % TRACE_QUANTUMS
        self.traces.counts[2] = position

    def samples(self, place: Place) -> NDArray[np.float32] | None:
        """The last samples of a probed output, in the order of time where all of them are new.

        Parameters
        ----------
        place : Place
            The output.

        Returns
        -------
        ndarray [shape=(samples,)] or None
        """
        return self.traces.probes[self._probed.index(place)] if place in self._probed else None

    def trace(self, module: str, port: str = "") -> NDArray[np.float32] | None:
        """Lowest and highest value per bin, oldest first.

        Parameters
        ----------
        module, port : str
            Without a port, the first output.

        Returns
        -------
        ndarray [shape=(bins, 2)] or None
        """
        slot = self._slots.get((module, port) if port else self._firsts.get(module, (module, "")))
        if slot is None:
            return None
        at = int(self.traces.counts[0]) % TRACE_BINS
        return np.concatenate((self.traces.bins[slot][at:], self.traces.bins[slot][:at]))


def find_culprit(patch: Patch, end: str, ago_samples: float, traces: TraceReader) -> Culprit | None:
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
    traces : TraceReader
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
            return Culprit(
                target.id,
                tr("{name} set {name_2} back in the middle of its sound", name=source.name, name_2=target.name),
                1.0,
                False,
            )
        return None
    level = {"ratio": 1.0, "db": 24.0}.get(port.unit) if isinstance(port, Param) else 1.0
    if level is None or (isinstance(port, Param) and port.choices):
        return None
    values = tr("{jump:.2f} to {jump_2:.2f}", jump=jump[0], jump_2=jump[1]).replace("-", "−")
    size = abs((jump[1] - jump[0]) * link.amount) / level
    return Culprit(source.id, tr("{name} jumped from {values}", name=source.name, values=values), size, True)


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
    if reach[place - first] < JUMPS * float(np.median(reach)):
        return None  # it moves all the time
    return float(bins[place - 1].mean()), float(bins[place + 1].mean())
