"""The engine's process: compiles, owns the device, answers the window, and ends when the window does."""

from __future__ import annotations

import os
import signal
import sys
import time
import traceback
from collections import deque
from collections.abc import Callable
from dataclasses import replace
from multiprocessing.connection import Connection

from dunefall.base.collector import give_back_large_arrays
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr
from dunefall.base.layouts import MOST_CHANNELS, layout_of
from dunefall.base.pages import put_at_hand
from dunefall.base.processes import be_given_up_first
from dunefall.base.programs import be_part_of
from dunefall.compiler.build import compile_patch
from dunefall.compiler.changes import same_structure
from dunefall.compiler.code import LoopCode
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.takeover import Takeover
from dunefall.compiler.traces import PROBES, Traces
from dunefall.engine import messages as say
from dunefall.engine.asides import clicks_counted, portrait_drawn
from dunefall.engine.checkpoints import Room
from dunefall.engine.clicknews import ClickNews
from dunefall.engine.devices.outlet import Outlet
from dunefall.engine.devices.output import fitting_rate, raise_thread_priority
from dunefall.engine.inputs import Inputs
from dunefall.engine.peers import Peers
from dunefall.engine.replay import AHEAD_S, Replay
from dunefall.engine.seeking import Meeting, SeekJob, nearer
from dunefall.engine.shared import SharedState, Status
from dunefall.engine.sounding import Sounding
from dunefall.engine.tracing import TraceSlots
from dunefall.engine.warmth import Warmth
from dunefall.patch.changes import apply_changes
from dunefall.patch.model import Patch, Place
from dunefall.patch.take import END, Edit, Entry, Heard, Take
from dunefall.render.known import read_known
from dunefall.render.performance import by_hand
from dunefall.render.player import NOW, Player, Step, glide

__all__ = ["run_engine"]

KNOWN_S = 4.0
"""So much of what is known is read: in this time the state is worked out, and the sound is caught up with."""
MOST_AT_A_TIME = 4
"""Programs that are kept here, so that it is not the audio thread that frees the one it does not need any more."""
FAILED = tr("The sound engine failed and was started again; nothing is lost.")


def run_engine(pipe: Connection, shared_name: str, options: say.EngineOptions, program: str) -> None:
    """Entry of the engine's process, which belongs to a program."""
    be_part_of(program)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    sys.setswitchinterval(0.001)
    be_given_up_first()
    give_back_large_arrays()
    try:
        host = _Host(pipe, SharedState(shared_name), options)
        try:
            host.serve()
        finally:
            host.close()
    finally:
        os._exit(0)  # PortAudio does not let go of a sound server that has died


