"""When things happen, as notes and tables: gates of any module as a Standard MIDI File or CSV, movements as CSV.

Source: Standard MIDI Files 1.0 (through ``mido``). The clock is that of the audio: time 0 is the file's first sample.
"""

from __future__ import annotations

import csv
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import mido
import numpy as np

from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.base.storage import whole
from dunefall.catalogue import spec_of
from dunefall.compiler.records import QUANTUM
from dunefall.deliver.job import Job, Source
from dunefall.deliver.rendering import Ear, compiled
from dunefall.patch.model import Patch, Place
from dunefall.render.performance import Performance

__all__ = [
    "Event",
    "beside",
    "gates_of",
    "heard_events",
    "moved_values",
    "write_beside",
    "write_events",
    "write_movements",
]

HIGH, TICKS = 0.5, 960
USUAL_NOTE, VELOCITY = 60.0, 100
LONGEST_MIDI_S = 86_400.0


@dataclass(frozen=True)
class Event:
    """A gate that was high.

    Attributes
    ----------
    place : Place
        The output.
    on_s, off_s : float
        When it rose and fell.
    note : float
        The pitch that the module gave with it, as a MIDI note number; 60 where it gives none.
    """

    place: Place
    on_s: float
    off_s: float
    note: float = USUAL_NOTE


def gates_of(patch: Patch) -> tuple[Place, ...]:
    """The gate outputs that something listens to, in the order of the patch.

    Parameters
    ----------
    patch : Patch
        The patch.

    Returns
    -------
    tuple of Place
    """
    used, found = {link.source for link in patch.links if link.on}, []
    for module in patch.modules():
        spec = spec_of(module.type)
        places = [Place(module.id, output.id) for output in spec.outputs if output.role == "gate"] if spec else []
        found += [place for place in places if place in used]
    return tuple(found)


def _pitch_of(patch: Patch, place: Place) -> Place | None:
    spec = spec_of(patch.module(place.module).type)
    found = [output.id for output in spec.outputs if output.role == "pitch"] if spec else []
    return Place(place.module, found[0]) if found else None


def heard_events(source: Source, places: Sequence[Place], *, rate: int, seconds: float, start_s: float = 0.0,
                 ear: Ear = lambda share: None) -> list[Event]:  # fmt: skip
    """All events of some outputs that begin within the time, in their order.

    Parameters
    ----------
    source : Source
        What is rendered.
    places : sequence of Place
        Gate outputs.
    rate : int
        Sample rate in Hz.
    seconds, start_s : float
        How long, and from where on.
    ear : Ear
        Is told how far it is.

    Returns
    -------
    list of Event
    """
    pitches = {place: _pitch_of(source.patch, place) for place in places}
    probed = sorted({*places, *(pitch for pitch in pitches.values() if pitch)}, key=str)
    performance = Performance(source.take.at_rate(float(rate)), probed=tuple(probed), compiled=compiled)
    skipped, total = round(start_s * rate), round(seconds * rate)
    out, begun, events = np.zeros((QUANTUM, performance.player.channels)), dict[Place, tuple[int, float]](), []
    was = dict.fromkeys(places, False)
    for at in range(0, skipped + total, QUANTUM):
        performance.fill(out)
        if at % (QUANTUM * 256) == 0:
            ear(at / (skipped + total))
        if at + 2 * QUANTUM < skipped:  # the last one before it tells what is high already
            continue
        program = performance.player.program
        for place in places:
            row = program.row_at.get((place.module, place.port))
            if row is None:
                continue
            high = program.memory.rows[row : row + QUANTUM] > HIGH
            for k in np.flatnonzero(np.diff(high.astype(np.int8), prepend=np.int8(was[place]))):
                now = at - skipped + int(k)
                if high[k] and now >= 0:
                    pitch = pitches[place]
                    held = program.row_at.get((pitch.module, pitch.port)) if pitch else None
                    note = float(program.memory.rows[held + int(k)]) if held is not None else USUAL_NOTE
                    begun[place] = (now, note)
                elif not high[k] and place in begun:
                    since, note = begun.pop(place)
                    events.append(Event(place, since / rate, now / rate, note))
            was[place] = bool(high[-1])
    events += [Event(place, since / rate, total / rate, note) for place, (since, note) in begun.items()]
    return sorted((e for e in events if e.on_s < seconds), key=lambda event: (event.on_s, str(event.place)))


def write_events(events: Sequence[Event], patch: Patch, path: Path) -> None:
    """Write events as a Standard MIDI File (``.mid``), a track for each output, or as CSV.

    Parameters
    ----------
    events : sequence of Event
        In order of time.
    patch : Patch
        Names and tempo.
    path : Path
        The file; its ending tells the kind.

    Raises
    ------
    ParameterError
        If the ending is another one.
    StorageError
        If it cannot be written.
    """
    if path.suffix not in (".mid", ".csv"):
        raise ParameterError(tr("events go into a .mid or a .csv file; got {name}", name=path.name))
    with whole(path) as part:
        if path.suffix == ".mid":
            _midi(events, patch).save(part)
        else:
            with part.open("w", newline="") as file:
                writer = csv.writer(file, lineterminator="\n")
                writer.writerow(("on_s", "off_s", "module", "output", "note"))
                for e in events:
                    name = patch.module(e.place.module).name
                    writer.writerow((f"{e.on_s:.6f}", f"{e.off_s:.6f}", name, e.place.port, f"{e.note:.3f}"))


