"""Where compiled code is kept: what it is made of decides, and nothing else."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from dunefall.catalogue import catalogue
from dunefall.compiler import kernels, warmup
from dunefall.dsp import cache


@pytest.fixture
def own_root(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """An empty cache."""
    monkeypatch.setenv("DUNEFALL_CACHE", str(tmp_path))
    monkeypatch.setattr(cache, "_machine", lambda: "machine")
    return tmp_path / "compiled" / "machine"


def reached(text: str) -> set[str]:
    """The project's modules that a text leads to."""
    found: set[str] = set()
    waiting = set(cache._imported(text))
    while waiting:
        module = waiting.pop()
        found.add(module)
        waiting |= cache._read(module)[1] - found
    return {module for module in found if cache._COMPILED.match(module)}


def test_a_kernel_hangs_on_its_own_file_and_its_building_blocks_only() -> None:
    found = reached(kernels._wrapper_text(catalogue()["clock"]))
    assert found == {
        "dunefall.catalogue.time.clock",
        "dunefall.compiler.views",
        "dunefall.dsp.cache",
        "dunefall.dsp.cachefiles",
        "dunefall.dsp.random",
        "dunefall.dsp.triggers",
    }
    assert "dunefall.dsp.strike" in reached(kernels._wrapper_text(catalogue()["envelope"]))


def test_another_source_gives_another_name(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    text = kernels._wrapper_text(catalogue()["clock"])
    before = cache.sources_of(text)
    assert cache.sources_of(text) == before
    assert cache.sources_of(text + "#") != before
    real = cache._read

    def changed(module: str) -> tuple[bytes, frozenset[str]]:
        source, names = real(module)
        return (source + b"#" if module == "dunefall.dsp.random" else source), names

    monkeypatch.setattr(cache, "_read", changed)
    assert cache.sources_of(text) != before
    assert cache.sources_of(kernels._wrapper_text(catalogue()["transpose"])) == cache.sources_of(
        kernels._wrapper_text(catalogue()["transpose"])
    )


def test_only_the_last_few_of_a_stem_are_kept(own_root: Path) -> None:
    for k in range(6):
        folder = cache.kept_folder("clock", f"{k:016x}")
        os.utime(folder, (k, k))
        cache.kept_folder("clock-radio", f"{k:016x}")
    kept = sorted(item.name for item in own_root.glob("clock-0*"))
    assert len(kept) == 3
    assert f"clock-{5:016x}" in kept
    assert len(list(own_root.glob("clock-radio-*"))) == 3


def test_generated_files_are_written_once(own_root: Path) -> None:
    first = kernels.generated_path("clock", "from dunefall.dsp.random import uniform\n")
    stamp = first.stat().st_mtime_ns
    assert kernels.generated_path("clock", "from dunefall.dsp.random import uniform\n") == first
    assert first.stat().st_mtime_ns == stamp
    assert not kernels.compiled_before(first)


def test_names_that_are_taken_are_refused() -> None:
    from dataclasses import replace

    from dunefall.catalogue.declare import Param

    spec = catalogue()["transpose"]
    clash = replace(spec, params=(*spec.params, Param("levels", "Levels", "none", 0, 1, 0)))
    with pytest.raises(ValueError, match="a meaning that is taken"):
        kernels.kernel_arguments(clash)


def test_what_is_missing_is_compiled_by_another_process(monkeypatch: pytest.MonkeyPatch) -> None:
    """Beside a sounding thread nothing is compiled in this process: another one does, then it is loaded from disk."""
    asked: list[list[Path]] = []

    class Done:
        def wait(self) -> int:
            return 0

    def elsewhere(paths: list[Path], *, idle: bool = False) -> Done:
        asked.append([*paths])
        return Done()

    monkeypatch.setattr(kernels, "_loaded", {})
    monkeypatch.setattr(warmup, "make_elsewhere", elsewhere)
    warmup.prepare_beside(["clock", "transpose", "unheard-of"])
    assert asked == []  # both are on disk
    assert set(kernels._loaded) == {"clock", "transpose"}
    monkeypatch.setattr(kernels, "_loaded", {})
    real = kernels.compiled_before
    monkeypatch.setattr(warmup, "compiled_before", lambda path: "clock" not in path.name and real(path))
    warmup.prepare_beside(["clock", "transpose"])
    assert [path.parent.name.partition("-")[0] for path in asked[0]] == ["clock"]
    assert set(kernels._loaded) == {"clock", "transpose"}


def test_the_engine_in_reserve_loads_what_is_there_and_has_the_rest_made(monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[tuple[int, bool]] = []
    monkeypatch.setattr(kernels, "_loaded", {})
    monkeypatch.setattr(warmup, "make_elsewhere", lambda paths, *, idle=False: asked.append((len(paths), idle)))
    real = kernels.compiled_before
    monkeypatch.setattr(warmup, "compiled_before", lambda path: "glide" not in path.name and real(path))
    warmup.prepare_idly(["glide", "transpose"])
    assert asked == [(1, True)]
    assert set(kernels._loaded) == {"transpose"}
