"""The figures of a set, beside its files: a table as CSV, and a JSON file from which any of them can be made again."""

from __future__ import annotations

import csv
import io
import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from dunefall import __version__
from dunefall.base.door import dump_json, parse_json, read_file
from dunefall.base.errors import DunefallError, ParameterError, PatchError, StorageError
from dunefall.base.language import tr
from dunefall.base.storage import synced, whole, write_file
from dunefall.deliver.job import Job, Source, job_from, raw_job
from dunefall.deliver.jobfiles import raw_source, source_of
from dunefall.deliver.making import File, Task, make
from dunefall.deliver.plan import tasks_of
from dunefall.patch.fields import get, objects
from dunefall.patch.files import with_sounds_beside, with_sounds_in

__all__ = ["COLUMNS", "changed", "kinds", "remake", "save_report", "save_table", "table"]

FORMAT = 1
COLUMNS = (
    "name", "seed", "seconds", "lufs", "momentary_lufs", "short_term_lufs", "range_lu", "true_peak_db", "dc_db",
    "head_s", "tail_s", "mono_loss_lu", "clicks", "seam", "verdict", "findings",
)  # fmt: skip


def save_report(job: Job, source: Source, made: str, files: Sequence[File], path: Path) -> None:
    """Write the JSON file of a set: patch or take, settings, version, and each file's seed, measures and digest; and
    the measures as a table beside it.

    Parameters
    ----------
    job : Job
        The settings.
    source : Source
        What was rendered.
    made : str
        Date and time that were written into the files.
    files : sequence of File
        What was made.
    path : Path
        Where it goes.

    Raises
    ------
    StorageError
        If it cannot be written.
    """
    raw: dict[str, object] = {
        "format": FORMAT, "kind": "set", "version": __version__, "made": made, "settings": raw_job(job),
        "processors": kinds(files), "files": [file.raw() for file in files], **raw_source(source),
    }  # fmt: skip
    write_file(dump_json(with_sounds_beside(raw, path.parent)), path)
    save_table(files, path.with_suffix(".csv"))


def kinds(files: Sequence[File]) -> list[str]:
    """The kinds of processors that made files: the same bits are promised only among one kind.

    Parameters
    ----------
    files : sequence of File
        The set.

    Returns
    -------
    list of str
    """
    return sorted({file.processor for file in files})


def table(files: Sequence[File]) -> str:
    """The measures of a set as CSV, a line for each file.

    Parameters
    ----------
    files : sequence of File
        The set.

    Returns
    -------
    str
    """
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(COLUMNS)
    for file in files:
        measures = file.measures.raw()
        seam = file.seam.verdict if file.seam else ""
        verdict = "check" if file.findings else "good"
        told = " ".join(finding.text for finding in file.findings)
        figures = [measures.get(name, "") for name in COLUMNS[2:12]]
        writer.writerow([file.names[0], file.seed, *figures, len(file.clicks), seam, verdict, told])
    return text.getvalue()


def save_table(files: Sequence[File], path: Path) -> None:
    """Write the measures of a set: CSV, or JSON where the file is called so; raises StorageError."""
    if path.suffix == ".json":
        write_file(dump_json([file.raw() for file in files]), path)
    else:
        write_file(table(files), path)


def remake(path: Path, names: Sequence[str], out: Path, tell: Callable[[str], None] = lambda text: None) -> list[Path]:
    """Make files of a set again from its JSON file, bit for bit.

    Parameters
    ----------
    path : Path
        The JSON file of the set.
    names : sequence of str
        Which files; none: all.
    out : Path
        Folder where they go.
    tell : function of str
        Is told of each file whether it is the same.

    Returns
    -------
    list of Path

    Raises
    ------
    PatchError
        If the file is no set.
    ParameterError
        If there is no such file in it.
    StorageError
        If a file cannot be written, or exists in that folder.
    """
    job, source, made, sums, changes, kinds_then = _read(path)
    wanted = list(names) or list(sums)
    unknown = [name for name in wanted if name not in sums]
    if unknown:
        raise ParameterError(tr('there is no file "{unknown}" in {name}; there are {listed}', unknown=unknown[0],
                                name=path.name, listed=", ".join(list(sums)[:8])))  # fmt: skip
    made_again = []
    with tempfile.TemporaryDirectory() as folder:
        for task in tasks_of(replace(job, folder=folder, existing="replace"), source, made):
            if job.what != "hits" and not any(name.rpartition(".")[0] in task.names for name in wanted):
                continue
            for file in make(changed(task, changes.get(task.names[0], {}))):
                for name, digest in zip(file.names, file.sha256, strict=True):
                    if name in wanted:
                        _put(Path(folder) / name, out / name)
                        same = tr("the same, bit for bit") if digest == sums[name] else _differs(kinds_then, file)
                        tell(f"{out / name}: {same}")
                        made_again.append(out / name)
    return made_again


def changed(task: Task, changes: Mapping[str, object]) -> Task:
    """A task with other settings, or another seed.

    Parameters
    ----------
    task : Task
        The task.
    changes : mapping
        Settings by name; ``seed`` is a seed.

    Returns
    -------
    Task
    """
    if not changes:
        return task
    settings = {name: value for name, value in changes.items() if name != "seed"}
    seed = changes.get("seed", task.source.patch.seed)
    assert isinstance(seed, int)
    job = job_from(settings, "changes", task.job)
    return replace(task, job=job, source=task.source.for_file(job, seed), changes=tuple(sorted(changes.items())))


def _differs(kinds_then: Sequence[str], file: File) -> str:
    if file.processor in kinds_then:
        return tr("not the same as before")
    return tr(
        "not the same as before: that was made on another kind of processor ({listed})", listed=", ".join(kinds_then)
    )


def _put(made: Path, path: Path) -> None:
    if path.exists():
        raise StorageError(tr("{path} exists; choose another folder with --out, or move it away", path=path))
    with whole(path) as part:
        part.write_bytes(made.read_bytes())
        synced(part)


def _read(path: Path) -> tuple[Job, Source, str, dict[str, str], dict[str, dict[str, object]], list[str]]:
    data = read_file(path)
    try:
        raw = with_sounds_in(parse_json(data), path.parent)
        if not isinstance(raw, dict) or raw.get("kind") != "set":
            raise PatchError(tr("it does not hold a set of rendered files"))
        if get(raw, "format", int, "") != FORMAT:
            raise PatchError(tr("its format is not one that this Dunefall reads"))
        source = source_of(raw)
        if source is None:
            raise PatchError(tr("it holds no patch"))
        job = job_from(get(raw, "settings", dict, ""), "settings")
        sums: dict[str, str] = {}
        changes: dict[str, dict[str, object]] = {}
        for entry, place in objects(raw, "files", "", 1_000_000):
            digests = get(entry, "sha256", list, place)
            for name, digest in zip(get(entry, "names", list, place), digests, strict=True):
                sums[str(name)] = str(digest)
                changes[str(name).rpartition(".")[0]] = get(entry, "changes", dict, place, {})
        made_by = [str(kind) for kind in get(raw, "processors", list, "", [])]
        return job, source, get(raw, "made", str, ""), sums, changes, made_by
    except (DunefallError, ValueError) as error:
        raise PatchError(tr("{name} cannot be used: {error}", name=path.name, error=error)) from error
