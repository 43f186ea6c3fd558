"""Notes, controllers and numbers that go out: what the patch plays, at its time, and never a note that hangs."""

from __future__ import annotations

import socket
from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from pythonosc.osc_packet import OscPacket

from dunefall.base.errors import DeviceError
from dunefall.base.layouts import MOST_CHANNELS
from dunefall.catalogue.doubts import doubts
from dunefall.catalogue.linking import new_link
from dunefall.catalogue.story import module_story
from dunefall.compiler.build import compile_patch
from dunefall.compiler.takeover import Takeover
from dunefall.deliver.events import heard_events
from dunefall.deliver.job import Source
from dunefall.engine import sounding as sounding_module
from dunefall.engine.client import EngineClient
from dunefall.engine.devices.midiout import SimulatedPort
from dunefall.engine.devices.osc import OscOutput, destination
from dunefall.engine.devices.sending import SAFE_S, Sender, open_sending, sending
from dunefall.engine.messages import EngineOptions
from dunefall.engine.outgoing import MOST_SENT
from dunefall.engine.shared import SharedState
from dunefall.engine.sounding import Sounding
from dunefall.engine.tracing import TraceSlots
from dunefall.patch.model import Link, Module, Patch, Place
from dunefall.patch.take import Note
from dunefall.render.performance import by_hand
from dunefall.render.player import NOW, Player, Step, glide
from rig import patch_of, until

RATE, FRAMES = 48000.0, 512
LATE_S = FRAMES / RATE + SAFE_S
"""A note is sent so much after its sample was worked out."""


class Desk:
    """A sound whose blocks come at times that the test sets, and what is sent of it."""

    def __init__(self, patch: Patch, monkeypatch: pytest.MonkeyPatch, osc: OscOutput | None = None) -> None:
        self.now_s, self.sent = 100.0, list[tuple[float, Any]]()
        monkeypatch.setattr(sounding_module.time, "monotonic", lambda: self.now_s)
        self.shared = SharedState()
        self.slots = TraceSlots(self.shared)
        self.sounding = Sounding(self.shared, RATE, FRAMES)
        self.program = compile_patch(patch, rate=RATE)
        outgoing = self.sounding.outgoing
        player = Player(self.program, self.slots.traces(self.program, [], outgoing.rows(self.program)), MOST_CHANNELS)
        self.sounding.later(lambda: self.sounding.sound(player))
        self.sounding.later(lambda: self.sounding.set_playing(True))
        self.sender = Sender(outgoing, RATE, FRAMES / RATE, self, osc)
        self.dice, self.jitter_s, self.begun_s = np.random.default_rng(3), 0.0, 100.0

    def send(self, message: Any) -> None:
        self.sent.append((self.now_s, message))

    def close(self) -> None:
        pass

    def go_on(self, seconds: float) -> None:
        """Blocks, each a little early or late, and between them looks, as the thread takes them."""
        out = np.zeros((FRAMES, 2))
        for _ in range(round(seconds * RATE / FRAMES)):
            due_s = self.begun_s + self.dice.uniform(-self.jitter_s, self.jitter_s)
            while self.now_s < due_s:
                wait_s = self.sender.step(self.now_s)
                self.now_s += max(1e-5, min(wait_s, due_s - self.now_s + 1e-6))
            self.sounding.fill(out)
            self.begun_s += FRAMES / RATE

    def swap(self, patch: Patch) -> None:
        before, self.program = self.program, compile_patch(patch, rate=RATE)
        traces = self.slots.traces(self.program, [], self.sounding.outgoing.rows(self.program))
        takeover, program = Takeover(self.program, before), self.program
        self.sounding.do(Step(NOW, lambda player: player.swap(program, traces, takeover), structural=True))

    def of(self, kind: str) -> list[tuple[float, Any]]:
        return [(at, message) for at, message in self.sent if message.type == kind]

    def end(self) -> None:
        self.sounding.let_go()
        self.slots.let_go()
        del self.sounding, self.sender
        self.shared.close()


