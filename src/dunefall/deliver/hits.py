"""Single hits: every event of a module in a file of its own, as if nothing else had happened, until silence.

The patch runs on with the module's triggers taken off; just before each event its state is kept, the triggers are put
on for this one event, and what follows is recorded until it is silent. So a hit has no tail of those before it, and all
that goes by chance is what it would have been.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.base.layouts import layout_of
from dunefall.catalogue import spec_of
from dunefall.catalogue.ports import RESETS
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.takeover import Takeover
from dunefall.deliver.job import Job, Source
from dunefall.deliver.levels import level_of
from dunefall.deliver.measure import heights
from dunefall.deliver.rendering import BLOCK, QUIET_S, Click, Disk, Ear, alone, compiled, skip
from dunefall.patch.model import Link, Patch, Place
from dunefall.render.player import Player

__all__ = ["Hit", "event_links", "events_of", "hits_of"]

BEFORE_S = 0.02
MOST_HITS = 1000
HIGH = 0.5


@dataclass(frozen=True)
class Hit:
    """One event's sound."""

    sound: NDArray[np.float64]
    clicks: tuple[Click, ...]
    ended: bool


def event_links(patch: Patch, module_id: str) -> tuple[Link, ...]:
    """The links by which a module is triggered; where it triggers others, those.

    Parameters
    ----------
    patch : Patch
        The patch.
    module_id : str
        The module.

    Returns
    -------
    tuple of Link

    Raises
    ------
    ParameterError
        If there is no such module, or nothing triggers it and it triggers nothing.
    """
    if not patch.has(module_id):
        raise ParameterError(
            tr('there is no module "{module_id}" whose events could be taken apart', module_id=module_id)
        )
    module = patch.module(module_id)
    spec = spec_of(module.type)
    gates = {p.id for p in spec.inputs if p.role == "gate" and p.id not in RESETS} if spec else set()
    into = [x for x in patch.links if x.on and x.target.module == module_id and x.target.port in gates]
    sending = {p.id for p in spec.outputs if p.role == "gate"} if spec else set()
    out = [x for x in patch.links if x.on and x.source.module == module_id and x.source.port in sending]
    if not into and not out:
        raise ParameterError(
            tr('nothing triggers "{name}", and it triggers nothing: it has no events', name=module.name)
        )
    return tuple(into or out)


def events_of(patch: Patch, places: Sequence[Place], rate: int, seconds: float, ear: Ear) -> list[tuple[int, int]]:
    """When any of some gates rises, and when it falls again, in samples.

    Parameters
    ----------
    patch : Patch
        The patch.
    places : sequence of Place
        Outputs.
    rate : int
        Sample rate in Hz.
    seconds : float
        How long they are watched.
    ear : Ear
        Is told how far it is.

    Returns
    -------
    list of (int, int)
    """
    program = compiled(patch, rate=float(rate), probed=places)
    player, total = Player(program), round(seconds * rate) // QUANTUM * QUANTUM
    rows = [row for place in places for row in _rows(program, place)]
    high = np.zeros(total, bool)
    out = np.zeros((QUANTUM, 2))
    for at in range(0, total, QUANTUM):
        player.fill(out)
        for row in rows:
            high[at : at + QUANTUM] |= program.memory.rows[row : row + QUANTUM] > HIGH
        if at % (QUANTUM * 512) == 0:
            ear(at / total)
    edges = np.diff(high.astype(np.int8), prepend=0, append=0)
    return list(zip(np.flatnonzero(edges > 0).tolist(), np.flatnonzero(edges < 0).tolist(), strict=True))


def _rows(program: Program, place: Place) -> list[int]:
    copies = program.copies.get(place.module, [place.module])
    return [row for copy in copies if (row := program.row_at.get((copy, place.port))) is not None]


def hits_of(job: Job, source: Source, disk: Disk, ear: Ear) -> list[Hit]:
    """The hits of a job's module within its length, each at most that long.

    Parameters
    ----------
    job : Job
        What is asked for.
    source : Source
        A patch; a take's patch at its start.
    disk : Disk
        Where the sound goes.
    ear : Ear
        Is told how far it is.

    Returns
    -------
    list of Hit

    Raises
    ------
    ParameterError
        If the module has no events, or none in this time.
    """
    links = event_links(source.patch, job.module)
    of = next(layer.id for layer in source.patch.layers for m in layer.modules if m.id == job.module)
    patch = alone(source.patch, (job.layer or of,))
    seconds, rate = job.length_s(patch.tempo_bpm), job.rate_hz
    events = events_of(patch, sorted({x.source for x in links}, key=str), rate, seconds, lambda share: ear(0.4 * share))
    if not events:
        name = source.patch.module(job.module).name
        raise ParameterError(
            tr('"{name}" has no event in the first {seconds:g} s; render a longer time', name=name, seconds=seconds)
        )
    ids = {x.id for x in links}
    still = replace(patch, links=tuple(replace(x, on=False) if x.id in ids else x for x in patch.links))
    player = Player(compiled(still, rate=float(rate)), channels=layout_of(patch.layout).channels)
    hits, at = [], 0
    for k, (rise, fall) in enumerate(events[:MOST_HITS]):
        begin = max(at, (rise - round(BEFORE_S * rate)) // QUANTUM * QUANTUM)
        skip(player, begin - at)
        at = begin
        hits.append(_hit(job, patch, still, player, rise - begin, fall - begin, disk))
        ear(0.4 + 0.6 * (k + 1) / len(events))
    return hits


def _hit(job: Job, patch: Patch, still: Patch, player: Player, rise: int, fall: int, disk: Disk) -> Hit:
    """What follows from a state in which everything rests, with the triggers on from here until the gate has fallen."""
    kept, rate = player.checkpoint(), job.rate_hz
    alive = Player(kept.program(), channels=player.channels)
    _swap(patch, alive)
    lead = np.zeros((fall + QUANTUM, player.channels))
    alive.fill(lead)
    _swap(still, alive)
    silence, total = level_of(job.trim_db if job.trim_db is not None else -60.0), round(job.seconds * rate)
    sound = disk.room(total, player.channels)
    have = min(len(lead) - rise, total)
    sound[:have] = lead[rise : rise + have]
    heard, block, ended = have, np.zeros((BLOCK, player.channels)), False
    while have < total and not ended:
        n = min(BLOCK, total - have)
        alive.fill(block[:n])
        sound[have : have + n] = block[:n]
        loud = np.flatnonzero(heights(block[:n]) > silence)
        heard = have + int(loud[-1]) + 1 if len(loud) else heard
        have += n
        ended = have - heard > QUIET_S * rate
    return Hit(sound[: min(heard + round(0.01 * rate), have) if ended else have], (), ended)


def _swap(patch: Patch, player: Player) -> None:
    program = compiled(patch, rate=player.program.rate)
    player.swap(program, None, Takeover(program, player.program))
