"""From a take to raw sound on disk: the mix, and layers apart, with the clicks that were heard on the way."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dunefall.base.errors import StorageError
from dunefall.base.language import tr
from dunefall.base.reach import reached
from dunefall.compiler.code import use_loop_code
from dunefall.compiler.program import Program
from dunefall.compiler.reuse import Compiler
from dunefall.compiler.traces import BIN_SAMPLES
from dunefall.deliver.job import Source
from dunefall.deliver.measure import heights
from dunefall.dsp.clicks import CLICK_STATE, COUNT, PLACE
from dunefall.patch.mixing import effect_lanes, mixed_layers
from dunefall.patch.model import MASTER_ID, SHARED_ID, Patch
from dunefall.render.culprit import LOOK_AHEAD_SAMPLES, Traced, find_culprit
from dunefall.render.offline import CODE_FROM_S
from dunefall.render.performance import Performance
from dunefall.render.player import Player

__all__ = [
    "BLOCK",
    "Click",
    "Disk",
    "Ear",
    "Rendered",
    "StoppedError",
    "alone",
    "compiled",
    "only_sending",
    "render_frames",
    "rendered",
    "skip",
]

BLOCK = 8192
compiled = Compiler()
"""A worker compiles a patch once, whatever the seeds of its files."""
QUIET_S = 1.0
"""So long a silence ends a sound that is rendered until silence."""
Ear = Callable[[float], None]
"""Is told the share that is done, and raises ``StoppedError`` to end the work."""


class StoppedError(Exception):
    """Somebody cancelled."""


@dataclass(frozen=True)
class Click:
    """A click that was heard.

    Attributes
    ----------
    at_s : float
        In the sound that was rendered.
    layer : str
        Name of the layer.
    module : str
        Name of the module that made it, where it is known.
    told : str
        What that module did.
    """

    at_s: float
    layer: str
    module: str = ""
    told: str = ""


@dataclass(frozen=True)
class Rendered:
    """Raw sound.

    Attributes
    ----------
    mix : ndarray [shape=(n, channels)]
        The whole mix before the limiter.
    stems : dict of str to ndarray
        What each layer gives to it, by its id.
    clicks : tuple of Click
    ended : bool
        It had come to silence before the longest length.
    deaf : bool
        A module listens to the live input, of which there is no recording.
    """

    mix: NDArray[np.float64]
    stems: dict[str, NDArray[np.float64]]
    clicks: tuple[Click, ...]
    ended: bool
    deaf: bool = False


class Disk:
    """Room for sounds in files without a name: whatever happens, nothing of them is left.

    Attributes
    ----------
    block : int
        Frames that are computed at a time; never changes the result.
    """

    def __init__(self, folder: Path, block: int = BLOCK) -> None:
        self._folder, self.block = folder, block

    def room(self, frames: int, channels: int) -> NDArray[np.float64]:
        """Zeros [shape=(frames, channels)]; raises StorageError where the disk has not so much room.

        Parameters
        ----------
        frames, channels : int
            How much.

        Returns
        -------
        ndarray

        Raises
        ------
        StorageError
            If there is no room.
        """
        size = max(1, frames) * channels * 8
        if size <= 1 << 24:
            return np.zeros((max(1, frames), channels))[:frames]
        try:
            with tempfile.TemporaryFile(dir=self._folder) as file:
                os.posix_fallocate(file.fileno(), 0, size)  # a full disk is told of here, and not by a signal later
                held = np.memmap(file, np.float64, "r+", shape=(frames, channels))
        except OSError as error:
            text = tr("no room for {size:.0f} MB of sound in {folder}: {reason}", size=size / 1e6,
                      folder=self._folder, reason=error.strerror or error)  # fmt: skip
            raise StorageError(text) from error
        return held


def alone(patch: Patch, wanted: Sequence[str]) -> Patch:
    """A patch with those layers only from which a way of links leads to the wanted ones.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    wanted : sequence of str
        Ids of layers.

    Returns
    -------
    Patch
    """
    of = {module.id: layer.id for layer in patch.layers for module in layer.modules}
    before: dict[str, set[str]] = {}
    for link in patch.links:
        before.setdefault(of[link.target.module], set()).add(of[link.source.module])
    always = (layer.id for layer in patch.layers if layer.id in (SHARED_ID, MASTER_ID))
    kept = reached((*wanted, *always), before)
    layers = tuple(layer for layer in patch.layers if layer.id in kept)
    inside = {module.id for layer in layers for module in layer.modules}
    links = tuple(link for link in patch.links if link.source.module in inside and link.target.module in inside)
    compounds = tuple(c for c in patch.compounds if all(part in inside for part in c.parts))
    return replace(patch, layers=layers, links=links, compounds=compounds, pins=())


def only_sending(patch: Patch, layer_id: str) -> Patch:
    """A patch in which of all layers this one alone sends to the effect lanes.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    layer_id : str
        Id of the layer.

    Returns
    -------
    Patch
    """
    effects = {module.id for layer in effect_lanes(patch) for module in layer.modules}
    others = {m.id for layer in mixed_layers(patch) if layer.id != layer_id for m in layer.modules}
    links = tuple(
        replace(link, on=False) if link.source.module in others and link.target.module in effects else link
        for link in patch.links
    )
    return replace(patch, links=links)


def rendered(
    source: Source,
    disk: Disk,
    *,
    rate: int,
    seconds: float,
    start_s: float = 0.0,
    stems: Sequence[str] = (),
    silence: float | None = None,
    ear: Ear = lambda share: None,
) -> Rendered:
    """Render a take, or a part of it.

    Parameters
    ----------
    source : Source
        What is rendered.
    disk : Disk
        Where the sound goes.
    rate : int
        Sample rate in Hz.
    seconds, start_s : float
        How long, and from where in the take on.
    stems : sequence of str
        Ids of the layers that are wanted apart.
    silence : float, optional
        Linear level: what sounds has ended when it has been below it for a second.
    ear : Ear
        Is told how far it is.

    Returns
    -------
    Rendered

    Raises
    ------
    StorageError
        If there is no room.
    """
    performance = Performance(source.take.at_rate(float(rate)), stems=tuple(stems), compiled=compiled)
    use_loop_code(performance.player.program, wait=seconds >= CODE_FROM_S)
    skipped, total, channels = round(start_s * rate), max(1, round(seconds * rate)), performance.channels

    def done(frames: int) -> None:
        ear(frames / (skipped + total))

    skip(performance.player, skipped, done)
    columns = disk.room(total, channels * (1 + len(stems)))
    clicks, length = render_frames(
        performance, columns, rate, silence, lambda frames: done(skipped + frames), disk.block
    )
    columns = columns[:length]
    parts = [columns[:, channels * k : channels * (k + 1)] for k in range(1 + len(stems))]
    heard = _blamed(source, clicks, rate, skipped) if clicks else ()
    deaf = performance.player.program.live and not source.hears
    return Rendered(parts[0], dict(zip(stems, parts[1:], strict=True)), heard, length < total, deaf)


def _blamed(source: Source, clicks: Sequence[tuple[int, str]], rate: int, skipped: int) -> tuple[Click, ...]:
    """Who made each click: found by hearing it all again up to there, with a trace of every module."""
    performance = Performance(source.take.at_rate(float(rate)), compiled=compiled)
    program = performance.player.program
    traced = Traced(program)
    performance.player.traces = traced.traces
    names = {layer.output_id: layer.name for layer in source.patch.layers}
    found = []
    for at, end in sorted(clicks):
        until = (at + LOOK_AHEAD_SAMPLES) // BIN_SAMPLES * BIN_SAMPLES
        skip(performance.player, until - performance.player.position)
        same = performance.player.program is program  # not after a change of what the patch is made of
        patch = program.patch
        culprit = find_culprit(patch, end, performance.player.position - at, traced) if same else None
        module, told = (patch.module(culprit.module).name, culprit.told) if culprit else ("", "")
        found.append(Click((at - skipped) / rate, names.get(end, end), module, told))
    return tuple(found)


def skip(player: Player, frames: int, ear: Callable[[int], None] = lambda frames: None) -> None:
    """Run on by so many frames that nobody hears.

    Parameters
    ----------
    player : Player
        What sounds.
    frames : int
        How many.
    ear : function of frames
        Is told how many are done.
    """
    nowhere = np.zeros((BLOCK, player.channels))
    for at in range(0, frames, BLOCK):
        player.fill(nowhere[: min(BLOCK, frames - at)])
        ear(at)


def render_frames(
    performance: Performance,
    columns: NDArray[np.float64],
    rate: int,
    silence: float | None,
    ear: Callable[[int], None],
    size: int = BLOCK,
) -> tuple[list[tuple[int, str]], int]:
    """Fill columns block by block; gives the clicks (sample, id of the layer's output) and how many frames it took.

    Parameters
    ----------
    performance : Performance
        What sounds.
    columns : ndarray [shape=(n, columns)]
        Where it goes.
    rate : int
        Sample rate in Hz.
    silence : float, optional
        Linear level of what is silence: it ends there.
    ear : function of frames
        Is told how many are done.
    size : int
        Frames at a time.

    Returns
    -------
    (list of (int, str), int)
    """
    clicks: list[tuple[int, str]] = []
    counted = _counts(performance.player.program)
    heard_at, begun = 0, False
    block = np.zeros((size, columns.shape[1]))
    for at in range(0, len(columns), size):
        piece = block[: min(size, len(columns) - at)]
        performance.fill(piece)
        columns[at : at + len(piece)] = piece
        counted = _new_clicks(performance.player.program, counted, clicks)
        ear(at + len(piece))
        if silence is not None:
            loud = np.flatnonzero(heights(piece) > silence)
            if len(loud):
                heard_at, begun = at + int(loud[-1]) + 1, True
            elif begun and at + len(piece) - heard_at > QUIET_S * rate:
                return clicks, min(heard_at + round(0.01 * rate), at + len(piece))
    return clicks, len(columns)


def _counts(program: Program) -> dict[str, tuple[int, int]]:
    """Clicks so far and the sample of the last, by the id of each layer's end (voices apart)."""
    ends = program.plan.modules["lane_end"]
    found = {}
    for instance, at in program.module_at.items():
        if ends[at]:
            first = CLICK_STATE * (int(ends[at]) - 1)
            found[instance] = (int(program.memory.clicks[first + COUNT]), int(program.memory.clicks[first + PLACE]))
    return found


def _new_clicks(
    program: Program, before: dict[str, tuple[int, int]], clicks: list[tuple[int, str]]
) -> dict[str, tuple[int, int]]:
    now = _counts(program)
    for end, (count, place) in now.items():
        if count > before.get(end, (0, 0))[0]:
            clicks.append((place, end))
    return now