@pytest.fixture
def desk_of(monkeypatch: pytest.MonkeyPatch) -> Iterator[Any]:
    made = list[Desk]()

    def make(patch: Patch, osc: OscOutput | None = None) -> Desk:
        made.append(Desk(patch, monkeypatch, osc))
        return made[-1]

    yield make
    for desk in made:
        desk.end()


def melody(**values: float) -> Patch:
    """Eight steps of a melody, an eighth each, sent on channel 3."""
    modules = (
        Module("beat", "clock", "Beat", {"period_beats": 0.5}), Module("steps", "step-sequencer", "Steps"),
        Module("out", "note-out", "Out", {"channel": 2.0, **values}), Module("a-output", "output", "A"),
    )  # fmt: skip
    patch = patch_of(*modules, links=(("beat.gate", "steps.clock", 1.0), ("steps.gate", "out.gate", 1.0)))
    return patch.with_link(new_link(patch, Place("steps", "a"), Place("out", "notes")))


def test_notes_go_out_when_they_are_heard_though_blocks_come_early_and_late(desk_of: Any) -> None:
    """Against the events of a render, which are found sample by sample in another way."""
    patch = melody()
    desk = desk_of(patch)
    desk.jitter_s = 0.003
    desk.go_on(6.0)
    wanted = heard_events(Source.of(patch), [Place("steps", "gate")], rate=int(RATE), seconds=5.5)
    assert len(wanted) > 8
    ons = desk.of("note_on")
    assert [message.note for _, message in ons[: len(wanted)]] == [round(event.note) for event in wanted]
    assert {message.channel for _, message in ons} == {2}
    late = np.array([at - event.on_s for (at, _), event in zip(ons, wanted, strict=False)]) - 100.0
    assert np.ptp(late[4:]) < 0.0015, "no note is moved by more than 1 ms from its neighbours' distance"
    assert abs(np.median(late) - LATE_S) < 0.004
    offs = desk.of("note_off")
    lengths = [off - on for (on, _), (off, _) in zip(ons, offs, strict=False)]
    assert np.allclose(lengths[4 : len(wanted)], [e.off_s - e.on_s for e in wanted][4:], atol=0.0015)


def test_a_pitch_between_two_keys_bends_the_wheel(desk_of: Any) -> None:
    """The receiver's own arithmetic: key and wheel, of which 8192 are two semitones, give the pitch back."""
    modules = (Module("beat", "clock", "Beat"), Module("out", "note-out", "Out", {"notes": 57.37, "between": 1.0}))
    desk = desk_of(patch_of(*modules, links=(("beat.gate", "out.gate", 1.0),)))
    desk.go_on(1.5)
    ((_, note), *_) = desk.of("note_on")
    ((at, wheel), *_) = desk.of("pitchwheel")
    assert abs(note.note + 2.0 * wheel.pitch / 8192 - 57.37) < 2.0 / 8192
    assert at <= desk.of("note_on")[0][0], "the wheel stands before the key goes down"
    assert len(desk.of("pitchwheel")) == 1, "it stays there"
    desk.sounding.later(lambda: desk.sounding.set_playing(False))
    desk.go_on(0.5)
    assert desk.of("pitchwheel")[-1][1].pitch == 0, "the other instrument is left in tune"


def test_all_voices_of_a_layer_are_sent(desk_of: Any) -> None:
    chord = Module("chord", "keyboard", "Keys")
    modules = (chord, Module("out", "note-out", "Out"), Module("a-output", "output", "A"))
    patch = patch_of(*modules, links=(("chord.gate", "out.gate", 1.0),))
    patch = patch.with_link(new_link(patch, Place("chord", "pitch"), Place("out", "notes")))
    patch = patch.with_link(Link("force", Place("chord", "velocity"), Place("out", "force"), 1.0, -0.8))
    patch = patch.with_layer(replace(patch.layer("a"), voices=4))
    desk = desk_of(patch)
    desk.go_on(0.2)
    for note in (48.0, 55.0, 64.0):
        desk.sounding.do(Step(NOW, by_hand(Note("chord", note, 0.5))))
    desk.go_on(0.3)
    assert sorted(message.note for _, message in desk.of("note_on")) == [48, 55, 64]
    assert {message.velocity for _, message in desk.of("note_on")} == {64}
    desk.sounding.do(Step(NOW, by_hand(Note("chord", 55.0, 0.0))))
    desk.go_on(0.2)
    assert [message.note for _, message in desk.of("note_off")] == [55]


