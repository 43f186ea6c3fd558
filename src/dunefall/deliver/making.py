"""One task of a job, from the first sample to finished files: what a worker does, wherever it runs."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass, field, replace
from functools import cache
from pathlib import Path

import numpy as np
from llvmlite.binding import get_host_cpu_name
from numpy.typing import NDArray

from dunefall import __version__
from dunefall.base.language import tr
from dunefall.base.words import listed
from dunefall.catalogue.paths import inserts_of
from dunefall.deliver.audiofiles import SUFFIXES, write_sound
from dunefall.deliver.events import beside, write_beside
from dunefall.deliver.hits import hits_of
from dunefall.deliver.job import Job, Source
from dunefall.deliver.levels import Reached, brought_to, fade, gained, keep_under, level_of, loudest
from dunefall.deliver.looping import looped
from dunefall.deliver.loops import Seam, measure_seam
from dunefall.deliver.measure import Measures, edges, measure, picture, true_peak
from dunefall.deliver.names import filled
from dunefall.deliver.rendering import BLOCK, Click, Disk, Ear, Rendered, alone, only_sending, rendered
from dunefall.deliver.verdict import Finding, Heard, findings
from dunefall.deliver.wavchunks import About
from dunefall.patch.mixing import effect_lanes, mixed_layers
from dunefall.patch.model import Patch

__all__ = ["File", "Piece", "Task", "make", "processor"]

Sound = NDArray[np.float64]
DEAF = tr("The live input is silent: a patch has no recording of it. Play a take with it, or give one with --live.")
REST_DB = -90.0
"""What remains of a mix beside its stems is a file of its own above this."""


@cache
def processor() -> str:
    """The kind of this machine's processor, as the compiler calls it."""
    return str(get_host_cpu_name())


@dataclass(frozen=True)
class Task:
    """What one worker makes: all files of one seed.

    Attributes
    ----------
    number : int
        From 1 on.
    names : tuple of str
        Of its files, without endings; of hits, a template with ``{n}`` left in it.
    made : str
        Date and time that is written into the files.
    folder : str
        Where they go.
    block : int
        Frames that are computed at a time; never changes the result.
    changes : tuple of (str, object)
        In which settings its job differs from that of the set: it was made again.
    """

    job: Job
    source: Source
    number: int
    names: tuple[str, ...]
    made: str
    folder: str
    block: int = BLOCK
    changes: tuple[tuple[str, object], ...] = ()


@dataclass(frozen=True)
class File:
    """A finished file and its figures.

    Attributes
    ----------
    names : tuple of str
        Of the sound in each format.
    number, seed : int
    sha256 : tuple of str
        Of each file's bytes.
    measures : Measures
    clicks : tuple of Click
    seam : Seam or None
    findings : tuple of Finding
    picture : list
        See ``deliver.measure.picture``.
    told : str
        How a loop was made, or what else is worth knowing.
    changes : tuple of (str, object)
        See ``Task``.
    processor : str
        The kind of processor that made it: another kind may round differently.
    """

    names: tuple[str, ...]
    number: int
    seed: int
    sha256: tuple[str, ...]
    measures: Measures
    clicks: tuple[Click, ...]
    seam: Seam | None
    findings: tuple[Finding, ...]
    picture: list[list[float]]
    told: str = ""
    changes: tuple[tuple[str, object], ...] = ()
    processor: str = field(default_factory=processor)

    def raw(self) -> dict[str, object]:
        """As a report has it; the picture is left out."""
        seam = {"seam": asdict(self.seam)} if self.seam else {}
        return {
            "names": list(self.names), "number": self.number, "seed": self.seed, "sha256": list(self.sha256),
            "verdict": "check" if self.findings else "good", "findings": [asdict(finding) for finding in self.findings],
            "measures": self.measures.raw(), "clicks": [asdict(click) for click in self.clicks], **seam,
            "told": self.told, "processor": self.processor, **({"changes": dict(self.changes)} if self.changes else {}),
        }  # fmt: skip


@dataclass
class Piece:
    """A sound on its way into a file."""

    name: str
    sound: Sound
    clicks: tuple[Click, ...] = ()
    ended: bool = True
    told: str = ""
    seam: Seam | None = None
    reached: Reached = field(default_factory=lambda: Reached(-120.0))
    begins_s: float = 0.0
    """What was trimmed off before it."""


def make(task: Task, ear: Ear = lambda share: None) -> list[File]:
    """Render, finish, measure and write all files of a task.

    Parameters
    ----------
    task : Task
        What is to be made.
    ear : Ear
        Is told how far it is; may raise ``StoppedError``.

    Returns
    -------
    list of File

    Raises
    ------
    DunefallError
        If something cannot be rendered or written; files that are whole stay.
    """
    job, folder = task.job, Path(task.folder)
    with _room(folder, task.block) as disk:
        pieces = _pieces(task, disk, ear)
        for piece in pieces:
            _shape(piece, task)
        _level(pieces, job, disk)
        files = [_written(piece, task, k) for k, piece in enumerate(pieces)]
    if files and beside(job, task.names[0]):
        files[0] = _with_events(task, files[0], pieces[0].begins_s)
    return files


