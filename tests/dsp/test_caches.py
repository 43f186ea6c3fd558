"""Caches are never needed: what is damaged is made anew, what cannot be written is made for this run."""

from __future__ import annotations

import errno
import importlib.util
import os
import sys
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType

import numpy as np
import pytest
import soundfile

from dunefall.base import caches
from dunefall.compiler import kernels, sounds
from dunefall.dsp import cache, cachefiles

CODE = """
from numba import njit
from dunefall.dsp.cache import use_folder_of
use_folder_of(__file__)

@njit(cache=True)
def twice(x):
    return 2 * x
"""


@pytest.fixture(autouse=True)
def untold(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setattr(caches, "_told", set())
    monkeypatch.setattr(caches, "_trouble", [])
    folder = cache.config.CACHE_DIR  # type: ignore[attr-defined]
    yield
    cache.config.CACHE_DIR = folder  # type: ignore[attr-defined]


def loaded(path: Path) -> ModuleType:
    """A fresh copy of a module, compiled or from its files."""
    spec = importlib.util.spec_from_file_location("twice", path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules["twice"] = module
    spec.loader.exec_module(module)
    return module


def hits(module: ModuleType) -> int:
    return sum(module.twice.stats.cache_hits.values())


@pytest.mark.parametrize("way", ["cut", "emptied", "flipped", "junk"])
def test_damaged_code_is_compiled_anew(way: str, tmp_path: Path) -> None:
    path = tmp_path / "twice.py"
    path.write_text(CODE)
    assert loaded(path).twice(21) == 42
    module = loaded(path)
    assert (module.twice(21), hits(module)) == (42, 1)
    kept = list(tmp_path.rglob("*.nb?"))
    assert {file.suffix for file in kept} == {".nbi", ".nbc"}
    for file in kept:
        data = file.read_bytes()
        middle = len(data) // 2
        file.write_bytes({
            "cut": data[:middle], "emptied": b"", "junk": bytes(range(256)) * 4,
            "flipped": data[:middle] + bytes([data[middle] ^ 8]) + data[middle + 1 :],
        }[way])  # fmt: skip
    module = loaded(path)
    assert (module.twice(21), hits(module)) == (42, 0)
    module = loaded(path)
    assert (module.twice(21), hits(module)) == (42, 1)


def test_files_of_the_version_before_are_used(tmp_path: Path) -> None:
    """They have no digest behind them."""
    path = tmp_path / "twice.py"
    path.write_text(CODE)
    loaded(path).twice(21)
    behind = cachefiles._DIGEST + len(cachefiles._MARK)
    for file in tmp_path.rglob("*.nb?"):
        file.write_bytes(file.read_bytes()[:-behind])
    module = loaded(path)
    assert (module.twice(21), hits(module)) == (42, 1)


def test_a_full_disk_costs_only_the_keeping(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(cachefiles._CheckedFiles, "_save_data", full)
    path = tmp_path / "twice.py"
    path.write_text(CODE)
    assert loaded(path).twice(21) == 42
    assert "No space left on device" in caches.trouble_of_caches()
    assert loaded(path).twice(21) == 42
    assert caches.trouble_of_caches() == ""  # said once


def test_generated_code_that_cannot_be_written_is_remembered(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("DUNEFALL_CACHE", "/dev/null/nowhere")
    monkeypatch.setattr(kernels, "_in_memory", {})
    path = kernels.generated_path("twice", CODE.replace("njit(cache=True)", "njit(cache=True, nogil=True)"))
    assert not path.exists()
    assert kernels.load_generated(path).twice(21) == 42
    assert "Not a directory" in caches.trouble_of_caches()


def test_a_sound_is_kept_in_memory_where_there_is_no_room(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    sound = 0.5 * np.random.default_rng(1).standard_normal((1000, 2)).clip(-1, 1)
    soundfile.write(tmp_path / "x.wav", sound, 48000, subtype="FLOAT")
    monkeypatch.setattr(sounds, "_mapped", {})
    monkeypatch.setenv("DUNEFALL_CACHE", "/dev/null/nowhere")
    monkeypatch.setattr(sounds, "_in_memory", set())
    with pytest.raises(sounds.StorageError, match="cannot keep a copy"):  # another process could not play it
        sounds.take_in(tmp_path / "x.wav")
    ref = sounds.take_in(tmp_path / "x.wav", alone=True)
    found = sounds.mapped(ref)
    np.testing.assert_allclose(found.samples.reshape(2, -1).T, sound, atol=1e-6)
    assert "Nothing can be kept" in caches.trouble_of_caches()


def test_a_damaged_conversion_is_made_anew(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    soundfile.write(tmp_path / "x.wav", np.full((1000, 1), 0.25), 48000, subtype="FLOAT")
    monkeypatch.setenv("DUNEFALL_CACHE", str(tmp_path / "cache"))
    monkeypatch.setattr(sounds, "_mapped", {})
    ref = sounds.take_in(tmp_path / "x.wav")
    (kept,) = (tmp_path / "cache" / "sounds").iterdir()
    for data in (b"", kept.read_bytes()[:-8]):
        kept.write_bytes(data)
        monkeypatch.setattr(sounds, "_mapped", {})
        assert len(sounds.mapped(ref).samples) == 0
        sounds.take_in(tmp_path / "x.wav")
        assert len(sounds.mapped(ref).samples) == 1000


@pytest.mark.parametrize("name", ["x.raw", "x.wav", "x.mp3", "x.txt"])
def test_what_is_no_sound_is_told_and_nothing_else(
    name: str, tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    """A file without a header raised TypeError; another library wrote its own complaints to the terminal."""
    (tmp_path / name).write_bytes(bytes(k * 7919 % 251 for k in range(5000)))
    with pytest.raises(sounds.StorageError, match="is not a sound file Dunefall can read"):
        sounds.take_in(tmp_path / name)
    assert capfd.readouterr() == ("", "")


@pytest.mark.parametrize("name", [b"two\nlines.wav", b"bell\x07.wav", b"latin-\xe4.wav"])
def test_a_sound_whose_name_no_patch_can_hold_is_told(name: bytes, tmp_path: Path) -> None:
    """It was taken, and the saved patch could not be opened any more."""
    path = tmp_path / os.fsdecode(name)
    soundfile.write(tmp_path / "x.wav", np.full((100, 1), 0.25), 48000)
    (tmp_path / "x.wav").rename(path)
    with pytest.raises(sounds.StorageError, match="rename the file"):
        sounds.take_in(path)
