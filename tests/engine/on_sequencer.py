"""MIDI through ALSA's sequencer, against other clients of it: run by ``test_sequencer.py``, where there is one.

The others send and receive by ALSA's own events, not by bytes, so that both directions are read by somebody else.
"""

from __future__ import annotations

import os
import random
import statistics
import threading
import time
from collections.abc import Iterator

import alsa_midi as alsa
import mido
import pytest

from dunefall.engine.devices import sequencer
from dunefall.engine.devices.keys import RealKeys, Takes, open_keys
from dunefall.engine.devices.midiout import open_midi_out
from dunefall.engine.devices.sequencer import SequencerPort, port_names
from dunefall.session.clockin import TickFilter
from rig import until


class Other:
    """Another instrument or program."""

    def __init__(self, name: str, *, plays: bool) -> None:
        self.client = alsa.SequencerClient(name)
        self.port = self.client.create_port(f"{name} 1", alsa.READ_PORT if plays else alsa.WRITE_PORT)

    def play(self, *events: alsa.Event) -> None:
        for event in events:
            self.client.event_output(event, port=self.port)
        self.client.drain_output()

    def close(self) -> None:
        self.client.close()


@pytest.fixture(autouse=True)
def sequencer_is_there(monkeypatch: pytest.MonkeyPatch, tmp_path_factory: pytest.TempPathFactory) -> None:
    if not sequencer.SEQUENCER.exists():  # its stand-in answers, but is no file
        there = tmp_path_factory.mktemp("snd") / "seq"
        there.touch()
        monkeypatch.setattr(sequencer, "SEQUENCER", there)


@pytest.fixture
def keyboard() -> Iterator[Other]:
    other = Other("Gauge keys", plays=True)
    yield other
    other.close()


class Heard:
    """What came in."""

    def __init__(self) -> None:
        self.keys: list[tuple[float, float, int]] = []
        self.at_s: list[float] = []
        self.turns: list[tuple[int, float]] = []
        self.times: list[tuple[str, float, int]] = []

    def takes(self) -> Takes:
        return Takes(self._key, lambda *turn: self.turns.append(turn), lambda *tick: self.times.append(tick))

    def _key(self, note: float, velocity: float, channel: int, at_s: float) -> None:
        self.keys.append((note, velocity, channel))
        self.at_s.append(at_s)


def note(key: int, velocity: int = 127, channel: int = 0) -> alsa.Event:
    return alsa.NoteOnEvent(key, channel=channel, velocity=velocity)


def opened(choice: str, heard: Heard) -> RealKeys:
    keys = open_keys(choice, heard.takes())
    assert isinstance(keys, RealKeys)
    return keys


def test_a_keyboard_is_found_by_its_name_and_plays(keyboard: Other) -> None:
    """Note-on with velocity 0 lets go; 127 is full velocity (MIDI 1.0 specification, from memory)."""
    heard = Heard()
    assert port_names(plays=True) == ["Gauge keys 1"], "neither those of the system nor the one that only goes through"
    keys = opened("gauge", heard)
    assert (keys.name, keys.told) == ("Gauge keys 1", "")
    begun = time.monotonic()
    keyboard.play(
        note(60), note(60, 0), note(62, 64, 3), alsa.ControlChangeEvent(0, 1, 5), alsa.PitchBendEvent(0, 8191),
        alsa.SysExEvent(bytes([0xF0, *[1] * 600, 0xF7])), alsa.ActiveSensingEvent(),
        alsa.SongPositionPointerEvent(0, 32), alsa.ContinueEvent(), alsa.ClockEvent(), alsa.StopEvent(),
    )  # fmt: skip
    assert until(lambda: len(heard.times) == 4)
    keys.stop()
    assert heard.keys == [(60.0, 1.0, 1), (60.0, 0.0, 1), (62.0, 64 / 127, 4), (62.0, 0.0, 4)], "what is held is let go"
    assert heard.turns == [(1, 5 / 127), (128, 1.0)]
    assert [(what, place) for what, _, place in heard.times] == [
        ("place", 32),
        ("continue", 0),
        ("tick", 0),
        ("stop", 0),
    ]
    assert all(begun <= at <= time.monotonic() for at in heard.at_s)


def test_it_is_taken_again_when_it_comes_back(keyboard: Other) -> None:
    heard = Heard()
    keys = opened("gauge", heard)
    keyboard.play(note(60))
    assert until(lambda: heard.keys == [(60.0, 1.0, 1)])
    keyboard.close()
    assert until(lambda: heard.keys[1:] == [(60.0, 0.0, 1)]), "pulled out with a key down"
    assert keys.name == ""
    back = Other("Gauge keys", plays=True)
    assert until(lambda: keys.name == "Gauge keys 1")
    back.play(note(64))
    assert until(lambda: heard.keys[2:] == [(64.0, 1.0, 1)])
    keys.stop()
    back.close()


