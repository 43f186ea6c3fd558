"""Compiled kernels: each module's kernel behind one common signature, reached by its address.

For each declaration a small file is written into the cache folder that turns the flat arrays into the named arrays
that the kernel asks for; Numba compiles it once and loads it from disk later. Adding a module compiles that module
only, and a patch loads only the kernels that it uses.
"""

from __future__ import annotations

import contextlib
import importlib.util
import os
import subprocess
import sys
from collections.abc import Iterable
from pathlib import Path
from types import ModuleType
from typing import Any

from dunefall.base.caches import cannot_keep
from dunefall.base.layouts import MOST_CHANNELS
from dunefall.catalogue.declare import ModuleSpec
from dunefall.compiler.records import MODULE, PLACES, QUANTUM, SCRATCH, word
from dunefall.dsp.cache import kept_folder, sources_of

__all__ = [
    "OWN",
    "compiled",
    "compiled_before",
    "generated_path",
    "kernel_address",
    "kernel_arguments",
    "kernel_path",
    "listens",
    "load_generated",
    "make_elsewhere",
]

OWN = (
    "state", "memory", "rate", "key", "linked", "moving", "wanted", "scratch", "levels", "voices", "start", "live",
    "sound", "sound_rows", "sound_rate", "response", "whole_mix", "bypassed", "line_phase",
)  # fmt: skip
"""What a kernel may ask for by name beside its ports."""

_TEMPLATE = '''\
"""Made from the declaration of "{id}": the kernel behind the common signature."""
import numpy as np
from numba import cfunc, njit
from {module} import kernel as plain
from dunefall.compiler.views import SIGNATURE, floats, window, words
from dunefall.dsp.cache import use_folder_of

use_folder_of(__file__)
kernel = njit(nogil=True, error_model="numpy", forceinline=True)(plain)


@cfunc(SIGNATURE, cache=True, nopython=True, error_model="numpy", forceinline=True)
def entry(n, start, moving, ports_p, module_p, places_p, rate):
    at = words(ports_p, 0, {ports})
    module = words(module_p, 0, {size})
    places = words(places_p, 0, {places})
    rows_p = places[{rows}]
    {own}
    kernel({arguments})
'''

_loaded: dict[str, Any] = {}
_paths: dict[tuple[str, str], Path] = {}
"""Where this process has found generated code, or put it: looking for it takes as long as a short sound."""
_in_memory: dict[Path, str] = {}
"""Generated code that could not be written."""


def kernel_arguments(spec: ModuleSpec) -> list[str]:
    """Names that the kernel asks for, in its order: ports and series of the declaration and some of ``OWN``.

    Parameters
    ----------
    spec : ModuleSpec
        Declaration of the module.

    Returns
    -------
    list[str]

    Raises
    ------
    ValueError
        If it asks for something else, or has a port or series named as one of ``OWN``.
    """
    own = {port.id for port in (*spec.target_rows, *spec.output_rows)} | set(spec.series_places)
    if own & set(OWN):
        raise ValueError(f'module "{spec.id}" gives {sorted(own & set(OWN))} a meaning that is taken')
    unknown = [name for name in spec.asks if name not in own and name not in OWN]
    if unknown:
        raise ValueError(f'kernel of module "{spec.id}" asks for {unknown}, which its declaration does not have')
    return list(spec.asks)


def listens(spec: ModuleSpec) -> bool:
    """Whether a module takes the live input."""
    return "live" in spec.asks


def _wrapper_text(spec: ModuleSpec) -> str:
    ports = (*spec.target_rows, *spec.output_rows)
    place = {name: f"places[{PLACES.index(name)}]" for name in PLACES}
    field = {name: f"module[{word(MODULE, name)}]" for name in MODULE.names or ()}
    own = {
        "state": f"window({place['states']}, {field['state_at']}, {spec.state})",
        "memory": f"window({place['memories']}, {field['memory_at']}, {field['memory_size']})",
        "scratch": f"window({place['scratch']}, 0, {SCRATCH})",
        "levels": f"window({place['levels']}, {field['level_first']}, {field['level_count']})",
        "whole_mix": f"window({place['mix']}, 0, {MOST_CHANNELS * QUANTUM})",
        "live": f"window({place['live']}, start, n)",
        "sound": f"floats({field['sound']}, 0, {field['sound_size']})",
        "response": f"window({field['sound']}, 0, {field['sound_size']} // 2)",
        "sound_rows": field["sound_rows"],
        "sound_rate": field["sound_rate"],
        "voices": field["level_count"],
        "key": f"np.uint64({field['key']})",
        "linked": field["linked"],
        "wanted": field["wanted"],
        "bypassed": field["bypassed"],
        "line_phase": place["line_phase"],
    }
    for series, (first, count) in spec.series_places.items():
        own[series] = f"window({place['series']}, {field['series_at']} + {first}, {count})"
    row = {port.id: f"window(rows_p, at[{k}] + start, n)" for k, port in enumerate(ports)}
    each = {output.id for output in spec.outputs if output.per_voice}
    row |= {port.id: f"window(rows_p, at[{k}], {QUANTUM} * voices)" for k, port in enumerate(ports) if port.id in each}
    names = kernel_arguments(spec)
    asked = [name for name in own if name in names or (name == "voices" and each)]
    return _TEMPLATE.format(
        id=spec.id, module=spec.kernel.__module__, ports=len(ports), size=MODULE.itemsize // 8, places=len(PLACES),
        rows=PLACES.index("rows"), own="\n    ".join(f"{name} = {own[name]}" for name in asked),
        arguments=", ".join(row.get(name, name) for name in names),
    )  # fmt: skip


