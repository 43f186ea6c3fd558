"""What comes in: the live input with its recording, and MIDI keys; both become entries of the take."""

from __future__ import annotations

import math
import socket
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile
from pythonosc.osc_message_builder import OscMessageBuilder

from dunefall.base.errors import DeviceError
from dunefall.compiler.loop import run
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import no_traces
from dunefall.engine import messages as say
from dunefall.engine.client import EngineClient
from dunefall.engine.devices import sequencer
from dunefall.engine.devices.input import open_input, voice
from dunefall.engine.devices.keys import CLOCK, SHIPPED, SimulatedClock, Takes, open_keys
from dunefall.engine.devices.osc import OscInput, osc_name
from dunefall.engine.devices.sequencer import port_names, why_no_midi
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.changes import TempoSet
from dunefall.patch.model import Module, Place
from dunefall.patch.take import Edit, Heard, Note
from dunefall.render.offline import render_to_array
from dunefall.render.player import wants_note
from dunefall.session import Session
from rig import patch_of, until, watch_all

PATCH = patch_of(
    Module("mic", "live-input", "Mic", {"gate_db": -96}), Module("keys", "keyboard", "Keys"),
    Module("tone", "oscillator", "Tone"), Module("a-out", "output", "A"),
    links=(("mic.out", "a-out.audio", 1.0), ("keys.pitch", "tone.pitch_note", 1.0), ("tone.out", "a-out.audio", 0.1)),
)  # fmt: skip


DEAF = Takes(lambda *key: None, lambda *turned: None, lambda *ticked: None)


