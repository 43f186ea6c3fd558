"""Job files, ``.dunejob``: one JSON document with the settings and, unless it is a preset, with what is rendered in it.

Layout: ``format``, ``kind`` ("job"), ``name`` and ``about`` of a preset, ``settings`` (those that differ from the usual
ones, see ``deliver.job``), and ``patch`` or ``take`` as in their own files, sounds by paths relative to the job's.
A preset is a job file with gaps: without a patch, or without some settings.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from dunefall.base.door import dump_json, parse_json, read_file
from dunefall.base.errors import DunefallError, PatchError
from dunefall.base.folders import data_folder
from dunefall.base.language import tr
from dunefall.base.storage import write_file
from dunefall.catalogue.validate import check_patch
from dunefall.deliver.job import Job, Source, job_from, raw_job
from dunefall.patch.fields import get
from dunefall.patch.files import patch_of, raw_patch, with_sounds_beside, with_sounds_in
from dunefall.patch.library import DATA
from dunefall.patch.takefiles import raw_take, take_of

__all__ = [
    "JOB_SUFFIX",
    "JobFile",
    "load_job",
    "parse_job",
    "preset_folder",
    "presets",
    "raw_job_file",
    "raw_source",
    "save_job",
    "source_of",
]

JOB_SUFFIX = ".dunejob"
FORMAT = 1


@dataclass(frozen=True)
class JobFile:
    """What a job file holds.

    Attributes
    ----------
    name, about : str
        What a preset is called, and what it is for.
    source : Source or None
        None in a preset.
    """

    job: Job
    source: Source | None = None
    name: str = ""
    about: str = ""


def raw_source(source: Source) -> dict[str, object]:
    """What is rendered, as a file has it: a patch, or a take where something was done by hand."""
    return {"take": raw_take(source.take)} if source.take.entries else {"patch": raw_patch(source.patch)}


def source_of(raw: dict[str, object]) -> Source | None:
    """What a file says is rendered, checked against the catalogue; None if it says nothing.

    Parameters
    ----------
    raw : dict
        The file's object.

    Returns
    -------
    Source or None

    Raises
    ------
    PatchError
        With the place of the first fault.
    """
    if "take" in raw:
        source = Source(take_of(raw["take"]))
    elif "patch" in raw:
        source = Source.of(patch_of(raw["patch"]))
    else:
        return None
    check_patch(source.patch)
    return source


def raw_job_file(file: JobFile) -> dict[str, object]:
    """A job file's object; sounds by absolute paths."""
    return {
        "format": FORMAT,
        "kind": "job",
        **({"name": file.name} if file.name else {}),
        **({"about": file.about} if file.about else {}),
        "settings": raw_job(file.job),
        **(raw_source(file.source) if file.source else {}),
    }


def save_job(file: JobFile, path: Path) -> None:
    """Write a job file; raises StorageError and leaves an old one whole if it cannot be written."""
    write_file(dump_json(with_sounds_beside(raw_job_file(file), path.parent)), path)


def load_job(path: Path) -> JobFile:
    """Read a job file.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    JobFile

    Raises
    ------
    StorageError
        If it cannot be read.
    PatchError
        With the file's name and what is wrong in it.
    """
    data = read_file(path)
    try:
        return parse_job(with_sounds_in(parse_json(data), path.parent))
    except DunefallError as error:
        raise PatchError(tr("{name} cannot be used: {error}", name=path.name, error=error)) from error


def parse_job(raw: object, base: Job | None = None) -> JobFile:
    """A job file of its objects and lists; raises PatchError or ParameterError with the place of the first fault.

    Parameters
    ----------
    raw : object
        What the file holds.
    base : Job, optional
        What settings that are left out are taken from.

    Returns
    -------
    JobFile

    Raises
    ------
    PatchError
        If it is no job, or of a later format.
    """
    if not isinstance(raw, dict) or raw.get("kind") != "job":
        raise PatchError(tr("the file does not hold a job"))
    version = get(raw, "format", int, "")
    if version != FORMAT:
        raise PatchError(
            tr("the job has format {version}; this Dunefall reads format {FORMAT}", version=version, FORMAT=FORMAT)
        )
    job = job_from(get(raw, "settings", dict, "", {}), "settings", base)
    return JobFile(job, source_of(raw), get(raw, "name", str, "", ""), get(raw, "about", str, "", ""))


def preset_folder() -> Path:
    """Where the user's own presets are kept."""
    return data_folder() / "presets"


def presets(own: Path | None = None) -> list[JobFile]:
    """The presets that ship, in their order, then the user's own from a folder; files that cannot be read are left out.

    Parameters
    ----------
    own : Path, optional
        The user's folder.

    Returns
    -------
    list of JobFile
    """
    found = [load_job(path) for path in sorted((DATA / "jobs").glob(f"*{JOB_SUFFIX}"))]
    for path in sorted(own.glob(f"*{JOB_SUFFIX}")) if own else ():
        try:
            file = load_job(path)
        except DunefallError:
            continue
        found.append(replace(file, name=file.name or path.stem))
    return found
