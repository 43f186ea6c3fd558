"""Documents that are made from the code, or name parts of it, are as the code is."""

from __future__ import annotations

import re
import runpy
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "dunefall"


def test_the_picture_of_the_structure_is_drawn_from_these_imports() -> None:
    script = runpy.run_path(str(ROOT / "scripts" / "draw_structure.py"))
    assert (ROOT / "docs" / "structure.svg").read_text() == script["drawn"](), "run scripts/draw_structure.py"


@pytest.mark.parametrize("page", ["docs/architecture.md", "CONTRIBUTING.md", "docs/decisions.md"])
def test_files_that_are_named_are_there(page: str) -> None:
    text = (ROOT / page).read_text()
    named = {name for name in re.findall(r"`([\w/]+\.(?:py|md))`", text) if "/" in name}
    missing = [name for name in sorted(named) if not (SOURCE / name).exists() and not (ROOT / name).exists()]
    assert missing == []
    modules = re.findall(
        r"`((?:app|base|catalogue|compiler|dsp|engine|model|patch|render|session|shell)(?:\.\w+)+)`", text
    )
    for name in modules:
        place = SOURCE.joinpath(*name.split("."))
        inside_app = SOURCE / "app" / Path(*name.split("."))
        tried = [place, place.parent, inside_app, inside_app.parent]
        assert any(path.is_dir() or path.with_suffix(".py").exists() for path in tried), name


def test_make_runs_every_test_once() -> None:
    named = set(re.findall(r"tests/[\w./]+", (ROOT / "Makefile").read_text().partition("lint:")[0]))
    for file in (ROOT / "tests").rglob("test_*.py"):
        place = str(file.relative_to(ROOT))
        assert sum(place == name or place.startswith(f"{name}/") for name in named) == 1, place
