"""A stretch of what is to come, worked out in a worker: it goes on from where it is, or from a checkpoint on disk."""

from __future__ import annotations

import hashlib
import pickle
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dunefall.base.errors import DunefallError, StorageError
from dunefall.base.language import tr
from dunefall.base.storage import whole
from dunefall.compiler.changes import same_structure
from dunefall.compiler.code import use_loop_code
from dunefall.compiler.program import Program
from dunefall.compiler.sounds import import_sounds
from dunefall.compiler.traces import Traces
from dunefall.deliver.job import Source
from dunefall.deliver.rendering import compiled, render_frames
from dunefall.deliver.workers import begin_work
from dunefall.patch.changes import apply_changes
from dunefall.patch.model import Patch, Place
from dunefall.patch.take import Edit, Take
from dunefall.render.culprit import LOOK_AHEAD_SAMPLES, Traced, find_culprit
from dunefall.render.known import KnownFile, write_known
from dunefall.render.performance import Performance
from dunefall.render.player import Checkpoint
from dunefall.survey.listening import BIN, Figures, Listening
from dunefall.survey.places import heard_layers, level_places, pitch_places, step_places, trigger_places

__all__ = ["STRETCH", "STRETCH_BINS", "ClickHeard", "Kept", "Order", "Stretch", "digest_of", "hear"]

STRETCH_BINS = 384
STRETCH = STRETCH_BINS * BIN
"""Samples of a stretch: 4.1 s at 48 kHz."""


@dataclass(frozen=True)
class ClickHeard:
    """A click.

    Attributes
    ----------
    at : int
        Sample since the start of the take.
    layer, module : str
        Ids; no module where it is not known.
    told : str
        What the module did.
    softens : bool
        Whether a slew behind it could help.
    """

    at: int
    layer: str
    module: str = ""
    told: str = ""
    softens: bool = False


@dataclass(frozen=True)
class Order:
    """What is wanted of a worker.

    Attributes
    ----------
    take : Path
        File with the pickled take.
    begin : int
        First sample.
    checkpoint : Path or None
        Where to go on from if the worker is elsewhere; None: from the start of the take.
    kept : Path or None
        Where the state at the end is to be kept.
    wait : bool
        Make the code of its loops before it begins.
    sound : Path or None
        Where the sound itself is to be kept.
    """

    take: Path
    begin: int
    checkpoint: Path | None = None
    kept: Path | None = None
    wait: bool = False
    sound: Path | None = None


@dataclass(frozen=True)
class Stretch:
    """What was heard.

    Attributes
    ----------
    figures : Figures
    clicks : tuple of ClickHeard
        Those that are understood by now: the last ones of a stretch come with the next.
    faulty : tuple of str
        Ids of modules that gave no numbers and were silenced.
    digest : bytes
        Of its samples before the limiter, float64, channel beside channel.
    kept : bool
        Whether the state at its end was kept.
    deaf : bool
        A module listens to the live input, which nobody knows yet.
    missing : tuple of Path
        Code of its loops that would have made it faster.
    sound : KnownFile or None
        The sound itself, where it was kept.
    """

    figures: Figures
    clicks: tuple[ClickHeard, ...]
    faulty: tuple[str, ...]
    digest: bytes
    kept: bool
    deaf: bool
    missing: tuple[Path, ...]
    sound: KnownFile | None = None


@dataclass(frozen=True)
class Kept:
    """A checkpoint with all that was being listened for. The file begins with the checkpoint: the engine reads no more,
    and writes no more.

    Attributes
    ----------
    checkpoint : Checkpoint
    listening : Listening or None
        None: nobody has listened so far.
    clicks : tuple of (int, str)
        Those that are not told yet.
    """

    checkpoint: Checkpoint
    listening: Listening | None = None
    clicks: tuple[tuple[int, str], ...] = ()

    def write(self, path: Path) -> None:
        """Write it; raises OSError or StorageError where that is not possible."""
        with whole(path) as part, part.open("wb") as file:
            self.checkpoint.write(file)
            pickle.dump((self.listening, self.clicks), file, protocol=5)

    @staticmethod
    def read(path: Path) -> Kept:
        """Read what this program has written."""
        with path.open("rb") as file:
            checkpoint = Checkpoint.read(file)
            return Kept(checkpoint, *(pickle.load(file) if file.peek(1) else ()))


def _watched(take: Take) -> tuple[Place, ...]:
    """All outputs that are listened to, whatever the take makes of the patch."""
    found, patch = dict[Place, None](), take.start
    for one in (patch, *_later(take)):
        for layer in heard_layers(one):
            places = (*level_places(layer), *trigger_places(one, layer), *pitch_places(one, layer))
            found |= dict.fromkeys(places)
        found |= dict.fromkeys(step_places(one))
    return tuple(found)


def _later(take: Take) -> list[Patch]:
    """The patches of a take behind each change of what it is made of."""
    found, patch = [], take.start
    for entry in take.sounding:
        if isinstance(entry.what, Edit):
            before, patch = patch, apply_changes(patch, entry.what.changes)
            if not same_structure(before, patch):
                found.append(patch)
    return found


