"""Events out, on the clock of the audio: MIDI read by mido, tables by csv."""

from __future__ import annotations

import csv
from dataclasses import replace
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile

from dunefall.base.errors import ParameterError
from dunefall.deliver.events import gates_of, heard_events, moved_values, write_events, write_movements
from dunefall.deliver.job import Job, Source
from dunefall.deliver.making import make
from dunefall.deliver.plan import tasks_of
from dunefall.patch.model import Layer, Link, Module, Patch, Place

RATE = 48000


def ticking() -> Patch:
    """A clock of 0.25 s that starts an envelope, at 120 BPM."""
    modules = (
        Module("clock", "clock", "Clock", {"sync": 1.0, "period_s": 0.25}), Module("env", "envelope", "Env"),
        Module("osc", "oscillator", "Osc"), Module("vca", "amplifier", "Vca"),
        Module("a-output", "output", "Out"),
    )  # fmt: skip
    links = (
        Link("1", Place("clock", "gate"), Place("env", "trigger"), 1.0),
        Link("2", Place("osc", "out"), Place("vca", "audio"), 1.0),
        Link("3", Place("env", "out"), Place("osc", "level"), 0.5),
        Link("4", Place("vca", "out"), Place("a-output", "audio"), 1.0),
    )  # fmt: skip
    return Patch(tempo_bpm=120.0, layers=(Layer("shared", "Shared"), Layer("a", "A", modules=modules)), links=links)


def test_gates_become_notes_at_their_times(tmp_path: Path) -> None:
    places = gates_of(ticking())
    assert places == (Place("clock", "gate"),)
    events = heard_events(Source.of(ticking()), places, rate=RATE, seconds=2.1)
    assert [round(event.on_s, 4) for event in events] == [round(0.25 * k, 4) for k in range(9)]
    write_events(events, ticking(), tmp_path / "a.mid")
    file = mido.MidiFile(tmp_path / "a.mid")
    heard, now = [], 0.0
    for message in file:
        now += message.time
        if message.type == "note_on":
            heard.append(now)
    np.testing.assert_allclose(heard, [event.on_s for event in events], atol=0.001)
    assert file.tracks[1].name == "Clock gate"


def test_events_as_a_table(tmp_path: Path) -> None:
    events = heard_events(Source.of(ticking()), gates_of(ticking()), rate=RATE, seconds=1.0, start_s=0.5)
    write_events(events, ticking(), tmp_path / "a.csv")
    rows = list(csv.DictReader((tmp_path / "a.csv").read_text().splitlines()))
    assert len(rows) == 4
    assert [float(row["on_s"]) for row in rows] == pytest.approx([0.0, 0.25, 0.5, 0.75], abs=0.002)
    assert {row["module"] for row in rows} == {"Clock"}
    with pytest.raises(ParameterError, match=r"into a \.mid or a \.csv"):
        write_events(events, ticking(), tmp_path / "a.txt")


def test_movements_of_outputs_and_parameters(tmp_path: Path) -> None:
    places = [Place("env", "out"), Place("osc", "level")]
    rows = moved_values(Source.of(ticking()), places, rate=RATE, seconds=1.0, every_hz=100.0)
    assert len(rows) == pytest.approx(100, abs=2)
    table = np.array(rows)
    assert table[:, 0] == pytest.approx(np.arange(len(rows)) / 100, abs=0.002)
    assert np.ptp(table[:, 1]) > 0.5
    moved = np.corrcoef(table[:, 1], table[:, 2])[0, 1]
    assert moved > 0.9, "the level follows the envelope that moves it"
    write_movements(rows, places, tmp_path / "m.csv")
    assert (tmp_path / "m.csv").read_text().splitlines()[0] == "time_s,env.out,osc.level"
    with pytest.raises(ParameterError, match=r'no output or parameter "env\.nothing"'):
        moved_values(Source.of(ticking()), [Place("env", "nothing")], rate=RATE, seconds=1.0, every_hz=10.0)
    with pytest.raises(ParameterError, match="times a second"):
        moved_values(Source.of(ticking()), places, rate=RATE, seconds=1.0, every_hz=1e6)


def test_events_and_movements_of_a_job_are_on_the_clock_of_its_sound(tmp_path: Path) -> None:
    """A tick that came before the sound begins is none of its events, though its gate is still high."""
    late = replace(ticking(), layers=(ticking().layers[0], *ticking().layers[1:]))
    job = Job(
        seconds=1.3,
        start_s=0.1003,
        events="csv",
        movements=("env.out",),
        every_hz=100.0,
        folder=str(tmp_path),
        name="a",
    )
    (task,) = tasks_of(job, Source.of(late), "2026-11-29T12:00:00")
    (file,) = make(task)
    assert file.names == ("a.wav", "a events.csv", "a movements.csv")
    rows = list(csv.DictReader((tmp_path / "a events.csv").read_text().splitlines()))
    first = round(0.1003 * RATE)
    expected = [(12000 * k - first) / RATE for k in range(1, 6)]
    np.testing.assert_allclose([float(row["on_s"]) for row in rows], expected, atol=1.5 / RATE)
    with pytest.raises(ParameterError, match="not for loops or hits"):
        replace(job, ends="loop").checked()
    with pytest.raises(ParameterError, match="already exist"):
        tasks_of(job, Source.of(late))
    with pytest.raises(ParameterError, match=r'"env\.nothing"'):
        make(tasks_of(replace(job, name="b", movements=("env.nothing",)), Source.of(late))[0])


def test_a_head_that_is_trimmed_is_no_time_of_the_events(tmp_path: Path) -> None:
    """The envelope's first strike comes with the first tick: a silence before it is taken away from both."""
    quiet = ticking().with_param("osc", "level", 0.0)
    clock = quiet.module("clock")
    quiet = quiet.with_module(replace(clock, params={**clock.params, "period_s": 0.5}))
    quiet = quiet.with_param("env", "decay_s", 0.02)
    job = Job(seconds=2.0, start_s=0.3, trim_db=-60.0, events="mid", folder=str(tmp_path), name="a")
    (file,) = make(tasks_of(job, Source.of(quiet), "2026-11-29T12:00:00")[0])
    heard, now = [], 0.0
    for message in mido.MidiFile(tmp_path / "a events.mid"):
        now += message.time
        if message.type == "note_on":
            heard.append(now)
    sound, _ = soundfile.read(tmp_path / "a.wav")
    loud = np.flatnonzero(np.abs(sound).max(axis=1) > 10 ** (-60 / 20))[0] / RATE
    assert file.measures.seconds < 2.0
    assert min(abs(on - loud) for on in heard) < 0.005
