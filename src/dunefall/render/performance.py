"""Plays a take: its patch, and every change made by hand, at its sample."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray

from dunefall.base.layouts import layout_of
from dunefall.compiler.build import compile_patch
from dunefall.compiler.changes import same_structure
from dunefall.compiler.program import Program
from dunefall.compiler.takeover import Takeover
from dunefall.compiler.traces import Traces
from dunefall.patch.changes import apply_changes
from dunefall.patch.model import Patch, Place
from dunefall.patch.take import Clear, Edit, Entry, Heard, Note, Press, Take
from dunefall.render.player import Checkpoint, Player, Step, glide, play_note
from dunefall.render.recordings import TakeRecordings

__all__ = ["Performance", "by_hand"]


def by_hand(what: Note | Press | Clear) -> Callable[[Player], None]:
    """What an entry that does not change the patch does to the sound.

    Parameters
    ----------
    what : Note, Press or Clear
        What is done.

    Returns
    -------
    Callable[[Player], None]
    """

    def act(player: Player) -> None:
        program = player.program
        if isinstance(what, Note):
            play_note(program, what.module, what.note, what.velocity)
        elif isinstance(what, Press):
            program.press(what.module, what.port, what.high)
        elif what.module:
            program.reset(what.module)
        else:
            program.reset_all()

    return act


class Performance:
    """A take that sounds, from its start or from a checkpoint, in the widest layout that it ever has.

    The same take gives the same samples, whatever the block lengths and wherever it starts.

    Parameters
    ----------
    take : Take
        Counted in the rate in which it is to sound (see ``Take.at_rate``).
    checkpoint : Checkpoint, optional
        A state of this take to go on from, whatever was watched then.
    stems : sequence of str
        Ids of layers whose sound is given apart as well: ``channels`` more columns for each, behind those of the mix.
    probed : collection of Place
        Outputs that have a row of their own in the program, whether anything uses them or not.
    compiled : function
        Makes programs as ``compile_patch`` does.
    traced : function
        Gives each program that sounds its traces, or none.

    Attributes
    ----------
    channels : int
        Of the mix, and of each stem.
    """

    def __init__(
        self,
        take: Take,
        checkpoint: Checkpoint | None = None,
        *,
        stems: Sequence[str] = (),
        probed: Collection[Place] = (),
        compiled: Callable[..., Program] = compile_patch,
        traced: Callable[[Program], Traces | None] = lambda program: None,
    ) -> None:
        if checkpoint and stems:
            raise ValueError("a checkpoint has no stems")
        self._compile = partial(compiled, rate=take.rate_hz, stems=stems, probed=probed)
        self._traced = traced
        begin = checkpoint.position if checkpoint else 0
        patch = take.patch_at(begin)
        program = self._restored(checkpoint, patch, probed) if checkpoint else self._compile(patch)
        channels = layout_of(patch.layout).channels
        steps = []
        for entry in take.sounding:
            if entry.at >= begin and not isinstance(entry.what, Heard):
                step, patch = self._step(entry, patch)
                steps.append(step)
                channels = max(channels, layout_of(patch.layout).channels)
        self.channels = channels
        self.player = Player(program, traced(program), channels * (1 + len(stems)))
        self.player.live = TakeRecordings(take).read
        self.player.steps.extend(steps)

    def fill(self, out: NDArray[np.float64]) -> None:
        """The next frames."""
        self.player.fill(out)

    def _step(self, entry: Entry, before: Patch) -> tuple[Step, Patch]:
        assert not isinstance(entry.what, Heard)
        if not isinstance(entry.what, Edit):
            return Step(entry.at, by_hand(entry.what)), before
        after = apply_changes(before, entry.what.changes)
        if same_structure(before, after):
            return Step(entry.at, partial(_glide, before, after)), after
        return Step(entry.at, partial(self._swap, after), structural=True), after

    def _restored(self, checkpoint: Checkpoint, patch: Patch, probed: Collection[Place]) -> Program:
        """The program of a checkpoint; where something else is watched now, one that has taken its state over, with the
        values that the patch has there."""
        found = checkpoint.program()
        if not set(probed) - set(checkpoint.probed):
            return found
        program = self._compile(patch)
        Takeover(program, found).apply()
        return program

    def _swap(self, after: Patch, player: Player) -> None:
        program = self._compile(after)
        player.swap(program, self._traced(program), Takeover(program, player.program))


def _glide(before: Patch, after: Patch, player: Player) -> None:
    glide(before, after)(player)
