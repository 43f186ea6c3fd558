"""The function that runs parts of a program, by its address: so that it is compiled once, whoever calls it."""

from __future__ import annotations

from functools import cache
from typing import Any

from numba import cfunc, njit, types

from dunefall.compiler.context import in_room
from dunefall.compiler.context import recall as _recall
from dunefall.compiler.parts import run_part
from dunefall.compiler.records import CONTEXT, QUANTUM, RAMP_S
from dunefall.compiler.views import address_caller
from dunefall.compiler.views import words as _words
from dunefall.dsp.cache import kept_folder, sources_of, use_folder_of

__all__ = ["ALONE", "FRAMES", "RUNNER", "call_runner", "runner_address"]

RUNNER, ALONE, FRAMES = CONTEXT - 3, CONTEXT - 2, CONTEXT - 1
"""Where in the context it is told where this function is, whether one thread runs everything, and how many samples of
the quantum."""
_RUNNER = types.void(types.int64, types.int64, types.int64, types.int64)
recall: Any = _recall
words: Any = _words
_call: Any = address_caller(_RUNNER)


def _run_parts(context: int, first: int, last: int, room: int) -> None:
    """Run parts of a program as the thread of this number."""
    plan, memory, traces = recall(context)
    start, n, ramp = memory.position[0] % QUANTUM, plan.context[FRAMES], max(1, round(RAMP_S * plan.rate[0]))
    plan, alone = in_room(plan, room), plan.context[ALONE] != 0
    for s in range(first, last):
        run_part(plan, memory, traces, s, start, n, ramp, alone or s >= plan.tail[0])


@cache
def runner_address() -> int:
    """Address of the compiled function; compiles it, or loads it from disk, when first asked."""
    use_folder_of(str(kept_folder("runner", sources_of(f"import {__name__}")) / "any"))
    options: dict[str, Any] = {"nopython": True, "error_model": "numpy"}
    try:
        made: Any = cfunc(_RUNNER, cache=True, **options)(_run_parts)
    except RuntimeError:  # Numba finds no place to keep it
        made = cfunc(_RUNNER, **options)(_run_parts)
    _held.append(made)
    address: int = made.address
    return address


_held: list[Any] = []
"""What is compiled lives as long as the process."""


@njit(nogil=True, error_model="numpy", forceinline=True)
def call_runner(context: int, first: int, last: int, room: int) -> None:
    """Run parts of a program as the thread of this number.

    Parameters
    ----------
    context : int
        Where the arrays of the run are written down.
    first, last : int
        Which parts.
    room : int
        Number of the thread.
    """
    _call(words(context, RUNNER, 1)[0], (context, first, last, room))