def test_no_note_hangs_when_the_sound_stops_or_its_module_goes(desk_of: Any) -> None:
    modules = (Module("high", "named-control", "High", {"value": 1.0}), Module("out", "note-out", "Out"))
    patch = patch_of(*modules, links=(("high.out", "out.gate", 1.0),))
    desk = desk_of(patch)

    def words() -> list[str]:
        return [message.type for _, message in desk.sent]

    desk.go_on(0.3)
    assert words() == ["note_on"]
    desk.sounding.later(lambda: desk.sounding.set_playing(False))
    desk.go_on(0.5)
    assert words() == ["note_on", "note_off"]
    desk.sounding.later(lambda: desk.sounding.set_playing(True))
    desk.go_on(0.3)
    assert words() == ["note_on", "note_off", "note_on"]
    desk.swap(patch.without_module("out"))
    desk.go_on(0.3)
    assert words()[3:] == ["note_off"]
    desk.swap(patch)
    desk.go_on(0.3)
    assert words()[4:] == ["note_on"]
    desk.swap(patch.with_module(replace(patch.module("out"), bypassed=True)))
    desk.go_on(0.3)
    assert words()[5:] == ["note_off"]
    desk.swap(patch)
    desk.go_on(0.3)
    desk.now_s += 2.0  # the sound hangs
    desk.sender.step(desk.now_s)
    assert words()[6:] == ["note_on", "note_off"]


def test_a_controller_is_sent_when_its_number_changes(desk_of: Any) -> None:
    knob = Module("knob", "controller-out", "Knob", {"value": 0.5, "controller": 74.0, "channel": 15.0})
    modules = (Module("wave", "lfo", "Wave", {"rate_hz": 1.0}), knob)
    patch = patch_of(*modules, links=(("wave.out", "knob.value", 0.5),))
    desk = desk_of(patch)
    desk.go_on(2.2)
    sent = desk.of("control_change")
    assert {(message.control, message.channel) for _, message in sent} == {(74, 15)}
    values = [message.value for _, message in sent]
    assert min(values) <= 1
    assert max(values) >= 126
    assert all(a != b for a, b in pairwise(values))
    assert min(b - a for (a, _), (b, _) in pairwise(sent)) > 0.005, "some hundred a second at most"
    after = patch.with_param("knob", "channel", 4.0)
    desk.sounding.outgoing.follow(after)
    desk.sounding.do(Step(NOW, glide(patch, after)))
    desk.go_on(0.3)
    assert desk.of("control_change")[-1][1].channel == 4


def test_what_is_at_rest_is_sent_once(desk_of: Any) -> None:
    desk = desk_of(patch_of(Module("knob", "controller-out", "Knob", {"value": 1.0})))
    desk.go_on(1.0)
    assert [message.value for _, message in desk.of("control_change")] == [127]


