"""The window's side of the engine: starts the process, speaks to it, replaces it if it dies, reads what it shows."""

from __future__ import annotations

import multiprocessing
import time
from collections import deque
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dunefall.base.language import tr
from dunefall.base.programs import program_name
from dunefall.compiler.traces import PROBE_SAMPLES, TRACE_BINS
from dunefall.engine import messages as say
from dunefall.engine.host import run_engine
from dunefall.engine.messages import EngineOptions
from dunefall.engine.process import EngineProcess
from dunefall.engine.replay import AHEAD_S
from dunefall.engine.shared import SharedState, Status, trace_key
from dunefall.engine.standstill import Standstill
from dunefall.patch.changes import apply_changes, difference
from dunefall.patch.entryfiles import only_sound
from dunefall.patch.journal import Journal
from dunefall.patch.model import Patch, Place
from dunefall.patch.take import END, Clear, Edit, Entry, Note, Press, Take, first_difference
from dunefall.render.known import Ahead

__all__ = ["EngineClient"]

SHORT_LIFE_S = 3.0
MOST_DEATHS = 4
"""An engine that dies this often, each time within ``SHORT_LIFE_S`` of being ready, is not started again."""
STOPPED = tr("The sound engine stopped unexpectedly and was started again; nothing is lost.")
KEEPS_STOPPING = tr("The sound engine keeps stopping. Save your patch and restart Dunefall.")
TAKE_OVER_S = 2 * AHEAD_S
MOST_LEFT = 20
RESERVE_AFTER_S = 4.0
"""The engine in reserve is started when the first one has been ready for this long."""
NO_BEAT_S = 6.0
"""An engine that has not looked at its messages for this long is taken for hung."""
STUCK_S = 1.5
"""So is one whose audio thread has been at one block for this long. Time without a processor does not count."""