def _with_events(task: Task, file: File, begins_s: float) -> File:
    """Events and movements beside the first file, on its clock."""
    job, folder = task.job, Path(task.folder)
    begins, seconds = job.start_s + begins_s, file.measures.seconds
    names = write_beside(job, task.source, folder, task.names[0], begins, seconds)
    sums = (_digest(folder / name) for name in names)
    return replace(file, names=(*file.names, *names), sha256=(*file.sha256, *sums))


@contextmanager
def _room(folder: Path, block: int) -> Iterator[Disk]:
    if folder.is_dir():
        yield Disk(folder, block)
    else:
        with tempfile.TemporaryDirectory() as other:
            yield Disk(Path(other), block)


# -- rendering -------------------------------------------------------------------------------------------------------


def _pieces(task: Task, disk: Disk, ear: Ear) -> list[Piece]:
    job, source = task.job, _laid_out(task.source, task.job)
    if job.what == "hits":
        found = hits_of(job, source, disk, ear)
        names = [filled(task.names[0], {"n": k}) for k in range(1, len(found) + 1)]
        return [Piece(name, hit.sound, hit.clicks, hit.ended) for name, hit in zip(names, found, strict=True)]
    if job.what == "stems":
        return _stems(task, source, disk, ear)
    if job.what == "layer":
        return _layer(task, source, disk, ear)
    whole, told = _sound(job, source, (), disk, ear)
    return [Piece(task.names[0], whole.mix, whole.clicks, whole.ended, told)]


def _before_inserts(patch: Patch, told: str) -> str:
    """What is told of parts of the mix, which come before what is inserted on the whole of it."""
    names = [patch.module(effect).name for effect in inserts_of(patch)]
    return (
        tr("{told} Without {names}, which the whole mix goes through.", told=told, names=listed(names)).strip()
        if names
        else told
    )


def _laid_out(source: Source, job: Job) -> Source:
    layout = {"patch": source.patch.layout, "mono": "stereo"}.get(job.layout, job.layout)
    return Source(replace(source.take, start=replace(source.patch, layout=layout)))


def _sound(job: Job, source: Source, stems: tuple[str, ...], disk: Disk, ear: Ear) -> tuple[Rendered, str]:
    seconds = job.length_s(source.patch.tempo_bpm)
    if job.ends == "loop":
        return looped(job, source, stems, disk, ear)
    silence = level_of(job.trim_db if job.trim_db is not None else -60.0) if job.ends == "silence" else None
    sound = rendered(
        source, disk, rate=job.rate_hz, seconds=seconds, start_s=job.start_s, stems=stems, silence=silence, ear=ear
    )
    return sound, DEAF if sound.deaf else ""


def _added(parts: list[Sound]) -> Sound:
    whole = parts[0]
    for part in parts[1:]:
        whole += part
    return whole


def _layer(task: Task, source: Source, disk: Disk, ear: Ear) -> list[Piece]:
    job, chosen = task.job, task.job.layer
    effects = tuple(lane.id for lane in effect_lanes(source.patch)) if job.effects != "without" else ()
    patch = only_sending(source.patch, chosen)
    if not source.take.entries:
        patch = alone(patch, (chosen, *effects))
    whole, told = _sound(job, Source(replace(source.take, start=patch)), (chosen, *effects), disk, ear)
    told = _before_inserts(patch, told)
    clicks = tuple(click for click in whole.clicks if click.layer == patch.layer(chosen).name)
    wet = [whole.stems[lane] for lane in effects]
    if job.effects == "apart" and wet:
        return [
            Piece(task.names[0], whole.stems[chosen], clicks, whole.ended, told),
            Piece(task.names[1], _added(wet), (), whole.ended, told),
        ]
    return [Piece(task.names[0], _added([whole.stems[chosen], *wet]), clicks, whole.ended, told)]


def _stems(task: Task, source: Source, disk: Disk, ear: Ear) -> list[Piece]:
    """Every layer apart; what the mix has beside them, if anything can be heard of it, last."""
    job, patch = task.job, source.patch
    layers, lanes = mixed_layers(patch), effect_lanes(patch)
    ids = tuple(layer.id for layer in layers)
    apart = tuple(lane.id for lane in lanes) if job.effects == "apart" else ()
    passes = 1 + len(layers) * (job.effects == "with" and bool(lanes))
    whole, told = _sound(job, source, ids + apart, disk, _share_of(ear, 0, passes))
    told = _before_inserts(patch, told)
    pieces = [
        Piece(name, whole.stems[layer.id], tuple(c for c in whole.clicks if c.layer == layer.name), whole.ended, told)
        for name, layer in zip(task.names, [*layers, *lanes] if apart else layers, strict=False)
    ]
    if passes > 1:
        every = tuple(lane.id for lane in lanes)
        for k, (piece, layer) in enumerate(zip(pieces, layers, strict=True), 1):
            sending = Source(replace(source.take, start=only_sending(patch, layer.id)))
            wet, _ = _sound(job, sending, (layer.id, *every), disk, _share_of(ear, k, passes))
            piece.sound = _added([wet.stems[layer.id], *(wet.stems[lane] for lane in every)])
    if job.effects != "without":
        rest = _rest(whole.mix, pieces)
        if rest is not None:
            pieces.append(Piece(task.names[-1], rest, (), whole.ended, tr("What the mix has beside the other stems.")))
    return pieces