def test_numbers_go_to_the_address_of_their_name_at_their_rate(desk_of: Any) -> None:
    """Received by a real socket and taken apart by python-osc."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as ear:
        ear.bind(("127.0.0.1", 0))
        ear.settimeout(2.0)
        told: list[str] = []
        output = OscOutput(destination(str(ear.getsockname()[1])), told.append)
        values = {"value": 0.25, "low": -10.0, "high": 30.0, "rate_hz": 50.0}
        desk = desk_of(patch_of(Module("o", "osc-out", "Fog depth, low", values)), output)
        desk.go_on(2.0)
        output.close()
        ear.setblocking(False)
        heard = list[Any]()
        try:
            while True:
                heard += [timed.message for timed in OscPacket(ear.recv(65536)).messages]
        except BlockingIOError:
            pass
    assert {message.address for message in heard} == {"/dunefall/fog-depth-low"}
    assert {tuple(message.params) for message in heard} == {(0.0,)}
    assert 90 <= len(heard) <= 102
    assert not told


def test_a_destination_is_a_host_and_a_port() -> None:
    assert destination(" lights.local:9000 ") == ("lights.local", 9000)
    assert destination("[::1]:57120") == ("::1", 57120)
    for wrong in ("", "lights", "lights:", ":70000", "a b:9000", "x:\ud800", "1:2:x", "9" * 400):
        with pytest.raises(DeviceError, match=r"host and a port|a port is a number"):
            destination(wrong)
    told: list[str] = []
    nowhere = OscOutput(("no-such-host.invalid", 9000), told.append)
    nowhere.send("a", 0.5)
    nowhere.send("a", 0.6)
    assert len(told) == 1
    assert told[0].startswith("Open Sound Control cannot be sent to no-such-host.invalid:9000")
    nowhere.close()


def test_more_than_can_be_sent_is_left_out(desk_of: Any) -> None:
    knobs = [Module(f"k{k}", "controller-out", f"K{k}", {"controller": float(k)}) for k in range(MOST_SENT + 5)]
    desk = desk_of(patch_of(*knobs))
    desk.go_on(0.3)
    assert len({message.control for _, message in desk.of("control_change")}) == MOST_SENT


def test_what_sends_needs_nobody_who_listens() -> None:
    patch = melody()
    assert not any("leads to no output" in doubt for doubt in doubts(patch))
    assert "Nothing listens" not in module_story(patch, "out")
    assert not {"beat", "steps", "out"} & compile_patch(patch, rate=RATE).asleep


def test_a_port_that_refuses_is_told_of() -> None:
    class Refuses(SimulatedPort):
        def send(self, message: Any) -> None:
            raise RuntimeError("unplugged")

    shared, told = SharedState(), list[str]()
    sounding = Sounding(shared, RATE, FRAMES)
    program = compile_patch(patch_of(Module("knob", "controller-out", "Knob", {"value": 1.0})), rate=RATE)
    slots = TraceSlots(shared)
    player = Player(program, slots.traces(program, [], sounding.outgoing.rows(program)), MOST_CHANNELS)
    sounding.later(lambda: sounding.sound(player))
    sounding.later(lambda: sounding.set_playing(True))
    port = Refuses()
    going = sending(Sender(sounding.outgoing, RATE, FRAMES / RATE, port, None), (port,), told.append)
    out = np.zeros((FRAMES, 2))

    def play() -> bool:
        sounding.fill(out)
        return bool(told)

    assert until(play)
    assert told == ["Notes and controllers no longer go out: the port refuses (unplugged)."]
    going.close()
    assert port.closed
    sounding.let_go()
    slots.let_go()
    shared.close()
    with pytest.raises(DeviceError, match="no MIDI output"):
        open_sending(None, RATE, FRAMES, "Attic", "", told.append)  # type: ignore[arg-type]
    assert open_sending(None, RATE, FRAMES, "none", "", told.append) is None  # type: ignore[arg-type]


def test_the_engine_sends() -> None:
    """From the engine's own process to a socket, while it plays; what is edited is heard there."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as ear:
        ear.bind(("127.0.0.1", 0))
        ear.settimeout(60.0)
        port = ear.getsockname()[1]
        client = EngineClient(EngineOptions(audio="simulated", midi_out="simulated", osc_out=f"127.0.0.1:{port}"))
        try:
            patch = patch_of(Module("o", "osc-out", "Depth", {"value": 0.75}))
            client.set_patch(patch)
            client.play()

            def heard() -> float:
                client.poll()
                return float(OscPacket(ear.recv(65536)).messages[0].message.params[0])

            assert until(lambda: abs(heard() - 0.75) < 1e-6)
            client.set_patch(patch.with_param("o", "value", 0.125))
            assert until(lambda: abs(heard() - 0.125) < 1e-6)
        finally:
            client.close()
