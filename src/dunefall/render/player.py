"""Sounds a program in pieces of any length, and lets it change while it sounds.

Values glide, another program fades in over 10 ms, each exactly at a sample. The window's engine and the offline renders
go through this one class: what was heard is what is rendered.
"""

from __future__ import annotations

import pickle
from collections import deque
from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from dunefall.catalogue import spec_of
from dunefall.catalogue.pitch.keyboard import COUNT, EVENT_SIZE, EVENTS, MOST_EVENTS
from dunefall.compiler.build import compile_patch
from dunefall.compiler.changes import series_changes, value_changes
from dunefall.compiler.loop import run
from dunefall.compiler.plan import Memory
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.takeover import Takeover
from dunefall.compiler.traces import Traces, no_traces
from dunefall.patch.model import Patch, Place
from dunefall.render.threads import rendering_team

__all__ = ["NOW", "Checkpoint", "Player", "Step", "glide", "play_note", "wants_note"]

FADE_S = 0.01
NOW = -1


@dataclass(frozen=True)
class Checkpoint:
    """All that goes on from a sample: the patch, what it was compiled with, and what it remembers."""

    position: int
    patch: Patch
    rate: float
    probed: tuple[Place, ...]
    memory: Memory

    def program(self) -> Program:
        """The program in this very state."""
        program = compile_patch(self.patch, rate=self.rate, probed=self.probed)
        program.memory.restore(self.memory)
        return program

    def write(self, file: BinaryIO) -> None:
        """Write it to a file of this program's own; the arrays go by as they are, so that nobody waits for Python.

        Parameters
        ----------
        file : binary file
            Where it is written.
        """
        arrays = list[pickle.PickleBuffer]()
        head = pickle.dumps(self, protocol=5, buffer_callback=arrays.append)
        pickle.dump((head, [array.raw().nbytes for array in arrays]), file)
        for array in arrays:
            file.write(array.raw())

    @staticmethod
    def read(file: BinaryIO) -> Checkpoint:
        """Read what this program has written.

        Parameters
        ----------
        file : binary file
            Where it begins; it may hold more behind it.

        Returns
        -------
        Checkpoint

        Raises
        ------
        EOFError, OSError, ValueError, pickle.UnpicklingError
            If it is no whole one.
        """
        head, sizes = pickle.load(file)
        found = pickle.loads(head, buffers=[file.read(size) for size in sizes])
        assert isinstance(found, Checkpoint)
        return found


@dataclass(frozen=True)
class Step:
    """Something to do when a sample is reached; ``NOW`` is the next one.

    Attributes
    ----------
    structural : bool
        It brings another program: that waits for the end of a quantum and of the fade before.
    """

    at: int
    act: Callable[[Player], None]
    structural: bool = False