def _midi(events: Sequence[Event], patch: Patch) -> mido.MidiFile:
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS)
    tempo = mido.bpm2tempo(patch.tempo_bpm)
    per_second = TICKS * 1e6 / tempo
    head = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=tempo)])
    file.tracks.append(head)
    for place in dict.fromkeys(event.place for event in events):
        track = mido.MidiTrack()
        name = f"{patch.module(place.module).name} {place.port}".encode("ascii", "replace").decode()
        track.append(mido.MetaMessage("track_name", name=name))
        messages = []
        for event in (event for event in events if event.place == place):
            note = min(127, max(0, round(event.note)))
            on, off = round(event.on_s * per_second), round(event.off_s * per_second)
            messages.append((on, 1, mido.Message("note_on", note=note, velocity=VELOCITY)))
            messages.append((max(off, on + 1), 0, mido.Message("note_off", note=note)))
        before = 0
        for at, _, message in sorted(messages, key=lambda entry: entry[:2]):
            track.append(message.copy(time=at - before))
            before = at
        file.tracks.append(track)
    return file


def moved_values(source: Source, places: Sequence[Place], *, rate: int, seconds: float, every_hz: float,
                 start_s: float = 0.0) -> list[list[float]]:  # fmt: skip
    """How outputs and parameters move: a row for each moment, the time first. Parameters in the domain they move in:
    octaves above 1 Hz or 1 s, semitones, or their own unit.

    Parameters
    ----------
    source : Source
        What is rendered.
    places : sequence of Place
        Outputs or parameters.
    rate : int
        Sample rate in Hz.
    seconds, start_s : float
        How long, and from where on.
    every_hz : float
        How many rows a second, at most one for each 64 samples.

    Returns
    -------
    list of list of float

    Raises
    ------
    ParameterError
        If there is no such output or parameter, or the rate is out of range.
    """
    if not 0.01 <= every_hz <= rate / QUANTUM:
        raise ParameterError(tr("movements are written 0.01 to {QUANTUM:.0f} times a second; got {every_hz:g}",
                                QUANTUM=rate / QUANTUM, every_hz=every_hz))  # fmt: skip
    for place in places:
        spec = spec_of(source.patch.module(place.module).type) if source.patch.has(place.module) else None
        known = {port.id for port in spec.outputs} | {param.id for param in spec.params} if spec else set()
        if place.port not in known:
            raise ParameterError(
                tr('there is no output or parameter "{place}"; they are named as in the patch file', place=place)
            )
    performance = Performance(source.take.at_rate(float(rate)), probed=tuple(places), compiled=compiled)
    skipped, total = round(start_s * rate), round(seconds * rate)
    out, rows, due = np.zeros((QUANTUM, performance.player.channels)), [], 0.0
    for at in range(0, skipped + total, QUANTUM):
        performance.fill(out)
        now = (at - skipped) / rate
        if at >= skipped and now >= due:
            due += 1.0 / every_hz
            rows.append([now, *(_value(performance, place) for place in places)])
    return rows


def _value(performance: Performance, place: Place) -> float:
    program = performance.player.program
    row = program.row_at.get((place.module, place.port))
    if row is not None:
        return float(program.memory.rows[row])
    at = program.input_at.get((place.module, place.port))
    return float(program.memory.now[at]) if at is not None else 0.0


def beside(job: Job, name: str) -> list[str]:
    """The files of events and movements that go with a sound.

    Parameters
    ----------
    job : Job
        The settings.
    name : str
        Of the sound, without ending.

    Returns
    -------
    list of str
    """
    events = [] if job.events == "none" else [f"{name} events.{job.events}"]
    return events + ([f"{name} movements.csv"] if job.movements else [])


def write_beside(job: Job, source: Source, folder: Path, name: str, begins_s: float, seconds: float) -> list[str]:
    """Write what ``beside`` names, on the clock of the sound; gives the names.

    Parameters
    ----------
    job : Job
        The settings.
    source : Source
        What was rendered.
    folder : Path
        Where it goes.
    name : str
        Of the sound, without ending.
    begins_s : float
        Where in the take the sound begins.
    seconds : float
        How long it is.

    Returns
    -------
    list of str

    Raises
    ------
    ParameterError
        If there is no such output or parameter.
    StorageError
        If a file cannot be written.
    """
    names, rate = beside(job, name), job.rate_hz
    if job.events != "none":
        heard = heard_events(source, gates_of(source.patch), rate=rate, seconds=seconds, start_s=begins_s)
        write_events(heard, source.patch, folder / names[0])
    if job.movements:
        places = [Place(*text.rpartition(".")[::2]) for text in job.movements]
        rows = moved_values(source, places, rate=rate, seconds=seconds, every_hz=job.every_hz, start_s=begins_s)
        write_movements(rows, places, folder / names[-1])
    return names


def write_movements(rows: Sequence[Sequence[float]], places: Sequence[Place], path: Path) -> None:
    """Write what ``moved_values`` gives as CSV.

    Parameters
    ----------
    rows : sequence of sequence of float
        A row for each moment, the time first.
    places : sequence of Place
        What the other columns are.
    path : Path
        The file.

    Raises
    ------
    StorageError
        If it cannot be written.
    """
    with whole(path) as part, part.open("w", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(("time_s", *map(str, places)))
        writer.writerows([f"{value:.6f}" for value in row] for row in rows)
