"""From a job to its tasks: which files there will be, what they are called, and what to do about those that exist."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from dunefall.base.errors import ParameterError, StorageError
from dunefall.base.language import tr
from dunefall.deliver.audiofiles import SUFFIXES
from dunefall.deliver.events import beside
from dunefall.deliver.job import Job, Source
from dunefall.deliver.making import Task
from dunefall.deliver.names import check_template, clean, filled, names_of
from dunefall.patch.mixing import effect_lanes, mixed_layers

__all__ = ["ExistsError", "Preview", "preview", "report_path", "tasks_of", "with_folder"]

REST = "rest"
MOST_NUMBERED = 10_000
TOGETHER = re.compile(r"\{[^{}]*\}")


class ExistsError(ParameterError):
    """Files are there already, and the job does not say what to do about them."""


def with_folder(job: Job) -> Path:
    """The folder of a job, made if it is not there.

    Parameters
    ----------
    job : Job
        The job; an empty folder is the present one.

    Returns
    -------
    Path

    Raises
    ------
    StorageError
        If it cannot be made or written to.
    """
    folder = Path(job.folder or ".").expanduser()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        probe = folder / ".dunefall-probe.part"
        probe.touch()
        probe.unlink()
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise StorageError(tr("no files can be written to {folder}: {reason}", folder=folder, reason=reason)) from error
    return folder


def _parts(job: Job, source: Source) -> list[str]:
    """What ``{layer}`` is, for each file of one seed."""
    if job.what == "stems":
        lanes = effect_lanes(source.patch) if job.effects == "apart" else []
        rest = [REST] if job.effects != "without" else []
        return [*(layer.name for layer in [*mixed_layers(source.patch), *lanes]), *rest]
    chosen = [layer.name for layer in source.patch.layers if layer.id == job.layer]
    if job.what == "layer" and not chosen:
        names = ", ".join(layer.name for layer in mixed_layers(source.patch))
        raise ParameterError(tr('there is no layer "{layer}"; there are {names}', layer=job.layer, names=names))
    if job.what == "layer" and job.effects == "apart" and effect_lanes(source.patch):
        return [chosen[0], tr("{chosen} effects", chosen=chosen[0])]
    return chosen or ["mix"]


def _values(job: Job, source: Source, made: str) -> Iterator[dict[str, object]]:
    number = 0
    for seed in job.seeds_of(source.patch):
        for part in _parts(job, source):
            number += 1
            yield {
                "n": number, "seed": seed, "layer": part, "title": source.patch.title, "date": made.partition("T")[0],
                "rate": job.rate_hz, "take": "take" if source.take.entries else "patch",
            }  # fmt: skip


def _template(job: Job) -> str:
    check_template(job.name)
    numbered = re.search(r"\{n(:|\})", job.name) is not None
    if job.what == "hits" and not numbered:
        raise ParameterError(tr("hits are many files: put {n} into the file name"))
    return job.name


@dataclass(frozen=True)
class Preview:
    """What a job would make.

    Attributes
    ----------
    first, last : str
        Names of the first and the last file, with their ending.
    count : int
        How many there are; 0: not known before.
    there : list of str
        Those that are in its folder already.
    """

    first: str
    last: str
    count: int
    there: list[str]


def preview(job: Job, source: Source) -> Preview:
    """What a job would make, without making it.

    Parameters
    ----------
    job : Job
        The job.
    source : Source
        What is rendered.

    Returns
    -------
    Preview

    Raises
    ------
    ParameterError
        If the template cannot be used, or there is no such layer or module.
    """
    names, suffix = _names(job, source, _now()), SUFFIXES[job.formats[0]]
    count = 0 if job.what == "hits" else sum(map(len, names))
    first, last = (filled(name, {"n": 1}) for name in (names[0][0], names[-1][-1]))
    return Preview(first + suffix, last + suffix, count, _there(names, job, Path(job.folder).expanduser()))


def _now() -> str:
    return datetime.now().isoformat(timespec="seconds")


def _there(names: Sequence[tuple[str, ...]], job: Job, folder: Path) -> list[str]:
    try:
        there = set(os.listdir(folder))
    except OSError:
        return []  # what is wrong with the folder is told when it is written to
    return [file for task in names for file in _files(task, job) if file in there] if there else []


def _files(names: Sequence[str], job: Job) -> list[str]:
    """The files of a task; of hits, the first."""
    if job.what == "hits":
        names = [filled(name, {"n": 1}) for name in names]
    return [f"{name}{SUFFIXES[kind]}" for name in names for kind in job.formats] + beside(job, names[0])


def _names(job: Job, source: Source, made: str) -> list[tuple[str, ...]]:
    """The names of the files of each task, without endings; those of hits keep their number as a token."""
    values, template = list(_values(job, source, made)), _template(job)
    if job.what != "hits":
        names, each = names_of(template, values), len(_parts(job, source))
        return [tuple(names[k : k + each]) for k in range(0, len(names), each)]
    if not source.patch.has(job.module):
        raise ParameterError(tr("choose the module whose events are to be files of their own"))
    if len(job.seeds_of(source.patch)) > 1:
        raise ParameterError(tr("hits are taken from one seed at a time"))
    kept = {**values[0], "layer": source.patch.module(job.module).name}
    kept.pop("n")
    token = re.search(r"\{n[^{}]*\}", template)
    assert token is not None
    ends = template.split(token[0], 1)
    return [(filled(ends[0], kept) + token[0] + filled(ends[1], kept),)]


def _tasks(job: Job, source: Source, folder: Path, made: str) -> list[Task]:
    where, number, tasks = str(folder), 1, []
    for seed, names in zip(job.seeds_of(source.patch), _names(job, source, made), strict=True):
        tasks.append(Task(job, source.for_file(job, seed), number, names, made, where))
        number += len(names)
    return tasks


def tasks_of(job: Job, source: Source, made: str = "") -> list[Task]:
    """The tasks of a job, one for each seed, with the names of their files.

    Parameters
    ----------
    job : Job
        What is asked for.
    source : Source
        What is rendered.
    made : str
        Date and time that go into the files; now, if empty.

    Returns
    -------
    list of Task
        Without those whose files are all there, where such files are skipped.

    Raises
    ------
    ParameterError
        If a name cannot be used; an ``ExistsError`` if files exist and the job does not say what to do about them.
    StorageError
        If the folder cannot be written to.
    """
    job = job.checked()
    folder = with_folder(job)
    tasks = _tasks(job, source, folder, made or _now())
    there = _there([task.names for task in tasks], job, folder)
    if not there or job.existing == "replace":
        return tasks
    if job.existing == "ask":
        raise ExistsError(
            tr('"{there}" and {count} more already exist in {folder}: choose to replace them, to number on, or to skip '
               "them", there=there[0], count=len(there) - 1, folder=folder)
            if len(there) > 1
            else tr('"{there}" already exists in {folder}: choose to replace it, to number on, or to skip it',
                    there=there[0], folder=folder)
        )  # fmt: skip
    if job.existing == "skip":
        found = set(there)
        return [task for task in tasks if not found.issuperset(_files(task.names, job))]
    return [_numbered(task) for task in tasks]


def _numbered(task: Task) -> Task:
    """A task whose files have names that are free."""
    for number in range(2, MOST_NUMBERED):
        if not any((Path(task.folder) / file).exists() for file in _files(task.names, task.job)):
            return task
        names = tuple(f"{re.sub(r' [0-9]+$', '', name) if number > 2 else name} {number}" for name in task.names)
        task = replace(task, names=names)
    raise ParameterError(tr("there are {MOST_NUMBERED} files of this name already", MOST_NUMBERED=MOST_NUMBERED))


def report_path(job: Job, source: Source, folder: Path) -> Path:
    """Where the figures of a set stand, beside its files: the name without what differs from file to file.

    Parameters
    ----------
    job : Job
        The settings.
    source : Source
        What is rendered.
    folder : Path
        Where the files are.

    Returns
    -------
    Path
    """
    values = {"layer": "", "title": source.patch.title, "date": "", "rate": job.rate_hz, "take": "take"}
    kept = re.sub(r"\{(n|seed|layer|date)[^{}]*\}", "", job.name)
    name = re.sub(r"[ _\-.]+$", "", filled(kept, values)).strip(" _-") or clean(job.title)
    path = folder / f"{name}.json"
    number = 2
    while path.exists() and job.existing == "number":
        path = folder / f"{name} {number}.json"
        number += 1
    return path