class Player:
    """Gives the sound of a program; the result does not depend on the lengths asked for.

    Parameters
    ----------
    channels : int
        How many it gives; those that the patch's layout has not are silent.

    Attributes
    ----------
    steps : deque of Step
        What is to come, in order of time. Another thread may append.
    tempo_bpm : float
        Of the patch, at the next sample.
    team : ndarray of int
        The words of the team whose threads share the work: see ``compiler.team``. The samples are the same.
    live : function of (position, out)
        Fills ``out`` with the live input from a position on; asked for each sample once, in order.
    """

    def __init__(self, program: Program, traces: Traces | None = None, channels: int = 2) -> None:
        self.program = program
        self.channels = channels
        self.tempo_bpm = program.patch.tempo_bpm
        self.traces = traces
        self.team = rendering_team()
        self.live: Callable[[int, NDArray[np.float64]], None] | None = None
        self.steps: deque[Step] = deque()
        self._unwatched = no_traces()
        self._old: Program | None = None
        self._faded = 0
        self._changed_at = -1
        self._ready = np.zeros((QUANTUM, channels))
        self._given = self._made = 0
        self._other = np.zeros((QUANTUM, channels))
        length = max(QUANTUM, round(FADE_S * program.rate))
        self._weights = np.arange(length, 0, -1.0)[:, None] / length

    @property
    def position(self) -> int:
        """The next sample that is computed."""
        return int(self.program.memory.position[0])

    @property
    def settled(self) -> bool:
        """Whether this is the moment for a checkpoint: between quantums, no fade, nothing changed just now, and
        nothing overdue, as a change is that waits for the fade of the one before it."""
        overdue = bool(self.steps) and self.steps[0].at < self.position
        return self._old is None and not overdue and self.position % QUANTUM == 0 and self._changed_at != self.position

    @property
    def until_rest(self) -> int:
        """Samples up to the next place where a change of structure need not wait; 0 where it need not."""
        left = len(self._weights) - self._faded if self._fading else 0
        return left + -(self.position + left) % QUANTUM

    @property
    def _fading(self) -> bool:
        return self._old is not None and self._faded > 0

    def fill(self, out: NDArray[np.float64]) -> None:
        """Write the next frames to ``out`` [shape=(n, channels), C order].

        Parameters
        ----------
        out : ndarray [shape=(n, channels)]
            Where the samples are written.
        """
        done, frames = 0, len(out)
        while done < frames:
            n = min(self._made - self._given, frames - done)
            if n:
                out[done : done + n] = self._ready[self._given : self._given + n]
                self._given += n
                done += n
                continue
            self.apply_due()
            offset, room = self.position % QUANTUM, self._room()
            whole = min((frames - done) // QUANTUM * QUANTUM, room)
            if offset == 0 and whole:
                self._compute(out[done : done + whole])
                done += whole
            else:
                n = min(QUANTUM - offset, room)
                self._compute(self._ready[offset : offset + n])
                self._given, self._made = offset, offset + n

    def apply_due(self) -> None:
        """Do what is due at the present sample."""
        while self.steps and self.steps[0].at <= self.position and not self._must_wait(self.steps[0]):
            step = self.steps.popleft()
            self._changed_at = self.position
            step.act(self)

    def swap(self, program: Program, traces: Traces | None, takeover: Takeover) -> None:
        """Go on with another program, which takes over the state; the old one fades out.

        Parameters
        ----------
        program : Program
            The compiled patch.
        traces : Traces
            Where the window reads from.
        takeover : Takeover or None
            State that goes over from the program before.
        """
        takeover.apply()
        if self._old is None:
            self._old, self._faded = self.program, 0
        self.program, self.traces, self.tempo_bpm = program, traces, program.patch.tempo_bpm

    def end_fade(self) -> None:
        """Forget the program that fades out, where nobody hears it."""
        self._old = None

    def checkpoint(self, probed: Collection[Place] = ()) -> Checkpoint:
        """The present state; only when ``settled``.

        Parameters
        ----------
        probed : sequence of Place
            Outputs that are watched sample by sample.

        Returns
        -------
        Checkpoint
        """
        program = self.program
        return Checkpoint(self.position, program.patch, program.rate, tuple(probed), program.memory.copy())

    def _must_wait(self, step: Step) -> bool:
        return step.structural and (self.position % QUANTUM != 0 or self._fading)

    def _room(self) -> int:
        """Samples until the next step may have to be done."""
        if not self.steps:
            return 1 << 40
        if self.steps[0].at <= self.position:
            return QUANTUM - self.position % QUANTUM
        return self.steps[0].at - self.position

    def _compute(self, out: NDArray[np.float64]) -> None:
        traces = self.traces or self._unwatched
        done = 0
        while self._old is not None and done < len(out):
            n = min(len(out) - done, QUANTUM - self.position % QUANTUM, len(self._weights) - self._faded)
            piece, other = out[done : done + n], self._other[:n]
            self._hear(n)
            run(self.program.plan, self.program.memory, traces, piece, self.team)
            run(self._old.plan, self._old.memory, self._unwatched, other, self.team)
            other -= piece
            other *= self._weights[self._faded : self._faded + n]
            piece += other
            self._faded += n
            done += n
            if self._faded == len(self._weights):
                self._old = None
        while done < len(out):
            n = len(out) - done
            if self.program.live:
                n = min(n, QUANTUM - self.position % QUANTUM)
                self._hear(n)
            run(self.program.plan, self.program.memory, traces, out[done : done + n], self.team)
            done += n

    def _hear(self, n: int) -> None:
        """Give the live input of the next n samples of this quantum to what listens to it."""
        if self.live is None or not (self.program.live or (self._old is not None and self._old.live)):
            return
        start = self.position % QUANTUM
        heard = self.program.plan.live[start : start + n]
        self.live(self.position, heard)
        if self._old is not None:
            self._old.plan.live[start : start + n] = heard


def glide(before: Patch, after: Patch) -> Callable[[Player], None]:
    """Lets values go to those of another patch of the same structure; what differs is found here, not in the step.

    Parameters
    ----------
    before : Patch
        The patch that sounds.
    after : Patch
        The patch that is to sound.

    Returns
    -------
    Callable[[Player], None]
    """
    values, series, tempo_bpm = value_changes(before, after), series_changes(before, after), after.tempo_bpm
    links = [
        new
        for old, new in zip(before.links, after.links, strict=True)
        if old is not new and (old.amount, old.offset) != (new.amount, new.offset)
    ]

    def act(player: Player) -> None:
        program, player.tempo_bpm = player.program, tempo_bpm
        for (module, param), value in values.items():
            program.set_base(module, param, value)
        for (module, name), numbers in series.items():
            program.set_series(module, name, numbers)
        for link in links:
            program.set_link(link.id, link.amount, link.offset)

    return act


def wants_note(program: Program, module: str, note: float, channel: int) -> bool:
    """Whether a keyboard module takes a key of a MIDI keyboard: its channel and the range of its keys.

    Parameters
    ----------
    program : Program
        The compiled patch.
    module : str
        Id of the module.
    note : float
        MIDI note number.
    channel : int
        1 to 16.

    Returns
    -------
    bool
    """
    wanted, low, high = (
        program.memory.now[program.input_at[(module, port)]] if (module, port) in program.input_at else 0.0
        for port in ("channel", "lowest_note", "highest_note")
    )
    return round(wanted) in (0, channel) and low - 0.5 <= note <= high + 0.5


def play_note(program: Program, module: str, note: float, velocity: float) -> None:
    """Press a key of a keyboard module, or let it go (velocity 0); more than it can take at once are forgotten.

    Parameters
    ----------
    program : Program
        The compiled patch.
    module : str
        Id of the module.
    note : float
        MIDI note number; 69 is 440 Hz.
    velocity : float [0, 1]
        How hard; 0 lets go.
    """
    spec = spec_of(program.patch.module(module).type) if module in program.module_at else None
    if spec is None or not spec.keys:
        return
    at = int(program.plan.modules[program.module_at[module]]["state_at"])
    states = program.memory.states
    count = int(states[at + COUNT])
    if count < MOST_EVENTS:
        place = at + EVENTS + EVENT_SIZE * count
        states[place : place + EVENT_SIZE] = note, velocity
        states[at + COUNT] = count + 1