def load_generated(path: Path) -> ModuleType:
    """Import a file that ``generated_path`` wrote; its ``entry`` is compiled, or loaded from disk.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    ModuleType
    """
    module = _loaded_with_all(path)
    library = getattr(getattr(module, "entry", None), "_library", None)
    if library is not None and hasattr(library, "_shared_module"):
        library._shared_module = None  # a megabyte, kept so that others can be linked with it, as none are
    return module


def _loaded_with_all(path: Path) -> ModuleType:
    """A file of generated code, with all that Numba keeps of it."""
    name = f"dunefall_{path.stem}"
    if path in _in_memory:
        return _loaded_from(name, path, _in_memory[path])
    try:
        return _imported(name, path)
    except RuntimeError:  # Numba finds no place to keep it
        return _loaded_from(name, path, path.read_text())


def _imported(name: str, path: Path) -> ModuleType:
    found = importlib.util.spec_from_file_location(name, path)
    assert found is not None
    assert found.loader is not None
    module = importlib.util.module_from_spec(found)
    sys.modules[name] = module
    found.loader.exec_module(module)
    return module


def _loaded_from(name: str, path: Path, text: str) -> ModuleType:
    """A module of a text that is not kept, nor what is compiled of it."""
    module = ModuleType(name)
    module.__file__ = str(path)
    sys.modules[name] = module
    exec(compile(text.replace("cache=True, ", ""), str(path), "exec"), module.__dict__)
    return module


def compiled_before(path: Path) -> bool:
    """Whether generated code is on disk, compiled (Numba keeps an index file for it)."""
    return any(path.parent.rglob(f"{path.stem}.*.nbi"))


def generated_path(stem: str, text: str) -> Path:
    """The file of generated code in the folder of its sources, written if it is new; where it cannot be written, this
    process remembers the text.

    Parameters
    ----------
    stem : str
        Start of the folder's name; a digest of the text and of what it imports follows.
    text : str
        The generated code.

    Returns
    -------
    Path
    """
    known = _paths.get((stem, text))
    if known is not None and known.is_file():
        return known
    sources = sources_of(text)
    path = kept_folder(stem, sources) / f"{stem.replace('-', '_')}_{sources}.py"
    _paths[stem, text] = path
    if _kept(path) == text or path in _in_memory:
        return path
    own = path.with_suffix(f".{os.getpid()}")  # another process may be writing the same file
    try:
        own.write_text(text)
        os.replace(own, path)
    except OSError as error:
        with contextlib.suppress(OSError):
            own.unlink(missing_ok=True)
        cannot_keep(path.parent, error)
        _in_memory[path] = text
    return path


def _kept(path: Path) -> str:
    try:
        return path.read_text()
    except (OSError, UnicodeDecodeError):
        return ""


def kernel_path(spec: ModuleSpec) -> Path:
    """The file of a module's kernel behind the common signature, written if it is new."""
    return generated_path(spec.id, _wrapper_text(spec))


def kernel_address(spec: ModuleSpec) -> int:
    """Address of a module's compiled kernel; compiles it, or loads it from disk, when first asked.

    Parameters
    ----------
    spec : ModuleSpec
        Declaration of the module.

    Returns
    -------
    int
    """
    if spec.id not in _loaded:
        _loaded[spec.id] = load_generated(kernel_path(spec)).entry
    return int(_loaded[spec.id].address)


def compiled(spec: ModuleSpec) -> bool:
    """Whether this process has the kernel already."""
    return spec.id in _loaded


def make_elsewhere(paths: Iterable[Path], *, idle: bool = False) -> subprocess.Popen[bytes]:
    """A process that compiles generated files, one after the other, and ends, at the latest with this one; ``idle``:
    only when nobody else works.

    Parameters
    ----------
    paths : iterable of Path
        Generated files.
    idle : bool
        Whether at the lowest priority.

    Returns
    -------
    subprocess.Popen[bytes]
    """
    files = [str(path) for path in paths if path not in _in_memory]
    how = ["--for", str(os.getpid()), *(["--idle"] if idle else [])]
    command = [sys.executable, "-m", "dunefall.compiler.makecode", *how, *files]
    return subprocess.Popen(command, stdin=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