class EngineClient:
    """Talks to the engine's process; never waits for it.

    A second process waits in reserve, with everything loaded, so that a dead engine is replaced within a second.

    Attributes
    ----------
    slots, inputs : dict
        Trace slot of each output (by ``trace_key``), and place of each (module, port) in ``now``; set by ``poll``.
    asleep : frozenset of str
        Modules that lead nowhere and are not computed unless watched.
    journal : Journal
        ``take`` as it grows.
    follows_transport : bool
        Whether it goes with the transport of the sound server.
    monitor : Monitor
        How the mix goes to the device.
    moved_on : bool
        What a take that is heard again has in store has happened since somebody looked at ``patch``, and reset this.
    left : deque of Take
        Takes that were left behind: something else was done by hand while they were heard again, or a new one began.
    """

    def __init__(self, options: EngineOptions) -> None:
        self.slots: dict[str, int] = {}
        self.inputs: dict[tuple[str, str], int] = {}
        self.asleep: frozenset[str] = frozenset()
        self.journal = Journal(Take(Patch(), options.rate))
        self.options = options
        self._shared = SharedState()
        self._patch = Patch()
        self._playing = False
        self.monitor = say.Monitor()
        self.follows_transport = False
        self._opened = False
        self._number = 0
        self._coming: deque[Entry] = deque()
        self._awaited = -1
        self._own = self.moved_on = False
        self.left: deque[Take] = deque(maxlen=MOST_LEFT)
        self._pending: dict[int, Edit | Note | Press | Clear] = {}
        self._probes: dict[int, Place | None] = {}
        self._watched: tuple[str, ...] = ()
        self._deaths = 0
        self._leaving: say.Leaving | None = None
        self._ready_at: float | None = None
        self._beats, self._blocks = Standstill(), Standstill()
        self._engine: EngineProcess | None = self._start_process()
        self._reserve: EngineProcess | None = None
        self._portrait_asked: say.AskPortrait | None = None
        self._portrait: say.GotPortrait | None = None
        self._clicks: say.GotClicks | None = None

    @property
    def take(self) -> Take:
        """Everything changed by hand since the start, and, of a take that is heard again, what is still to come."""
        return self.journal.take

    @property
    def played(self) -> Take:
        """The take up to now."""
        return self.take.until(self.position + 1) if self._coming else self.take

    @property
    def heard_again(self) -> bool:
        """Whether a take is heard again that has something in store."""
        return bool(self._coming)

    @property
    def patch(self) -> Patch:
        """What sounds, as far as is known here."""
        return self._patch

    @property
    def own(self) -> bool:
        """Whether anything was done by hand since the take was begun or taken up."""
        return self._own

    @property
    def status(self) -> NDArray[np.float64]:
        """Live numbers by ``Status``."""
        return self._shared.status

    @property
    def process_id(self) -> int | None:
        """Process number of the engine, or None."""
        return self._engine.process.pid if self._engine else None

    @property
    def position(self) -> int:
        """Sample that sounds about now."""
        return int(self.status[Status.POSITION])

    # -- what to sound --------------------------------------------------------------------------------------------

    def open(self, patch: Patch) -> None:
        """Start a take of a patch, stopped or playing as before."""
        self._leave_behind(self.take)
        self._patch, self.journal, self._own = patch, Journal(Take(only_sound(patch), self.options.rate)), False
        self._pending.clear()
        self._coming.clear()
        self._opened = True
        self._send(say.Open(self.take, playing=self._playing))

    def set_patch(self, patch: Patch) -> None:
        """Sound this patch from now on."""
        if not self._opened:
            self.open(patch)
            return
        changes = difference(self._patch, patch)
        if changes and self._coming:
            self._take_over()
            changes = difference(self._patch, patch)
        self._patch = patch
        if changes or not self._coming:
            self._send(say.SetPatch(patch, self._note_down(Edit(changes)) if changes else 0))

    def _take_over(self) -> None:
        """By hand from here on: what the take that is heard again has later does not happen. What is due at once still
        does: the engine may have it in hand."""
        at = self.position + round(TAKE_OVER_S * self.options.rate)
        take = self.take
        self._leave_behind(take)
        for entry in self._coming:
            if entry.at < at:
                self._pass(entry)
        self._coming.clear()
        self.journal, self._own = Journal(take.until(at)), True
        self._send(say.TakeOver(at))

    def _pass_until(self, at: int) -> None:
        """What the take has up to a sample has happened again."""
        while self._coming and self._coming[0].at <= at:
            self._pass(self._coming.popleft())
            self.moved_on = True

    def _pass(self, entry: Entry) -> None:
        if isinstance(entry.what, Edit):
            self._patch = apply_changes(self._patch, entry.what.changes)

    def _leave_behind(self, take: Take) -> None:
        if take.entries and self._own:
            self.left.append(take)

    def act(self, what: Note | Press | Clear) -> None:
        """Play a note, hold an input, or clear memories."""
        self._send(say.Act(what, self._note_down(what)))

    def play(self, fade_s: float = say.Play.fade_s) -> None:
        """Let sound run, fading in."""
        self._playing = True
        self._send(say.Play(fade_s))

    def stop(self) -> None:
        """Fade out and hold the position."""
        self._playing = False
        self._send(say.Stop())

    def rewind(self) -> None:
        """Fade out and go back to the beginning; a new take begins."""
        self._playing = False
        self.open(self._patch)

    def seek(self, position: int, ahead: Ahead | None = None, take: Take | None = None) -> Patch:
        """Go to a sample of the take, which goes on from there as it went until something else is done by hand.

        Parameters
        ----------
        position : int
            In the rate of ``options``.
        ahead : Ahead, optional
            A checkpoint of it, which may be nearer than those of the engine, and its sound from there on, to be heard
            at once.
        take : Take, optional
            Another take, or the same one corrected.

        Returns
        -------
        Patch
            Of that moment.
        """
        before, same_until = self.take, END
        if take is None:
            take = before
        else:
            take = take.at_rate(self.options.rate)
            same_until = first_difference(before, take)
            self._leave_behind(before)
            self._own = False
        self.journal, self._patch = Journal(take), take.patch_at(position)
        self._coming = deque(entry for entry in take.sounding if entry.at >= position)
        self._awaited = position
        self._pending.clear()
        self._send(say.Seek(take, position, ahead or Ahead(), same_until))
        return self._patch

    def set_monitor(self, monitor: say.Monitor) -> None:
        """Let the mix go to the device in another way."""
        self.monitor = monitor
        self._send(monitor)

    def follow_transport(self, on: bool) -> None:
        """Go with the transport of the sound server, or no longer."""
        self.follows_transport = on
        self._send(say.FollowTransport(on))

    def move_transport(self, rolls: bool | None = None, seconds: float | None = None) -> None:
        """Let the transport roll or rest, and go to a time, if it is followed."""
        self._send(say.MoveTransport(rolls, seconds))

    def set_device(self, options: EngineOptions) -> None:
        """Use other devices, another rate or another block, while the sound goes on."""
        self._use_rate(options.rate)
        self.options = options
        self._send(say.SetDevice(options))

    def _use_rate(self, rate: float) -> None:
        """Count the take in another rate."""
        if rate != self.options.rate:
            self.journal = Journal(self.take.at_rate(rate))
            scale = rate / self.options.rate
            self._coming = deque(replace(entry, at=round(entry.at * scale)) for entry in self._coming)

    def set_probe(self, index: int, place: Place | None) -> None:
        """Watch an output sample by sample."""
        self._probes[index] = place
        self._send(say.Probe(index, place))

    def watch(self, modules: tuple[str, ...]) -> None:
        """Have these modules, or outputs named as ``trace_key`` does, computed even if they lead nowhere."""
        self._watched = modules
        self._send(say.Watch(modules))

    def keep_checkpoint(self, path: Path) -> None:
        """Have the state of the next moment written to a file; ``CheckpointKept`` comes when it is there, or cannot
        be."""
        self._send(say.KeepCheckpoint(path))

    def portrait(self, wanted: say.AskPortrait) -> say.GotPortrait | None:
        """The last portrait that was made, wanted again if it is another one. The engine in reserve makes it, so that
        the one that sounds has nothing to do with it; one at a time."""
        made = self._portrait
        if self._reserve is not None and self._portrait_asked is None and (made is None or made.asked != wanted):
            self._portrait_asked = wanted
            self._reserve.send(wanted)
        return made

    def ask_clicks(self, wanted: say.AskClicks) -> bool:
        """Let the engine in reserve count clicks; whether there is one."""
        if self._reserve is None:
            return False
        self._clicks = None
        self._reserve.send(wanted)
        return True

    def clicks(self, wanted: say.AskClicks) -> say.GotClicks | None:
        """The answer, once it is there."""
        return self._clicks if self._clicks is not None and self._clicks.asked == wanted else None

    # -- what it says -----------------------------------------------------------------------------------------------

    def poll(self) -> list[object]:
        """Messages that came in; replaces the process if it died or hangs, which is among them as ``Trouble``."""
        received: list[object] = []
        if self._engine is None:
            return received
        try:
            while self._engine.pipe.poll():
                message = self._engine.pipe.recv()
                self._take_in(message)
                received.append(message)
        except (EOFError, OSError):
            pass
        hung = self._hangs(self._engine.process.pid or 0)
        if hung:
            self._engine.process.kill()
            self._engine.process.join()
        if not self._engine.process.is_alive() and self._deaths < MOST_DEATHS:
            received.append(self._after_death(SHORT_LIFE_S + NO_BEAT_S * hung))
        self._keep_reserve()
        self._hear_reserve()
        return received

    def _hear_reserve(self) -> None:
        """Portraits and counts from the engine in reserve; what else it says is of no interest."""
        try:
            while self._reserve is not None and self._reserve.pipe.poll():
                message = self._reserve.pipe.recv()
                if isinstance(message, say.GotPortrait):
                    self._portrait, self._portrait_asked = message, None
                elif isinstance(message, say.GotClicks):
                    self._clicks = message
        except (EOFError, OSError):
            pass

    def _take_in(self, message: object) -> None:
        if isinstance(message, say.ProgramRuns):
            self.slots, self.inputs, self.asleep = message.slots, message.inputs, message.asleep
        elif isinstance(message, say.Prepared):
            self._ready_at = time.monotonic()
        elif isinstance(message, say.Applied) and message.number in self._pending:
            self._note(Entry(message.at, self._pending.pop(message.number)))
        elif isinstance(message, say.Leaving):
            self._leaving = message
        elif isinstance(message, say.DeviceChosen) and message.rate != self.options.rate:
            self._use_rate(message.rate)
            self.options = replace(self.options, rate=message.rate)
        elif isinstance(message, say.Happened):
            self._note(message.entry)
        elif isinstance(message, say.Sought) and message.asked == self._awaited >= 0:
            self._awaited = -1
            self._pass_until(message.at - 1)
        elif isinstance(message, say.Replayed) and self._awaited < 0:
            self._pass_until(message.at)

    def _note(self, entry: Entry) -> None:
        self.journal.note(entry)
        self._own = True

    def _note_down(self, what: Edit | Note | Press | Clear) -> int:
        self._number += 1
        self._pending[self._number] = what
        return self._number

    def trace(self, module: str, port: str = "") -> NDArray[np.float32] | None:
        """Lowest and highest values of the last bins of an output (the first one), oldest first; or None."""
        slot = self.slots.get(trace_key(module, port), self.slots.get(module) if port else None)
        if slot is None:
            return None
        at = int(self._shared.counts[0]) % TRACE_BINS
        bins = self._shared.bins[slot]
        return np.concatenate((bins[at:], bins[:at]))

    @property
    def bins_written(self) -> int:
        """How many trace bins the engine has written: tells whether a picture would change."""
        return int(self._shared.counts[0])

    @property
    def probed(self) -> int:
        """Samples that have been written to the probes."""
        return int(self._shared.counts[2])

    def probe(self, index: int, samples: int) -> NDArray[np.float32]:
        """The last samples of a probe, oldest first."""
        samples = min(samples, PROBE_SAMPLES)
        ring: NDArray[np.float32] = self._shared.probes[index]
        end = int(self._shared.counts[2]) % PROBE_SAMPLES
        if end >= samples:
            return ring[end - samples : end].copy()
        return np.concatenate((ring[PROBE_SAMPLES - samples + end :], ring[:end]))

    def value_now(self, module: str, port: str) -> float | None:
        """Present value of an input or parameter with everything that moves it, or None."""
        index = self.inputs.get((module, port))
        return None if index is None else float(self._shared.now[index])

    def close(self) -> None:
        """End the processes and free the shared memory."""
        if self._engine is None:
            return
        self._engine.end(2.0)
        if self._reserve is not None:
            self._reserve.end(0.5)
        self._engine = self._reserve = None
        self._shared.close()

    def _send(self, message: object) -> None:
        if self._engine is not None:
            self._engine.send(message)

    # -- processes --------------------------------------------------------------------------------------------------

    def _start_process(self) -> EngineProcess:
        context = multiprocessing.get_context("spawn")
        pipe, theirs = context.Pipe()
        arguments = (theirs, self._shared.name, self.options, program_name())
        process = context.Process(target=run_engine, args=arguments, name="dunefall engine", daemon=True)
        process.start()
        theirs.close()
        return EngineProcess(process, pipe)

    def _keep_reserve(self) -> None:
        """Start the engine in reserve when the first one has settled; forget one that died."""
        if self._reserve is not None and not self._reserve.process.is_alive():
            self._reserve.let_go()
            self._reserve = self._portrait_asked = None
            self._ready_at = time.monotonic()  # try again after a while
        settled = self._ready_at is not None and time.monotonic() - self._ready_at > RESERVE_AFTER_S
        if self._reserve is None and settled and self._deaths < MOST_DEATHS:
            self._reserve = self._start_process()
            self._reserve.send(say.Prepare(tuple(dict.fromkeys(module.type for module in self._patch.modules()))))

    def _hangs(self, process: int) -> bool:
        beat, entered, now = float(self.status[Status.HEARTBEAT]), float(self.status[Status.ENTERED]), time.monotonic()
        if self._ready_at is None or beat <= 0:
            return False
        if self._beats.seconds(process, max(beat, self._ready_at), now) > NO_BEAT_S:
            return True
        return entered > 0 and self._blocks.seconds(process, entered, now) > STUCK_S

    def _after_death(self, short_s: float) -> say.Trouble:
        """Put the engine in reserve in its place, unless they keep dying as soon as they are ready: within a time in
        which that was noticed."""
        assert self._engine is not None
        leaving, self._leaving = self._leaving or say.Leaving(STOPPED), None
        short = time.monotonic() - max(self._engine.started, self._ready_at or 0.0) < short_s
        self._deaths = self._deaths + 1 if short else 1
        if self._deaths == MOST_DEATHS:
            return say.Trouble(KEEPS_STOPPING, leaving.details)
        self._replace()
        return say.Trouble(leaving.text, leaving.details)

    def _replace(self) -> None:
        assert self._engine is not None
        position = self.position
        self._engine.let_go()
        self._engine, self._reserve = self._reserve or self._start_process(), None
        self._portrait_asked = None
        self._engine.started = time.monotonic()
        self._ready_at = time.monotonic()
        self.status[Status.BLOCKS] = self.status[Status.HEARTBEAT] = self.status[Status.ENTERED] = 0
        for number in sorted(self._pending):
            self._note(Entry(position, self._pending.pop(number)))
        for index, place in self._probes.items():
            self._send(say.Probe(index, place))
        self._send(say.SetDevice(self.options))
        self._send(self.monitor)
        self._send(say.FollowTransport(self.follows_transport))
        self._send(say.Watch(self._watched))
        self._awaited = -1
        self._pass_until(position)
        if self._opened:
            self._send(say.Open(self.take, position, self._playing))

    def wait_for(self, kind: type, seconds: float = 60.0) -> object:
        """Poll until a message of a kind arrives, for programs without a window; raises TimeoutError."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            for message in self.poll():
                if isinstance(message, kind):
                    return message
            time.sleep(0.01)
        raise TimeoutError(tr("the engine gave no {name} within {seconds:g} s", name=kind.__name__, seconds=seconds))