@pytest.fixture
def engine(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[EngineClient]:
    monkeypatch.setenv("DUNEFALL_DATA", str(tmp_path))
    client = EngineClient(EngineOptions(audio="simulated", live="simulated", keys="simulated"))
    client.set_patch(PATCH)
    client.wait_for(say.Prepared, 200)
    yield client
    client.close()


def play(engine: EngineClient, seconds: float) -> None:
    engine.play()
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        engine.poll()
        time.sleep(0.02)


def test_voice_and_keys_are_in_the_take_and_the_take_sounds_the_same_again(engine: EngineClient) -> None:
    engine.set_probe(0, Place("mic", "out"))
    play(engine, 4.0)
    assert engine.status[Status.PEAKS] > 0.001
    engine.stop()
    play_end = engine.position
    deadline = time.monotonic() + 5
    while time.monotonic() < deadline and (engine.status[Status.PLAYING] or engine.position != play_end):
        play_end = engine.position
        time.sleep(0.1)
        engine.poll()
    heard = [entry for entry in engine.take.entries if isinstance(entry.what, Heard)]
    notes = [entry for entry in engine.take.entries if isinstance(entry.what, Note)]
    assert len(heard) == 1
    assert notes
    assert {entry.what.module for entry in notes} == {"keys"}
    assert notes[0].what.note == 45.0  # the first low note of the shipped file
    recorded, rate = soundfile.read(heard[0].what.recording, dtype="float32")
    assert rate == 48000
    np.testing.assert_array_equal(recorded[:48000], voice(48000.0)[:48000])
    sounded = engine.probe(0, 9600)
    mic_only = engine.take.start.without_module("tone").without_module("keys")
    again = render_to_array(
        type(engine.take)(mic_only, 48000.0, (heard[0],)), seconds=engine.position / 48000 + 0.1, block=4096
    )
    straight = again[: engine.position, 0] / 10 ** (-12 / 20) / np.cos(np.pi / 4)
    np.testing.assert_allclose(sounded, straight[-9600:], atol=1e-6)


def test_the_microphone_is_open_only_while_somebody_listens(engine: EngineClient, tmp_path: Path) -> None:
    play(engine, 1.0)
    engine.set_patch(PATCH.without_module("mic"))
    play(engine, 0.5)
    (recording,) = (tmp_path / "recordings").iterdir()
    size = recording.stat().st_size
    play(engine, 0.5)
    assert recording.stat().st_size == size


def test_a_clock_starts_the_sound_which_goes_at_its_tempo_and_stops_with_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DUNEFALL_DATA", str(tmp_path))
    session = Session(PATCH, None, EngineOptions(audio="simulated", keys=CLOCK))
    session.clock.on = True
    try:

        def together() -> bool:
            session.poll()
            return session.playing and abs(session.patch.tempo_bpm / SimulatedClock.bpm - 1.0) < 1e-3

        assert until(together)
        assert session.clock.runs(time.monotonic())
        assert session.document.patch.tempo_bpm == session.engine.patch.tempo_bpm
        assert until(lambda: session.poll() is not None and session.seconds > 1.0)
        changes = [entry.what.changes for entry in session.engine.take.entries if isinstance(entry.what, Edit)]
        assert all(isinstance(change, TempoSet) for made in changes for change in made)
        assert changes, "what comes in is in the take"
        assert not session.document.undo_label, "undo leads to where it led"
    finally:
        session.close()


def test_what_is_not_there_is_said() -> None:
    with pytest.raises(DeviceError, match='no sound input "Attic"'):
        open_input("Attic", 48000.0)
    with pytest.raises(DeviceError, match="MIDI input “Attic”"):
        open_keys("Attic", DEAF)
    assert open_keys("none", DEAF) is None
    assert open_input("auto", 48000.0).simulated


def test_the_shipped_file_lets_go_of_every_note() -> None:
    held: set[int] = set()
    for message in mido.MidiFile(SHIPPED):
        if message.type == "note_on" and message.velocity:
            held.add(message.note)
        elif message.type in ("note_on", "note_off"):
            held.discard(message.note)
    assert not held


def test_the_simulated_voice_speaks_in_vowels_and_rests() -> None:
    """Loudest below 1 kHz, as a voice is; every fifth syllable is silence; the same each time."""
    spoken = voice(48000.0)
    spectrum = np.abs(np.fft.rfft(spoken))
    hz = np.fft.rfftfreq(len(spoken), 1 / 48000)
    assert 80 < hz[np.argmax(spectrum)] < 1000
    assert not spoken[round(4.05 * 0.4 * 48000) : round(4.95 * 0.4 * 48000)].any()
    assert np.abs(spoken).max() == pytest.approx(0.3)


def test_a_port_that_is_taken_is_told() -> None:
    first = OscInput(0)
    try:
        with pytest.raises(DeviceError, match=f"port {first.port} cannot be listened to"):
            OscInput(first.port)
        with pytest.raises(DeviceError, match="port 70000 cannot be listened to"):
            OscInput(70000)
    finally:
        first.close()


@pytest.mark.parametrize(("name", "address"), [("Fog depth", "fog-depth"), ("  Äther 2 ", "ther-2"), ("???", "")])
def test_names_in_addresses(name: str, address: str) -> None:
    assert osc_name(name) == address


def test_a_keyboard_module_takes_its_channel_and_its_keys() -> None:
    module = Module("k", "keyboard", "K", {"channel": 3, "lowest_note": 48, "highest_note": 60})
    program = watch_all(patch_of(module))
    run(program.plan, program.memory, no_traces(), np.zeros((QUANTUM, 2)))
    assert wants_note(program, "k", 48.0, 3)
    assert wants_note(program, "k", 60.0, 3)
    assert not wants_note(program, "k", 61.0, 3)
    assert not wants_note(program, "k", 47.0, 3)
    assert not wants_note(program, "k", 50.0, 4)


def _message(address: str, *values: float) -> bytes:
    builder = OscMessageBuilder(address)
    for value in values:
        builder.add_arg(value, "f")
    return bytes(builder.build().dgram)


def test_a_flood_of_packets_leaves_the_last_value_of_each_control(capfd: pytest.CaptureFixture[str]) -> None:
    """Each packet had a thread of its own; what is none is counted, and nothing is written to the terminal."""
    osc = OscInput(0)
    threads = threading.active_count()
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sender:
        sender.connect(("127.0.0.1", osc.port))
        for k in range(20_000):
            sender.send(_message("/dunefall/fog", (k % 1000) / 1000))
        assert threading.active_count() <= threads
        for packet in (b"", b"/x", b"#bundle\x00", b"\xff" * 2000, _message("/dunefall/" + "x" * 5000, math.nan),
                       _message("/dunefall/fog"), _message("/other", 1.0)):  # fmt: skip
            sender.send(packet)
        deadline = time.monotonic() + 10
        heard: dict[str, float] = {}
        while time.monotonic() < deadline and heard.get("fog") != 0.25:
            sender.send(_message("/dunefall/fog", 0.25))
            time.sleep(0.05)
            heard |= osc.taken()
        end = time.monotonic() + 10
        told = list[str]()
        while not any("no Open Sound Control" in text for text in told):
            assert time.monotonic() < end
            sender.send(b"\xff")
            time.sleep(0.02)
            told.append(osc.told())
        for _ in range(1000):
            sender.send(b"\xff")
        time.sleep(0.1)
        for _ in range(10):
            assert "no Open Sound Control" not in osc.told(), "once in ten seconds"
    assert set(heard) == {"fog"}
    assert all(len(text) < 200 for text in told)
    assert capfd.readouterr() == ("", "")
    osc.close()


def test_why_there_is_no_midi_is_told(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(sequencer, "SEQUENCER", tmp_path / "nowhere")
    assert "sequencer" in why_no_midi()[0]
    assert port_names(plays=True) == []
    with pytest.raises(DeviceError, match="no MIDI input “Attic”: this machine has no"):
        open_keys("Attic", DEAF)
    assert open_keys("auto", DEAF) is None
    (tmp_path / "seq").touch()
    monkeypatch.setattr(sequencer, "SEQUENCER", tmp_path / "seq")
    assert why_no_midi() == ("", "")
    monkeypatch.setattr(sequencer, "find_spec", lambda _: None)
    reason, cure = why_no_midi()
    assert "alsa-midi" in reason
    assert "pip install" in cure
