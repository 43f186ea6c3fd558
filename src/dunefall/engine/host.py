"""The engine's process: compiles, owns the device, answers the window, and ends when the window does."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
import traceback
from collections import deque
from collections.abc import Callable
from dataclasses import replace
from multiprocessing.connection import Connection
from pathlib import Path

from dunefall.base.caches import trouble_of_caches
from dunefall.base.collector import freeze_loaded_objects, give_back_large_arrays
from dunefall.base.errors import DeviceError, DunefallError
from dunefall.base.layouts import MOST_CHANNELS, layout_of
from dunefall.base.processes import be_given_up_first
from dunefall.catalogue import catalogue, spec_of
from dunefall.compiler.build import compile_patch, same_structure
from dunefall.compiler.code import LoopCode
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.sounds import built_in
from dunefall.compiler.takeover import Takeover
from dunefall.compiler.traces import PROBES, Traces
from dunefall.compiler.warmup import prepare, prepare_beside, prepare_idly
from dunefall.dsp.clicks import CLICK_STATE, COUNT, PLACE, SIZE
from dunefall.engine import messages as say
from dunefall.engine.checkpoints import Room
from dunefall.engine.devices.input import open_input
from dunefall.engine.devices.keys import Keys, open_keys
from dunefall.engine.devices.outlet import Outlet
from dunefall.engine.devices.output import fitting_rate, raise_thread_priority
from dunefall.engine.live import LiveTap
from dunefall.engine.messages import EngineOptions
from dunefall.engine.seeking import SeekJob, nearer
from dunefall.engine.shared import SharedState, Status
from dunefall.engine.sounding import Sounding
from dunefall.engine.tracing import TraceSlots
from dunefall.patch.model import Patch, Place
from dunefall.patch.take import Entry, Heard, Note
from dunefall.render.clickcount import count_clicks
from dunefall.render.performance import by_hand
from dunefall.render.player import NOW, Player, Step, glide, wants_note
from dunefall.render.portrait import portrait

__all__ = ["run_engine"]

JOIN_AHEAD_S = 0.1
MOST_AT_A_TIME = 4
"""Programs that are kept here, so that it is not the audio thread that frees the one it does not need any more."""
FAILED = "The sound engine failed and was started again; nothing is lost."
RESPONSE_S = 0.2
"""Length of the impulse responses from which the window's curves are made."""


