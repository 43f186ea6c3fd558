"""Warm-up: kernels and the loop compiled, or loaded from disk, before anything sounds."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Callable, Iterable

import numpy as np

from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import ModuleSpec
from dunefall.compiler.build import compile_patch
from dunefall.compiler.kernels import compiled, compiled_before, kernel_address, kernel_path, make_elsewhere
from dunefall.compiler.loop import run
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import no_traces
from dunefall.patch.model import Patch

__all__ = ["prepare", "prepare_beside", "prepare_idly", "warm_up"]

MANY_TO_MAKE = 6
"""So many kernels that are not on disk are compiled by two processes."""


def warm_up() -> None:
    """Compile the loop, or load it from disk."""
    program = compile_patch(Patch(), rate=48000.0)
    run(program.plan, program.memory, no_traces(), np.zeros((QUANTUM, 2)))


def prepare(type_ids: Iterable[str], progress: Callable[[int, int, str], None] | None = None) -> None:
    """Compile or load the kernels of these module types and the loop that runs them.

    Where many are to be compiled, a second process takes the last ones of them.

    Parameters
    ----------
    type_ids : iterable of str
        Types of modules.
    progress : function of (done, total, name)
        Called before each step and once at the end, if something is to be compiled; loading takes no time to speak of.
    """
    todo = _not_loaded(type_ids)
    missing = [path for path in map(kernel_path, todo) if not compiled_before(path)]
    report = progress if progress is not None and missing else (lambda done, total, name: None)
    helper = None
    if len(missing) >= MANY_TO_MAKE and (os.cpu_count() or 1) > 1:
        helper = make_elsewhere(missing[: len(missing) // 2 - 1 : -1])
    for done, spec in enumerate(todo):
        report(done, len(todo) + 1, spec.name)
        kernel_address(spec)
    report(len(todo), len(todo) + 1, "engine loop")
    warm_up()
    if helper is not None:
        helper.wait()
    report(len(todo) + 1, len(todo) + 1, "")


def prepare_beside(type_ids: Iterable[str]) -> bool:
    """Load the kernels of these module types; what is missing is compiled by another process, so that a thread that
    sounds is not held up. Waits for it; gives whether anything was loaded.

    Parameters
    ----------
    type_ids : iterable of str
        Types of modules.

    Returns
    -------
    bool
    """
    todo = _not_loaded(type_ids)
    missing = [path for path in map(kernel_path, todo) if not compiled_before(path)]
    if missing:
        make_elsewhere(missing).wait()
    for spec in todo:
        kernel_address(spec)
    return bool(todo)


def prepare_idly(type_ids: Iterable[str], others: Iterable[str] = ()) -> subprocess.Popen[bytes] | None:
    """Load the loop and those of these kernels that are compiled; gives the process that compiles what is missing of
    them and of ``others`` while nobody else works, or None.

    Parameters
    ----------
    type_ids : iterable of str
        Types of modules.
    others : iterable of str
        Types that are compiled in the background.

    Returns
    -------
    subprocess.Popen[bytes] or None
    """
    wanted = list(type_ids)
    paths = {spec.id: kernel_path(spec) for spec in _not_loaded([*wanted, *others])}
    missing = [path for path in paths.values() if not compiled_before(path)]
    for spec in _not_loaded(wanted):
        if paths[spec.id] not in missing:
            kernel_address(spec)
    warm_up()
    return make_elsewhere(missing, idle=True) if missing else None


def _not_loaded(type_ids: Iterable[str]) -> list[ModuleSpec]:
    specs = [spec for spec in (spec_of(type_id) for type_id in dict.fromkeys(type_ids)) if spec]
    return [spec for spec in specs if not compiled(spec)]