def _share_of(ear: Ear, k: int, count: int) -> Ear:
    return lambda share: ear((k + share) / count)


def _rest(mix: Sound, pieces: list[Piece]) -> Sound | None:
    """The mix without the stems, in the place of the mix; None where it is below -90 dBFS."""
    frames = min([len(mix), *(len(piece.sound) for piece in pieces)])
    for piece in pieces:
        mix[:frames] -= piece.sound[:frames]
    return mix if float(np.abs(mix).max(initial=0.0)) > level_of(REST_DB) else None


# -- finishing -------------------------------------------------------------------------------------------------------


def _shape(piece: Piece, task: Task) -> None:
    """Mono, trimmed ends, fades."""
    job = task.job
    if job.layout == "mono":
        piece.sound = np.asarray(piece.sound.mean(axis=1, keepdims=True))
    if job.trim_db is not None and job.ends != "loop" and job.what != "stems":
        first, last = edges(piece.sound, level_of(job.trim_db))
        if last > first:
            lead = min(first, round(0.002 * job.rate_hz))
            behind = min(len(piece.sound), last + round(0.01 * job.rate_hz))
            piece.clicks = tuple(replace(c, at_s=c.at_s - (first - lead) / job.rate_hz) for c in piece.clicks)
            piece.sound, piece.begins_s = piece.sound[first - lead : behind], (first - lead) / job.rate_hz
    if job.ends != "loop":
        short = 0.01 if job.ends == "silence" else 0.0
        fade(piece.sound, job.rate_hz, job.fade_in_s, max(job.fade_out_s, short))


def _level(pieces: list[Piece], job: Job, disk: Disk) -> None:
    """Loudness and peaks: each by itself, or one gain for all."""
    around, rate = job.ends == "loop", job.rate_hz
    if job.loudness == "each file":
        for piece in pieces:
            piece.reached = brought_to(piece.sound, rate, job.lufs, job.peak_db, job.limit, around, room=disk.room)
        return
    together = job.what in ("stems", "hits")
    if job.loudness == "whole set":
        if job.what == "stems":
            mix = disk.room(max(len(piece.sound) for piece in pieces), pieces[0].sound.shape[1])
            for piece in pieces:
                mix[: len(piece.sound)] += piece.sound
            own = loudest([mix], rate)
        else:
            own = loudest([piece.sound for piece in pieces], rate)
        for piece in pieces:
            gained(piece.sound, level_of(job.lufs - own))
    if together:  # what belongs together keeps its proportions
        peak = max((true_peak(piece.sound) for piece in pieces), default=0.0)
        lower = min(1.0, level_of(job.peak_db) / peak) if peak > 0.0 else 1.0
        for piece in pieces:
            if lower < 1.0:
                gained(piece.sound, lower)
                piece.told = tr("{told} All files are {log10:.1f} dB lower, to stay under the peak.", told=piece.told,
                                log10=-20 * np.log10(lower)).strip()  # fmt: skip
            missed = tr("its peaks would be over the limit") if lower < 1.0 and job.loudness == "whole set" else ""
            piece.reached = Reached(job.lufs + 20 * float(np.log10(lower)), missed)
    elif job.limit:
        for piece in pieces:
            keep_under(piece.sound, rate, job.peak_db, True, around)


def _written(piece: Piece, task: Task, k: int) -> File:
    job, rate, sound = task.job, task.job.rate_hz, piece.sound
    seed = task.source.patch.seed
    measures = measure(sound, rate)
    seam = measure_seam(sound, rate, seed) if job.ends == "loop" else None
    end_db = 20.0 * float(np.log10(np.abs(sound[-round(0.01 * rate) :]).max(initial=0.0) + 1e-9))
    heard = Heard(piece.clicks, piece.reached, seam, end_db, piece.ended)
    about = About(
        title=task.source.patch.title, program=f"Dunefall {__version__}", made=task.made, seed=seed, artist=job.artist,
        comment=job.comment, loop=(0, len(sound) - 1) if job.ends == "loop" else None,
        broadcast=job.broadcast,
        marks=tuple((max(0, round(click.at_s * rate)), tr("Click in {layer}", layer=click.layer))
                    for click in piece.clicks),
    )  # fmt: skip
    names, sums = [], []
    for kind in job.formats:
        path = Path(task.folder) / f"{piece.name}{SUFFIXES[kind]}"
        write_sound(sound, path, kind=kind, depth=job.depth, rate=rate, about=about, measures=measures)
        names.append(path.name)
        sums.append(_digest(path))
    found = findings(job, measures, heard)
    return File(
        tuple(names), task.number + k, seed, tuple(sums), measures, piece.clicks, seam, found, picture(sound),
        piece.told, task.changes,
    )  # fmt: skip


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
