"""Shared set-up: a virtual screen where there is none, the kernels compiled once."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

# Machines are shared and noisy: no deadline per example. On CI the examples are always the same ones.
_SLOW = [HealthCheck.too_slow, HealthCheck.data_too_large]
settings.register_profile("here", deadline=None, suppress_health_check=_SLOW)
settings.register_profile("ci", deadline=None, suppress_health_check=_SLOW, derandomize=True)
settings.load_profile("ci" if os.environ.get("CI") else "here")

if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["DUNEFALL_LANGUAGE"] = "en"
sys.path.insert(0, str(Path(__file__).parent))
# What a test leaves behind is not the user's.
_data = tempfile.TemporaryDirectory(prefix="dunefall-tests-")
for _place in ("DATA", "LIBRARY", "CONFIG"):
    os.environ[f"DUNEFALL_{_place}"] = _data.name


@pytest.fixture(scope="session", autouse=True)
def _kernels() -> None:
    """Compile or load every kernel once, so that no single test pays for it."""
    from dunefall.catalogue import catalogue
    from dunefall.compiler.warmup import prepare

    prepare(catalogue())


@pytest.fixture
def speak(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Iterator[Callable[..., None]]:
    """Speaks as in a process that begins with these variables."""
    monkeypatch.setenv("DUNEFALL_CONFIG", str(tmp_path))

    def as_begun(**variables: str) -> None:
        for name in ("DUNEFALL_LANGUAGE", "LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG"):
            monkeypatch.delenv(name, raising=False)
        for name, value in variables.items():
            monkeypatch.setenv(name, value)
        _forget_the_language()

    yield as_begun
    monkeypatch.undo()
    _forget_the_language()


def _forget_the_language() -> None:
    from dunefall.base import language, units

    for kept in (language.language, language._texts, language._text, units._local_words):
        kept.cache_clear()


@pytest.fixture
def own_cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """An empty folder for converted sounds."""
    monkeypatch.setattr("dunefall.compiler.sounds.sounds_folder", lambda: tmp_path / "kept")
    (tmp_path / "kept").mkdir()
    return tmp_path / "kept"


@pytest.fixture(scope="session")
def qapp() -> object:
    """The application as the program makes it: fonts, style, theme."""
    from dunefall.app.shell.start import make_app

    return make_app("noon")