def test_one_that_is_not_there_yet_is_waited_for() -> None:
    heard = Heard()
    keys, first = opened("gauge", heard), opened("auto", heard)
    assert keys.told == (
        "There is no MIDI input “gauge” yet; it is used as soon as it is there. This machine has: none."
    )
    assert (first.name, first.told) == ("", ""), "nobody asked for it"
    other, wanted = Other("Attic pads", plays=True), Other("Gauge keys", plays=True)
    assert until(lambda: (keys.name, first.name) == ("Gauge keys 1", "Attic pads 1"))
    for each in (keys, first):
        each.stop()
    for end in (other, wanted):
        end.close()


def test_when_a_key_went_down_is_known_though_the_program_is_late(keyboard: Other) -> None:
    heard, played = Heard(), list[float]()
    late = threading.Event()

    def slow(*key: float) -> None:
        late.wait(0.2)
        heard.at_s.append(key[3])

    keys = open_keys("gauge", Takes(slow, lambda *turn: None, lambda *tick: None))
    assert keys is not None
    for k in range(4):
        played.append(time.monotonic())
        keyboard.play(note(60 + k))
        time.sleep(0.03)
    assert until(lambda: len(heard.at_s) == 4)
    found = heard.at_s[:]
    keys.stop()
    off = [at - told for at, told in zip(played, found, strict=True)]
    assert max(map(abs, off)) < 5e-3, off


def test_a_clock_is_followed_through_the_sequencer(keyboard: Other) -> None:
    """Four bars at 87.3 BPM with 3 ms of jitter, against what was sent, as this machine let it be sent."""
    heard, filtered, true = Heard(), TickFilter(), TickFilter()
    keys = opened("gauge", heard)
    sent = _ticked(keyboard)
    assert until(lambda: len(heard.times) == len(sent))
    keys.stop()
    off = list[float]()
    for (_, at, _), (first, last) in zip(heard.times, sent, strict=True):
        # Where the machine stood still while a tick was sent, all that is known is between what it was sent.
        when = first if last - first < 5e-3 else min(max(at, first), last)
        filtered.take(at)
        true.take(when)
        off.append(abs(at - when))
    assert abs(filtered.period_s / true.period_s - 1.0) < 2e-4
    assert statistics.median(off) < 1e-3


def _ticked(keyboard: Other) -> list[tuple[float, float]]:
    """Between what each tick was sent; where the machine stood still, the clock goes on from there."""
    dice, period, begun = random.Random(3), 60.0 / (24 * 87.3), time.monotonic() + 0.1
    sent = list[tuple[float, float]]()
    for k in range(16 * 24):
        due = begun + k * period + dice.uniform(-3e-3, 3e-3)
        time.sleep(max(0.0, due - time.monotonic()))
        first = time.monotonic()
        begun += first - due if first - due > 5e-3 else 0.0
        keyboard.play(alsa.ClockEvent())
        sent.append((first, time.monotonic()))
    return sent


def received(other: Other, count: int) -> list[alsa.Event]:
    found = list[alsa.Event]()

    def take() -> None:
        while len(found) < count:
            found.append(other.client.event_input())

    thread = threading.Thread(target=take, daemon=True)
    thread.start()
    thread.join(20)
    return found


def test_others_are_played_and_again_when_they_come_back() -> None:
    told: list[str] = []
    drums = Other("Bench drums", plays=False)
    port = open_midi_out("drums", "Dunefall out", told.append)
    assert isinstance(port, SequencerPort)
    assert port.other == "Bench drums 1"
    port.send(mido.Message("note_on", note=61, velocity=90, channel=2))
    port.send(mido.Message("control_change", control=7, value=11))
    port.send(mido.Message("pitchwheel", pitch=-8192))
    port.send(mido.Message("songpos", pos=300))
    port.send(mido.Message("clock"))
    played, moved, bent, place, tick = received(drums, 5)
    assert isinstance(played, alsa.NoteOnEvent)
    assert (played.note, played.velocity, played.channel) == (61, 90, 2)
    assert isinstance(moved, alsa.ControlChangeEvent)
    assert (moved.param, moved.value) == (7, 11)
    assert isinstance(bent, alsa.PitchBendEvent)
    assert bent.value == -8192
    assert isinstance(place, alsa.SongPositionPointerEvent)
    assert place.value == 300
    assert isinstance(tick, alsa.ClockEvent)
    drums.close()
    assert until(lambda: port.other == "")
    port.send(mido.Message("note_on", note=62))  # nobody hears it, and it is no fault
    drums = Other("Bench drums", plays=False)
    assert until(lambda: port.other == "Bench drums 1")
    port.send(mido.Message("note_on", note=63))
    (again,) = received(drums, 1)
    assert again.note == 63
    port.close()
    assert told == []
    late = open_midi_out("Attic", "Dunefall out", told.append)
    assert late is not None
    assert told == [
        "There is no MIDI output “Attic” yet; it is used as soon as it is there. This machine has: Bench drums 1."
    ]
    late.close()
    drums.close()


def test_nothing_is_left_behind() -> None:
    before = threading.active_count(), len(os.listdir("/proc/self/fd"))
    for _ in range(3):
        keys = opened("auto", Heard())
        assert port_names(plays=False) == [], "nor is a port of ours offered to ourselves"
        keys.stop()
    assert (threading.active_count(), len(os.listdir("/proc/self/fd"))) == before
