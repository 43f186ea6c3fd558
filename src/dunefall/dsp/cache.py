"""How code is compiled, and where it is kept between starts.

Numba's own disk cache does not notice that a function in another file has changed, and code made for one processor
may not run on another. So the folder is named after the project's sources, the versions and the processor.
"""

from __future__ import annotations

import hashlib
import os
import platform
import shutil
from collections.abc import Callable
from functools import cache
from importlib.metadata import version
from pathlib import Path
from typing import Any

import platformdirs
from llvmlite import binding
from numba import config, njit

__all__ = ["cache_folder", "cached_njit", "use_cache_folder"]

_SOURCES = Path(__file__).parent.parent
_COMPILED = ("dsp", "catalogue", "compiler")
_KEPT_FOLDERS = 3
if config.CPU_FEATURES is None:  # type: ignore[attr-defined]
    # A processor that has vectors of eight numbers uses them: by itself LLVM is content with four.
    _FEATURES = binding.get_host_cpu_features().flatten() + ",-prefer-256-bit"
    config.CPU_FEATURES = _FEATURES  # type: ignore[attr-defined]


@cache
def cache_folder() -> Path:
    """Folder of the compiled code of exactly these sources on exactly this kind of machine; made if missing."""
    digest = hashlib.blake2b(digest_size=8)
    for name in _COMPILED:
        place = _SOURCES / name
        for file in sorted(place.rglob("*.py")) if place.is_dir() else [place]:
            digest.update(file.relative_to(_SOURCES).as_posix().encode())
            digest.update(file.read_bytes())
    for part in (
        platform.python_version(),
        version("numba"),
        version("llvmlite"),
        binding.get_host_cpu_name(),
    ):
        digest.update(part.encode())
    digest.update(binding.get_host_cpu_features().flatten().encode())
    root = Path(os.environ.get("DUNEFALL_CACHE") or platformdirs.user_cache_dir("dunefall")) / "compiled"
    folder = root / digest.hexdigest()
    folder.mkdir(parents=True, exist_ok=True)
    _forget_old(root, folder)
    return folder


def use_cache_folder() -> Path:
    """Point Numba's disk cache to the folder of these sources; returns it."""
    folder = cache_folder()
    config.CACHE_DIR = str(folder)  # type: ignore[attr-defined]
    return folder


def cached_njit(**options: Any) -> Callable[[Callable[..., Any]], Any]:
    """``numba.njit`` with the disk cache in the right folder: Numba chooses the place when it decorates."""
    use_cache_folder()
    return njit(nogil=True, error_model="numpy", cache=True, **options)  # type: ignore[no-any-return]


def _forget_old(root: Path, present: Path) -> None:
    os.utime(present)
    folders = sorted((item for item in root.iterdir() if item.is_dir()), key=lambda item: -item.stat().st_mtime)
    for old in folders[_KEPT_FOLDERS:]:
        shutil.rmtree(old, ignore_errors=True)