class _UnderWay:
    """A take that is being worked out, at some sample."""

    def __init__(self, take: Take, kept: Kept | None, wait: bool) -> None:
        self._take, self._wait = take, wait
        self._begin = kept.checkpoint.position if kept else 0
        self._traced: Traced | None = None
        self._probed, self._hears = _watched(take), Source(take).hears
        self.performance = Performance(
            take, kept.checkpoint if kept else None, probed=self._probed, compiled=compiled, traced=self._trace
        )
        channels, before = self.performance.channels, kept.listening if kept else None
        self.listening = before if before and before.channels == channels else Listening(take.rate_hz, channels)
        self._waiting = list(kept.clicks) if kept else []

    def _trace(self, program: Program) -> Traces:
        sides = [level_places(layer)[0] for layer in heard_layers(program.patch)]
        first = self._traced is None
        self._traced = Traced(program, self._traced, probed=sides, samples=STRETCH)
        if first:
            self._traced.begin_at(self._begin)
        return self._traced.traces

    @property
    def position(self) -> int:
        """The next sample."""
        return self.performance.player.position

    def lead_in(self, begin: int) -> None:
        """Go on, unheard, to where a stretch begins; who listens there has heard what comes before it."""
        use_loop_code(self.performance.player.program, wait=self._wait)
        while (first := self.position) < begin:
            mix = np.zeros((min(-first % BIN or STRETCH, begin - first), self.performance.channels))
            render_frames(self.performance, mix, int(self._take.rate_hz), None, lambda frames: None)
            if first % BIN == 0:
                assert self._traced is not None
                self.listening.take(mix, first, self.performance.player.program.patch, self._traced)

    def go_on(self, order: Order) -> Stretch:
        """The next stretch."""
        player, channels = self.performance.player, self.performance.channels
        missing = use_loop_code(player.program, wait=self._wait)
        mix = np.zeros((STRETCH, channels))
        clicks, _ = render_frames(self.performance, mix, int(self._take.rate_hz), None, lambda frames: None)
        self._waiting += clicks
        assert self._traced is not None
        patch = player.program.patch
        figures = self.listening.take(mix, order.begin, patch, self._traced)
        told = self._told(patch)
        deaf = player.program.live and not self._hears
        return Stretch(
            figures, told, player.program.faulty, digest_of(mix), self._keep(order.kept), deaf, tuple(missing),
            _kept_sound(mix, order),
        )  # fmt: skip

    def _told(self, patch: Patch) -> tuple[ClickHeard, ...]:
        """Who made the clicks that lie far enough behind."""
        assert self._traced is not None
        ready = [click for click in self._waiting if click[0] + LOOK_AHEAD_SAMPLES <= self.position]
        self._waiting = [click for click in self._waiting if click not in ready]
        layers, found = {layer.output_id: layer.id for layer in patch.layers}, []
        for at, end in sorted(ready):
            end = end.partition("#")[0]
            culprit = find_culprit(patch, end, self.position - at, self._traced) if patch.has(end) else None
            layer = layers.get(end, "")
            found.append(
                ClickHeard(at, layer, culprit.module, culprit.told, culprit.softens)
                if culprit
                else ClickHeard(at, layer)
            )
        return tuple(found)

    def _keep(self, path: Path | None) -> bool:
        """Keep the state, where this is the moment for it."""
        if path is None or not self.performance.player.settled:
            return False
        kept = Kept(self.performance.player.checkpoint(self._probed), self.listening, tuple(self._waiting))
        try:
            kept.write(path)
        except (OSError, StorageError):
            return False  # a full disk costs time, and nothing else
        return True


def _kept_sound(mix: NDArray[np.float64], order: Order) -> KnownFile | None:
    if order.sound is None:
        return None
    try:
        write_known(mix, order.sound)
    except OSError:
        return None  # a click in it is heard a little later
    return KnownFile(order.sound, order.begin, mix.shape[1])


def digest_of(mix: NDArray[np.float64]) -> bytes:
    """Digest of samples [shape=(n, channels)]: tells whether two sounds are the same bits."""
    return hashlib.blake2b(mix.tobytes(), digest_size=16).digest()


_under_way: tuple[Path, _UnderWay] | None = None
"""What this worker was at last."""


def hear(order: Order) -> Stretch | str:
    """Work out a stretch, in a worker; a sentence where that is not possible.

    Parameters
    ----------
    order : Order
        What is wanted.

    Returns
    -------
    Stretch or str
    """
    global _under_way
    begin_work()
    try:
        if _under_way is None or _under_way[0] != order.take or _under_way[1].position != order.begin:
            _under_way = None  # its memory is given back first
            take: Take = pickle.loads(order.take.read_bytes())  # written by the program that asks
            troubles = import_sounds(take.start, alone=True)
            if troubles:
                return tr("It cannot be looked at: {troubles}", troubles=troubles[0])
            kept = Kept.read(order.checkpoint) if order.checkpoint else None
            _under_way = order.take, _UnderWay(take, kept, order.wait)
        under_way = _under_way[1]
        if under_way.position < order.begin:
            under_way.lead_in(order.begin)
        return under_way.go_on(order)
    except (DunefallError, OSError, MemoryError) as error:
        _under_way = None
        return tr("It cannot be looked at: {error}.", error=error or tr("there is not enough memory"))