class _Host:
    def __init__(self, pipe: Connection, shared: SharedState, options: say.EngineOptions) -> None:
        self._pipe, self._shared, self._options = pipe, shared, options
        self._opened = self._left = False
        self._watched: tuple[str, ...] = ()
        self._warmth = Warmth(self._tell)
        self._patch = Patch()
        self._program: Program | None = None
        self._sounding: Sounding | None = None
        self._outlet = Outlet(self._tell)
        self._probes: list[Place | None] = [None] * PROBES
        self._slots = TraceSlots(shared)
        self._recent: deque[Program] = deque(maxlen=MOST_AT_A_TIME)
        self._faulty: tuple[str, ...] = ()
        self._news, self._clicks = deque[object](), ClickNews()
        self._inputs = Inputs(options, self._tell, self._news)
        self._peers = Peers(self._news)
        self._seek: SeekJob | None = None
        self._meeting: Meeting | None = None
        self._met = deque[tuple[Meeting, bool]]()
        self._take, self._replay, self._same_until = Take(Patch()), Replay(), END
        self._deferred: deque[object] = deque()
        self._code, self._monitor = LoopCode(), say.Monitor()
        self._answers: dict[type, Callable[..., None]] = {
            say.Prepare: lambda message: self._warmth.get_ready(message.types),
            say.Watch: self._watch,
            say.Open: self._open,
            say.Seek: self._start_seek,
            say.TakeOver: lambda message: self._replay.end(message.at),
            say.SetPatch: self._set_patch,
            say.Act: self._act,
            say.Play: lambda message: self._sound().later(lambda: self._sound().set_playing(True, message.fade_s)),
            say.Stop: lambda _: self._sound().later(lambda: self._sound().set_playing(False)),
            say.Probe: self._set_probe,
            say.Monitor: self._set_monitor,
            say.SetDevice: self._set_device,
            say.FollowTransport: lambda message: self._peers.follow_transport(message.on),
            say.MoveTransport: lambda message: self._peers.move_transport(message.rolls, message.seconds),
            say.KeepCheckpoint: self._keep_checkpoint,
            say.AskPortrait: lambda message: self._tell(portrait_drawn(message)),
            say.AskClicks: lambda message: self._tell(clicks_counted(message, self._options.rate)),
        }

    # -- the loop -----------------------------------------------------------------------------------------------

    def serve(self) -> None:
        """Answer messages until the window says goodbye or disappears, or there is a reason to leave."""
        while not self._left:
            try:
                message = self._next_message()
            except (EOFError, OSError):
                return
            if isinstance(message, say.Quit):
                return
            try:
                if message is not None:
                    self._answers[type(message)](message)
                self._maintain()
            except DunefallError as error:
                self._tell(say.Trouble(str(error)))
            except Exception:
                self._leave(FAILED, traceback.format_exc())

    def _leave(self, text: str, details: str = "") -> None:
        """Let another process take over."""
        self._left = True
        self._tell(say.Leaving(text, details))

    def _next_message(self) -> object | None:
        """The next message, or None after a while; edits wait until a seek has ended."""
        busy = self._meeting is not None or (self._seek is not None and not self._seek.join)
        if self._deferred and not busy:
            return self._deferred.popleft()
        if not self._pipe.poll(0.0 if self._seek is not None else 0.02):
            return None
        message: object = self._pipe.recv()
        if busy and isinstance(message, say.SetPatch | say.Act | say.TakeOver | say.SetDevice):
            self._deferred.append(message)
            return None
        return message

    def close(self) -> None:
        """Stop everything and let go of the shared memory."""
        self._close_devices()
        self._code.close()
        self._warmth.close()
        self._program = self._seek = None
        self._recent.clear()
        self._slots.let_go()
        if self._sounding is not None:
            self._sounding.let_go()
        self._shared.close()

    def _tell(self, message: object | None) -> None:
        try:
            if message is not None:
                self._pipe.send(message)
        except (BrokenPipeError, OSError):
            raise SystemExit(0) from None

    def _sound(self) -> Sounding:
        if self._sounding is None:
            self._sounding = Sounding(self._shared, self._options.rate, self._options.frames, self._warmth.team.words)
            self._sounding.monitor = self._monitor
        return self._sounding

    def _maintain(self) -> None:
        """What is due beside messages."""
        if self._program is None:
            return
        self._shared.status[Status.HEARTBEAT] = time.monotonic()
        while self._news:
            self._tell(self._news.popleft())
        faulty = self._program.faulty
        for click in self._clicks.of(self._program):
            self._tell(click)
        if faulty != self._faulty:
            self._faulty = faulty
            self._tell(say.Faults(faulty))
        self._code.poll(self._program)
        while self._met:
            self._end_meeting(*self._met.popleft())
        if self._seek is not None:
            self._go_on_seeking(self._seek)
        self._go_on_replaying()
        self._outlet.maintain(self._sound(), self._shared)
        self._sound().checkpoints.maintain()
        self._tell(self._sound().checkpoints.kept())
        self._inputs.tap.keep()
        self._sound().last_minutes.keep()
        if self._sound().failure:
            self._leave(FAILED, self._sound().failure)
        elif self._outlet.back:
            self._leave(tr("The sound device is back, and the sound goes on there."))

    # -- programs -----------------------------------------------------------------------------------------------

    def _compile(self, patch: Patch) -> Program:
        self._warmth.prepare([module.type for module in patch.modules()])
        program = compile_patch(patch, rate=self._options.rate, probed=self._probed)
        put_at_hand(*program.memory)
        self._code.use(program)
        return program

    def _open(self, message: say.Open) -> None:
        note = self._fit()
        take = message.take.at_rate(self._options.rate)
        position = round(message.position * self._options.rate / message.take.rate_hz)
        self._seek, self._meeting, self._take, self._replay = None, None, take, Replay()
        self._patch = take.patch_at(position + (position > 0))
        program = self._compile(self._patch)
        start = position // QUANTUM * QUANTUM
        program.memory.position[0] = start
        sounding, player = self._sound(), self._player(program)
        room, replay = Room(program, self._probed), self._replay

        def begin() -> None:
            sounding.checkpoints.forget()
            sounding.checkpoints.begin(room)
            sounding.sound(player)
            if position == 0:
                replay.begin(take, 0)

        sounding.later(lambda: sounding.set_playing(False))
        sounding.later(begin, after_fade=True)
        if message.playing:
            sounding.later(lambda: sounding.set_playing(True))
        if position > 0:
            self._seek = SeekJob(take, start, None)
        self._outlet.open(self._options, sounding, layout_of(self._patch.layout).channels, note)
        if not self._opened:
            self._opened = True
            raise_thread_priority()
            self._inputs.open_keys(sounding, self._patch)
            self._peers.open(self._options, sounding, self._tell)
            self._tell(say.Prepared())

    @property
    def _probed(self) -> tuple[Place, ...]:
        watched = (name.partition(".") for name in self._watched)
        return (*(place for place in self._probes if place), *(Place(module, port) for module, _, port in watched))

    def _show(self, program: Program) -> Traces:
        """Let the window see this program from now on; gives where it writes what is shown."""
        self._program = program
        self._recent.append(program)
        self._inputs.show(program)
        traces = self._slots.traces(program, self._probes, self._sound().outgoing.rows(program))
        self._tell(say.ProgramRuns(self._slots.places, program.input_at, program.asleep))
        return traces

    def _player(self, program: Program) -> Player:
        player = Player(program, self._show(program), MOST_CHANNELS)
        player.live = self._inputs.tap.read
        return player

    def _set_patch(self, message: say.SetPatch) -> None:
        if self._program is None:
            return
        for entry in self._replay.due(END):  # what was due at once when the hand took over
            self._hand_over(entry)
        before, self._patch = self._patch, message.patch
        if before == message.patch:
            return
        self._leave_join()
        self._change(before, message.patch, self._applied(message.number))

    def _change(self, before: Patch, after: Patch, told: Callable[[Player], None], at: int = NOW) -> None:
        """Another patch sounds from a sample on."""
        if same_structure(before, after):
            self._sound().outgoing.follow(after)
            self._do(glide(before, after), told, at=at)
        else:
            self._swap(after, told, at)

    def _swap(self, patch: Patch, told: Callable[[Player], None] = lambda player: None, at: int = NOW) -> None:
        """Another program, fading in; it takes over the state of the one before."""
        assert self._program is not None
        before, program = self._program, self._compile(patch)
        takeover = Takeover(program, before)
        traces, room = self._show(program), Room(program, self._probed)
        checkpoints = self._sound().checkpoints

        def act(player: Player) -> None:
            player.swap(program, traces, takeover)
            checkpoints.begin(room)

        self._do(act, told, at=at, structural=True)
        self._outlet.open(self._options, self._sound(), layout_of(patch.layout).channels)

    def _do(
        self, act: Callable[[Player], None], told: Callable[[Player], None], *, at: int = NOW, structural: bool = False
    ) -> None:
        def step(player: Player) -> None:
            act(player)
            told(player)

        self._sound().do(Step(at, step, structural))

    def _applied(self, number: int) -> Callable[[Player], None]:
        """Something was done by hand, if it has a number: what was known of the time after it holds no more."""
        news, checkpoints = self._news, self._sound().checkpoints

        def told(player: Player) -> None:
            if number:
                checkpoints.forget_after(player.position)
                news.append(say.Applied(number, player.position))

        return told

    def _act(self, message: say.Act) -> None:
        if self._leave_join() and self._program is not None:
            self._replay.begin(self._take, int(self._program.memory.position[0]))
        self._do(by_hand(message.what), self._applied(message.number))

    def _keep_checkpoint(self, message: say.KeepCheckpoint) -> None:
        true = self._seek is None and self._meeting is None
        self._tell(self._sound().checkpoints.want(message.path) if true else say.CheckpointKept(message.path))

    def _set_probe(self, message: say.Probe) -> None:
        """What is watched sample by sample: another program only where this one does not write it."""
        before, self._probes[message.index] = self._probes[message.index], message.place
        if self._program is None or before == message.place:
            return
        if all(place is None or self._program.writes(place) for place in (before, message.place)):
            self._slots.probe(self._program, self._probes)
        else:
            self._swap(self._patch)

    def _watch(self, message: say.Watch) -> None:
        """Modules that lead nowhere, and outputs that nobody uses, are computed while somebody looks at them."""
        before, self._watched = self._watched, message.modules
        outputs = {name for name in {*before} ^ {*message.modules} if "." in name}
        asleep = self._program.asleep if self._program is not None else frozenset()
        if self._program is not None and (outputs or asleep & {*before, *message.modules}):
            self._swap(self._patch)

    # -- seeking and replaying ----------------------------------------------------------------------------------

    def _go_on_replaying(self) -> None:
        """Hand over what the take has next; while a seek is under way, which brings it along, nothing."""
        sounding = self._sound()
        if sounding.player is None or self._seek is not None:
            return
        for entry in self._replay.due(sounding.player.position + round(AHEAD_S * self._options.rate)):
            self._hand_over(entry)

    def _hand_over(self, entry: Entry) -> None:
        """Let an entry of the take happen again at its sample."""

        def told(player: Player) -> None:
            self._news.append(say.Replayed(entry.at))

        if isinstance(entry.what, Edit):
            before, self._patch = self._patch, apply_changes(self._patch, entry.what.changes)
            self._change(before, self._patch, told, entry.at)
        elif not isinstance(entry.what, Heard):
            self._do(by_hand(entry.what), told, at=entry.at)

    def _start_seek(self, message: say.Seek) -> None:
        take = message.take.at_rate(self._options.rate)
        self._same_until = min(self._same_until, message.same_until)
        position, sounding = message.position, self._sound()
        layout, begin = layout_of(take.patch_at(position).layout), position // QUANTUM * QUANTUM
        known = read_known(message.ahead.sounds, begin, KNOWN_S, self._options.rate, layout)
        if known is not None:  # heard while the rest of this is done
            sounding.later(lambda: sounding.sound_known(known))
        own = sounding.checkpoints.nearest(min(position, self._same_until))
        until = position + round(2 * KNOWN_S * self._options.rate)
        self._seek = SeekJob(take.until(until), position, nearer(own, message.ahead.kept, position), position, known)
        self._meeting, self._take, self._replay = None, take, Replay()

    def _go_on_seeking(self, job: SeekJob) -> None:
        if job.join or job.known is not None:
            ahead = round(job.ahead_s * self._options.rate) if self._shared.status[Status.PLAYING] else 0
            now = job.known.position if job.known else round(self._shared.status[Status.POSITION])
            if job.position - now < ahead // 2:
                job.follow(now, ahead)
        if not job.work():
            return
        self._seek, self._meeting = None, (meeting := Meeting(job, self._patch, self._program))
        self._patch = self._take.patch_at(job.due)  # with all values: those of the program are of its beginning
        program = self._compile(self._patch)
        takeover = Takeover(program, job.performance.player.program)
        sounding, room, same_until = self._sound(), Room(program, self._probed), self._same_until
        replay, take = self._replay, self._take

        def there() -> None:
            sounding.checkpoints.forget_after(-1 if job.join else same_until)  # until it is met nothing is as it was
            sounding.checkpoints.begin(room)
            replay.begin(take, job.due)
            self._news.append(say.Sought(job.position, job.asked))

        if job.known is not None:
            takeover.apply()
            player, known = self._player(program), job.known

            def go_on() -> None:
                met = known.position <= player.position
                if met:
                    sounding.go_on_with(player)
                    there()
                self._met.append((meeting, met))

            sounding.later(go_on)
            return
        traces = self._show(program)
        sounding.later(sounding.drop_known)

        def act(player: Player) -> None:
            met = not job.join or player.position <= job.position
            if met:
                player.swap(program, traces, takeover)
                there()
            self._met.append((meeting, met))

        sounding.do(Step(job.position if job.join else NOW, act, structural=True), after_fade=not job.join)

    def _leave_join(self) -> bool:
        """What is changed by hand while the sound still waits for its own state goes before that."""
        left = self._seek is not None and self._seek.join
        if left:
            self._seek = None
        return left

    def _end_meeting(self, meeting: Meeting, met: bool) -> None:
        """Where the sound had already gone past the place at which it was to be met, meet it further ahead."""
        if meeting is not self._meeting:
            return
        self._meeting = None
        if met:
            self._same_until = END
            return
        self._seek, self._patch = meeting.job, meeting.patch
        self._seek.ahead_s *= 2
        player = self._sound().player
        if player is not None and player.program is meeting.program:
            player.traces = self._show(player.program)

    # -- device -------------------------------------------------------------------------------------------------

    def _set_monitor(self, message: say.Monitor) -> None:
        self._monitor = self._sound().monitor = message

    def _set_device(self, message: say.SetDevice) -> None:
        """Other devices, rate or block: the sound goes on at the same place."""
        if self._outlet.lost:
            self._leave(tr("The sound engine was started again for the new device."))
            return
        playing = bool(self._shared.status[Status.PLAYING])
        self._close_devices()
        old_rate = self._options.rate
        self._options = message.options
        note = self._fit()
        self._inputs = Inputs(self._options, self._tell, self._news)
        before, self._sounding = self._sounding, None
        sounding = self._sound()
        if self._program is not None and before is not None and before.player is not None:
            found = before.player.program
            program = self._compile(self._patch)
            Takeover(program, found).apply()
            self._replay.scale(self._options.rate / old_rate)
            sounding.player = self._player(program)
            if old_rate == self._options.rate:
                sounding.checkpoints = before.checkpoints
            sounding.checkpoints.begin(Room(program, self._probed))
            sounding.set_playing(playing)
        self._outlet.open(self._options, sounding, layout_of(self._patch.layout).channels, note)
        self._inputs.open_keys(sounding, self._patch)
        self._peers.open(self._options, sounding, self._tell)

    def _fit(self) -> str:
        """Run at a rate that the device has; gives a sentence where it is another than the one asked for."""
        if self._outlet.is_open:
            return ""
        asked, rate = self._options.rate, fitting_rate(self._options.audio, self._options.rate)
        self._options = replace(self._options, rate=rate)
        if rate == asked:
            return ""
        return tr("The sound device runs at {rate:g} kHz, and so does Dunefall now.", rate=rate / 1000)

    def _close_devices(self) -> None:
        self._outlet.close()
        self._inputs.close()
        self._peers.close()