def run_engine(pipe: Connection, shared_name: str, options: EngineOptions) -> None:
    """Entry of the engine's process."""
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
    def __init__(self, pipe: Connection, shared: SharedState, options: EngineOptions) -> None:
        self._pipe, self._shared, self._options = pipe, shared, options
        self._ready = self._opened = self._left = False
        self._watched: tuple[str, ...] = ()
        self._clicks = 0.0
        self._maker: subprocess.Popen[bytes] | None = None
        self._clicked: dict[str, float] = {}
        self._patch = Patch()
        self._program: Program | None = None
        self._sounding: Sounding | None = None
        self._outlet = Outlet(self._tell)
        self._probes: list[Place | None] = [None] * PROBES
        self._slots = TraceSlots(shared)
        self._recent: deque[Program] = deque(maxlen=MOST_AT_A_TIME)
        self._faulty: tuple[str, ...] = ()
        self._news: deque[object] = deque()
        self._keys: Keys | None = None
        self._keyboards: tuple[str, ...] = ()
        self._tap = LiveTap(options.rate, self._recording_began)
        self._seek: SeekJob | None = None
        self._deferred: deque[object] = deque()
        self._code = LoopCode()
        self._monitor = say.Monitor()
        self._answers: dict[type, Callable[..., None]] = {
            say.Prepare: self._get_ready,
            say.Watch: self._watch,
            say.Open: self._open,
            say.Seek: self._start_seek,
            say.SetPatch: self._set_patch,
            say.Act: self._act,
            say.Play: lambda message: self._sound().later(lambda: self._sound().set_playing(True, message.fade_s)),
            say.Stop: lambda _: self._sound().later(lambda: self._sound().set_playing(False)),
            say.Probe: self._set_probe,
            say.Monitor: self._set_monitor,
            say.SetDevice: self._set_device,
            say.AskCheckpoint: self._give_checkpoint,
            say.AskPortrait: self._give_portrait,
            say.AskClicks: self._give_clicks,
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
        busy = self._seek is not None and not self._seek.join
        if self._deferred and not busy:
            return self._deferred.popleft()
        if not self._pipe.poll(0.0 if self._seek is not None else 0.02):
            return None
        message: object = self._pipe.recv()
        if busy and isinstance(message, say.SetPatch | say.Act):
            self._deferred.append(message)
            return None
        return message

    def close(self) -> None:
        """Stop everything and let go of the shared memory."""
        self._close_devices()
        self._code.close()
        if self._maker is not None:
            self._maker.kill()
            self._maker.wait()
        self._program = self._seek = None
        self._recent.clear()
        self._slots.let_go()
        if self._sounding is not None:
            self._sounding.let_go()
        self._shared.close()

    def _tell(self, message: object) -> None:
        try:
            self._pipe.send(message)
        except (BrokenPipeError, OSError):
            raise SystemExit(0) from None

    def _sound(self) -> Sounding:
        if self._sounding is None:
            self._sounding = Sounding(self._shared, self._options.rate, self._options.frames)
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
        self._tell_clicks(self._program)
        if faulty != self._faulty:
            self._faulty = faulty
            self._tell(say.Faults(faulty))
        self._code.poll(self._program)
        if self._seek is not None:
            self._go_on_seeking(self._seek)
        self._outlet.maintain(self._sound(), self._shared)
        self._sound().checkpoints.maintain()
        self._tap.keep()
        self._sound().last_minutes.keep()
        if self._sound().failure:
            self._leave(FAILED, self._sound().failure)
        elif self._outlet.back:
            self._leave("The sound device is back, and the sound goes on there.")

    def _tell_clicks(self, program: Program) -> None:
        """Each layer that has clicked since it was looked at last."""
        clicks = program.memory.clicks
        if clicks[COUNT::CLICK_STATE].sum() == self._clicks:
            return
        self._clicks = float(clicks[COUNT::CLICK_STATE].sum())
        ends = program.plan.modules["lane_end"]
        for name, place in program.module_at.items():
            at = CLICK_STATE * (int(ends[place]) - 1)
            if at >= 0 and clicks[at + COUNT] != self._clicked.get(name, 0.0):
                self._clicked[name] = float(clicks[at + COUNT])
                if clicks[at + COUNT] > 0:
                    where, size = int(clicks[at + PLACE]), float(clicks[at + SIZE])
                    self._tell(say.Clicked(name, where, size, int(clicks[at + COUNT])))

    # -- programs -----------------------------------------------------------------------------------------------

    def _get_ready(self, message: say.Prepare) -> None:
        """Load what the patch needs; an idle process meanwhile compiles the remaining modules."""
        self._maker = prepare_idly(message.types, catalogue())
        built_in()
        freeze_loaded_objects()
        self._tell_of_caches()
        self._tell(say.Prepared())

    def _tell_of_caches(self) -> None:
        if trouble := trouble_of_caches():
            self._tell(say.Trouble(trouble))

    def _prepare(self, patch: Patch) -> None:
        """Compile or load what a patch needs."""
        types = [module.type for module in patch.modules()]
        if not self._ready:
            prepare(types, lambda done, total, name: self._tell(say.Progress(done, total, name)))
            built_in()
            self._ready = loaded = True
        else:
            loaded = prepare_beside(types)
        if loaded:
            freeze_loaded_objects()
        self._tell_of_caches()

    def _compile(self, patch: Patch) -> Program:
        self._prepare(patch)
        program = compile_patch(patch, rate=self._options.rate, probed=self._probed)
        self._code.use(program)
        return program

    def _open(self, message: say.Open) -> None:
        note = self._fit()
        take = message.take.at_rate(self._options.rate)
        position = round(message.position * self._options.rate / message.take.rate_hz)
        self._seek = None
        self._patch = take.patch_at(position + 1)
        program = self._compile(self._patch)
        start = position // QUANTUM * QUANTUM
        program.memory.position[0] = start
        sounding, player = self._sound(), self._player(program)
        room = Room(program, self._probed)

        def begin() -> None:
            sounding.checkpoints.forget()
            sounding.checkpoints.begin(room)
            sounding.sound(player)

        sounding.later(lambda: sounding.set_playing(False))
        sounding.later(begin, after_fade=True)
        if message.playing:
            sounding.later(lambda: sounding.set_playing(True))
        if position > 0:
            self._seek = SeekJob(take, start, None, join=True)
        self._outlet.open(self._options, sounding, layout_of(self._patch.layout).channels, note)
        if not self._opened:
            self._opened = True
            raise_thread_priority()
            self._open_keys()
            self._tell(say.Prepared())

    @property
    def _probed(self) -> tuple[Place, ...]:
        watched = (name.partition(".") for name in self._watched)
        return (*(place for place in self._probes if place), *(Place(module, port) for module, _, port in watched))

    def _show(self, program: Program) -> Traces:
        """Let the window see this program from now on; gives where it writes what is shown."""
        self._program = program
        self._recent.append(program)
        self._keyboards = tuple(m.id for m in program.patch.modules() if (spec := spec_of(m.type)) and spec.keys)
        self._listen(program.live)
        traces = self._slots.traces(program, self._probes)
        self._tell(say.ProgramRuns(self._slots.places, program.input_at, program.asleep))
        return traces

    def _player(self, program: Program) -> Player:
        player = Player(program, self._show(program), MOST_CHANNELS)
        player.live = self._tap.read
        return player

    def _set_patch(self, message: say.SetPatch) -> None:
        before, self._patch = self._patch, message.patch
        if before == message.patch or self._program is None:
            return
        self._leave_join()
        if same_structure(before, message.patch):
            self._do(glide(before, message.patch), message.number)
        else:
            self._swap(message.patch, message.number)

    def _swap(self, patch: Patch, number: int = 0) -> None:
        """Another program, fading in; it takes over the state of the one before."""
        assert self._program is not None
        before, program = self._program, self._compile(patch)
        takeover = Takeover(program, before)
        traces, room = self._show(program), Room(program, self._probed)
        checkpoints = self._sound().checkpoints

        def act(player: Player) -> None:
            player.swap(program, traces, takeover)
            checkpoints.begin(room)

        self._do(act, number, structural=True)
        self._outlet.open(self._options, self._sound(), layout_of(patch.layout).channels)

    def _do(self, act: Callable[[Player], None], number: int, *, structural: bool = False) -> None:
        news = self._news

        def step(player: Player) -> None:
            act(player)
            if number:
                news.append(say.Applied(number, player.position))

        self._sound().do(Step(NOW, step, structural))

    def _act(self, message: say.Act) -> None:
        self._leave_join()
        self._do(by_hand(message.what), message.number)

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

    # -- seeking ------------------------------------------------------------------------------------------------

    def _start_seek(self, message: say.Seek) -> None:
        take = message.take.at_rate(self._options.rate)
        checkpoint = nearer(self._sound().checkpoints.nearest(message.position), message.kept, message.position)
        self._seek = SeekJob(take, message.position, checkpoint)
        self._patch = take.patch_at(message.position)

    def _go_on_seeking(self, job: SeekJob) -> None:
        if job.join:
            ahead = round(JOIN_AHEAD_S * self._options.rate) if self._shared.status[Status.PLAYING] else 0
            now = round(self._shared.status[Status.POSITION])
            if job.position - now < ahead // 2:
                job.goal = (now + ahead) // QUANTUM * QUANTUM
        if not job.work():
            return
        self._seek = None
        found = job.performance.player.program
        program = self._compile(found.patch)
        takeover = Takeover(program, found)
        traces, room = self._show(program), Room(program, self._probed)
        sounding, news = self._sound(), self._news
        at = job.position if job.join else NOW

        def act(player: Player) -> None:
            player.swap(program, traces, takeover)
            if not job.join:
                sounding.checkpoints.forget_after(job.position)
            sounding.checkpoints.begin(room)
            news.append(say.Sought(job.position))

        sounding.do(Step(at, act, structural=True), after_fade=not job.join)

    def _leave_join(self) -> None:
        """What is changed by hand while the sound still waits for its own state goes before that."""
        if self._seek is not None and self._seek.join:
            self._seek = None

    def _give_checkpoint(self, message: say.AskCheckpoint) -> None:
        self._tell(say.GotCheckpoint(self._sound().checkpoints.nearest(message.position)))

    def _give_portrait(self, message: say.AskPortrait) -> None:
        spec = spec_of(message.type_id)
        if spec is not None:
            seconds = RESPONSE_S if spec.shows_as == "response" else None
            self._tell(say.GotPortrait(message, portrait(spec, message.params, message.sound, seconds, message.series)))

    def _give_clicks(self, message: say.AskClicks) -> None:
        rate = self._options.rate
        counts = tuple(count_clicks(patch, message.end, message.seconds, rate) for patch in message.patches)
        self._tell(say.GotClicks(message, counts))

    # -- device -------------------------------------------------------------------------------------------------

    def _set_monitor(self, message: say.Monitor) -> None:
        self._monitor = self._sound().monitor = message

    def _set_device(self, message: say.SetDevice) -> None:
        """Other devices, rate or block: the sound goes on at the same place."""
        if self._outlet.lost:
            self._leave("The sound engine was started again for the new device.")
            return
        playing = bool(self._shared.status[Status.PLAYING])
        self._close_devices()
        old_rate = self._options.rate
        self._options = message.options
        note = self._fit()
        self._tap = LiveTap(self._options.rate, self._recording_began)
        before, self._sounding = self._sounding, None
        sounding = self._sound()
        if self._program is not None and before is not None and before.player is not None:
            found = before.player.program
            program = self._compile(self._patch)
            Takeover(program, found).apply()
            sounding.player = self._player(program)
            if old_rate == self._options.rate:
                sounding.checkpoints = before.checkpoints
            sounding.checkpoints.begin(Room(program, self._probed))
            sounding.set_playing(playing)
        self._outlet.open(self._options, sounding, layout_of(self._patch.layout).channels, note)
        self._open_keys()

    def _fit(self) -> str:
        """Run at a rate that the device has; gives a sentence where it is another than the one asked for."""
        if self._outlet.is_open:
            return ""
        asked, rate = self._options.rate, fitting_rate(self._options.audio, self._options.rate)
        self._options = replace(self._options, rate=rate)
        return "" if rate == asked else f"The sound device runs at {rate / 1000:g} kHz, and so does Dunefall now."

    def _close_devices(self) -> None:
        if self._keys is not None:
            self._keys.stop()
            self._keys = None
        self._outlet.close()
        self._listen(False)
        self._tap.keep()
        self._tap.end()

    def _listen(self, on: bool) -> None:
        """Open the live input while somebody listens to it, and only then."""
        if on and self._tap.source is None:
            try:
                self._tap.source = open_input(self._options.live, self._options.rate)
            except DeviceError as error:
                self._tap.source = open_input("simulated", self._options.rate)
                self._tell(say.Trouble(f"{error}. Using the simulated microphone instead."))
        elif not on and self._tap.source is not None:
            source, self._tap.source = self._tap.source, None
            source.stop()

    def _recording_began(self, at: int, path: Path) -> None:
        self._tell(say.Happened(Entry(at, Heard(str(path)))))

    def _open_keys(self) -> None:
        try:
            self._keys = open_keys(self._options.keys, self._key_played, self._key_turned)
        except DeviceError as error:
            self._tell(say.Trouble(f"{error}."))

    def _key_turned(self, controller: int, place: float) -> None:
        """A controller moved (in the keyboard's thread): the window knows what depends on it."""
        self._news.append(say.Turned(controller, place))

    def _key_played(self, note: float, velocity: float, channel: int) -> None:
        """A key went down or up (in the keyboard's thread): every Keyboard module that wants it plays it."""
        news = self._news
        for module in self._keyboards:
            what = Note(module, note, velocity)

            def step(player: Player, what: Note = what) -> None:
                if velocity == 0.0 or wants_note(player.program, what.module, note, channel):
                    by_hand(what)(player)
                    news.append(say.Happened(Entry(player.position, what)))

            self._sound().do(Step(NOW, step))
