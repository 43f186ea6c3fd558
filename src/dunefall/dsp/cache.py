"""How code is compiled, and where it is kept between starts.

Numba's own disk cache does not notice that a function in another file has changed, and code made for one processor may
not run on another. So everything compiled goes into a folder named after the sources that it is made of, below one
named after the versions and the processor: a changed module compiles that module only.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import platform
import re
import shutil
from collections.abc import Callable
from functools import cache
from importlib.metadata import version
from pathlib import Path
from typing import Any

from llvmlite import binding
from numba import config, njit

from dunefall.base.caches import cache_folder
from dunefall.dsp.cachefiles import use_checked_files

__all__ = ["cached_njit", "kept_folder", "sources_of", "use_folder_of"]

_ROOT = Path(__file__).parent.parent
_IMPORT = re.compile(r"^from (dunefall[\w.]*) import ([^(\n]*)|^import (dunefall[\w.]*)", re.MULTILINE)
_COMPILED = re.compile(r"dunefall\.(dsp|compiler|catalogue\.\w+)\.")
"""Where compiled code comes from; what is imported from elsewhere (declarations, units, patches) does not enter it."""
_KEPT_FOLDERS = 3
_KEPT_LOOPS = 60
if config.CPU_FEATURES is None:  # type: ignore[attr-defined]
    # A processor that has vectors of eight numbers uses them: by itself LLVM is content with four.
    _FEATURES = binding.get_host_cpu_features().flatten() + ",-prefer-256-bit"
    config.CPU_FEATURES = _FEATURES  # type: ignore[attr-defined]
use_checked_files()


@cache
def _machine() -> str:
    """Name of the folder for the versions and the processor of now."""
    digest = hashlib.blake2b(digest_size=8)
    for part in (platform.python_version(), version("numba"), version("llvmlite"), binding.get_host_cpu_name()):
        digest.update(part.encode())
    digest.update(binding.get_host_cpu_features().flatten().encode())
    return digest.hexdigest()


def _file_of(module: str) -> Path | None:
    place = _ROOT.joinpath(*module.split(".")[1:])
    return next((file for file in (place.with_suffix(".py"), place / "__init__.py") if file.is_file()), None)


@cache
def _read(module: str) -> tuple[bytes, frozenset[str]]:
    """Source of a module, and the project's modules that it names in its imports."""
    file = _file_of(module)
    source = file.read_bytes() if file else b""
    return source, _imported(source.decode())


def _imported(text: str) -> frozenset[str]:
    found = set()
    for place, names, whole in _IMPORT.findall(text):
        parts = [f"{place}.{name.strip().split(' ')[0]}" for name in names.split(",")] if place else []
        found |= {module for module in (place or whole, *parts) if _file_of(module)}
    return frozenset(found)


def sources_of(text: str) -> str:
    """Digest of a text and of all the project's sources that it imports, recursively.

    Parameters
    ----------
    text : str
        Source text.

    Returns
    -------
    str
    """
    reached: set[str] = set()
    waiting = set(_imported(text))
    while waiting:
        module = waiting.pop()
        reached.add(module)
        waiting |= _read(module)[1] - reached
    digest = hashlib.blake2b(text.encode(), digest_size=8)
    for module in sorted(module for module in reached if _COMPILED.match(module)):
        digest.update(module.encode())
        digest.update(_read(module)[0])
    return digest.hexdigest()


def kept_folder(stem: str, sources: str) -> Path:
    """Folder of what was made of these sources on exactly this kind of machine; made if it is missing, where that is
    possible; older ones of the same stem are forgotten.

    Parameters
    ----------
    stem : str
        How it begins.
    sources : str
        Digest of the sources, as `sources_of` gives it.

    Returns
    -------
    Path
    """
    folder = cache_folder("compiled", _machine(), f"{stem}-{sources}")
    if not folder.is_dir():
        return folder
    with contextlib.suppress(OSError):
        os.utime(folder)
    found = [item for item in folder.parent.glob(f"{stem}-*") if len(item.name) == len(folder.name)]
    most = _KEPT_LOOPS if stem == "loop" else _KEPT_FOLDERS
    for old in sorted(found, key=_last_used, reverse=True)[most:]:
        shutil.rmtree(old, ignore_errors=True)
    return folder


def _last_used(folder: Path) -> float:
    try:
        return folder.stat().st_mtime
    except OSError:  # another process has just forgotten it
        return 0.0


def use_folder_of(file: str) -> None:
    """Point Numba's disk cache to the folder of a file; Numba chooses the place of a function when it decorates it."""
    config.CACHE_DIR = str(Path(file).parent)  # type: ignore[attr-defined]


def cached_njit(**options: Any) -> Callable[[Callable[..., Any]], Any]:
    """``numba.njit`` with the disk cache in the folder of the function's sources."""

    def decorate(function: Callable[..., Any]) -> Any:
        name = function.__module__
        folder = kept_folder(name.rpartition(".")[2], sources_of(f"import {name}"))
        use_folder_of(str(folder / "any"))
        try:
            return njit(nogil=True, error_model="numpy", cache=True, **options)(function)
        except RuntimeError:  # Numba finds no place to keep it
            return njit(nogil=True, error_model="numpy", **options)(function)

    return decorate
