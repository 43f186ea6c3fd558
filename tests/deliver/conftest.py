"""What tests of deliveries share: small patches, the kernels, and tasks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest

from dunefall.catalogue import catalogue
from dunefall.compiler.warmup import prepare
from dunefall.deliver.job import Job, Source
from dunefall.deliver.making import File, make
from dunefall.deliver.plan import tasks_of
from dunefall.patch.files import load_patch
from dunefall.patch.library import starters
from dunefall.patch.model import Patch


@pytest.fixture(scope="session", autouse=True)
def ready() -> None:
    prepare(catalogue())


@pytest.fixture
def delivered(tmp_path: Path) -> Callable[..., list[File]]:
    """Makes all files of a job in a folder of the test."""

    def run(patch: Patch, folder: Path | None = None, **settings: object) -> list[File]:
        job = replace(Job(), folder=str(folder or tmp_path / "out"), **settings)  # type: ignore[arg-type]
        made = "2026-11-29T12:00:00"
        return [file for task in tasks_of(job, Source.of(patch), made) for file in make(task)]

    return run


def starter(name: str) -> Patch:
    return load_patch(starters()[name])
