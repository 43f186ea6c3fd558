"""How threads share the tasks of a program: who may run what, without locks.

All of it is numbers in one array, the words of a team (``compiler.team``). Each strand has a turn: how many of its
tasks were ever done, and whether it is free, being run by one thread, or closed, as between quantums. The thread that
runs the program opens the strands, takes part itself, and goes on when all are closed again; a helper that comes late
finds nothing to do. A thread may look into the arrays of the program only while it runs a strand: until it lets it go,
the quantum cannot end.
"""

from __future__ import annotations

from typing import Any

from numba import njit, types

from dunefall.compiler.atomics import load as _load
from dunefall.compiler.atomics import pause as _pause
from dunefall.compiler.atomics import store as _store
from dunefall.compiler.atomics import swap_if as _swap_if
from dunefall.compiler.plan import Ints
from dunefall.compiler.records import MOST_THREADS, STRANDS
from dunefall.compiler.views import address_caller

__all__ = [
    "BUSY", "CLOSED", "FREE", "HELPERS", "LEAVE", "POST", "WAIT", "WORDS", "YIELD", "advance", "begin_run",
    "close_strands", "context_of", "done_of", "end_run", "is_open", "may_leave", "open_strands", "semaphore_at",
    "sleep_until_wanted", "take", "turn_of", "wait_a_little",
]  # fmt: skip

FREE, BUSY, CLOSED = range(3)
_OPEN, _CONTEXT, LEAVE, HELPERS, POST, WAIT, YIELD = 0, 8, 16, 17, 18, 19, 20
_LINE = 8
"""Words of a cache line: what one thread writes is not in that of another."""
_SEMAPHORES = 32
"""Where the helpers' semaphores are, one in each line."""
_ASLEEP = _SEMAPHORES + _LINE * MOST_THREADS
_BEGUN = _ASLEEP + _LINE * MOST_THREADS
_TURNS = _BEGUN + _LINE * (-(-STRANDS // _LINE))
WORDS = _TURNS + _LINE * STRANDS
"""How many words a team has."""
_PATIENCE = 2000
"""A thread that has waited so many rounds lets others have the processor."""
load: Any = _load
pause: Any = _pause
store: Any = _store
swap_if: Any = _swap_if
_of_semaphore: Any = address_caller(types.int32(types.int64))
_yield: Any = address_caller(types.int32())


def semaphore_at(team: int, helper: int) -> int:
    """Address of a helper's semaphore.

    Parameters
    ----------
    team : int
        Address of the team's words.
    helper : int
        Its number, from 1 on.

    Returns
    -------
    int
    """
    return team + 8 * (_SEMAPHORES + _LINE * helper)


def close_strands(words: Ints) -> None:
    """Close all strands of a team that begins.

    Parameters
    ----------
    words : ndarray of int
        The team's words.
    """
    words[_TURNS::_LINE] = CLOSED


@njit(nogil=True, error_model="numpy", forceinline=True)
def _turn_at(team: int, strand: int) -> int:
    return team + 8 * (_TURNS + _LINE * strand)


@njit(nogil=True, error_model="numpy", forceinline=True)
def turn_of(team: int, strand: int) -> int:
    """How many tasks of a strand were ever done, times four, and its state.

    Parameters
    ----------
    team : int
        Address of the team's words.
    strand : int
        Which.

    Returns
    -------
    int
    """
    turn: int = load(_turn_at(team, strand))
    return turn


@njit(nogil=True, error_model="numpy", forceinline=True)
def done_of(team: int, strand: int) -> int:
    """How many tasks of a strand are done in this quantum; for a thread that runs one.

    Parameters
    ----------
    team : int
        Address of the team's words.
    strand : int
        Which.

    Returns
    -------
    int
    """
    done: int = (load(_turn_at(team, strand)) >> 2) - load(team + 8 * (_BEGUN + strand))
    return done


@njit(nogil=True, error_model="numpy", forceinline=True)
def take(team: int, strand: int, turn: int) -> bool:
    """Take a strand that was free; whether no other thread was faster.

    Parameters
    ----------
    team : int
        Address of the team's words.
    strand : int
        Which.
    turn : int
        As ``turn_of`` gave it.

    Returns
    -------
    bool
    """
    took: bool = swap_if(_turn_at(team, strand), turn, turn + BUSY)
    return took


@njit(nogil=True, error_model="numpy", forceinline=True)
def advance(team: int, strand: int, state: int, tasks: int) -> None:
    """Tell that tasks of a strand that this thread runs are done, and what becomes of it.

    Parameters
    ----------
    team : int
        Address of the team's words.
    strand : int
        Which.
    state : int
        ``BUSY`` while it is kept, ``FREE`` or ``CLOSED``.
    tasks : int
        How many more are done.
    """
    at = _turn_at(team, strand)
    store(at, (((load(at) >> 2) + tasks) << 2) + state)


@njit(nogil=True, error_model="numpy", forceinline=True)
def context_of(team: int) -> int:
    """Address of what is run; for a thread that runs a strand of it.

    Parameters
    ----------
    team : int
        Address of the team's words.

    Returns
    -------
    int
    """
    context: int = load(team + 8 * _CONTEXT)
    return context


@njit(nogil=True, error_model="numpy")
def open_strands(team: int, strands: Ints) -> None:
    """Let all threads see what there is to do in a quantum; all strands are closed until now.

    Parameters
    ----------
    team : int
        Address of the team's words.
    strands : ndarray [shape=(STRANDS, 2)]
        See ``Plan``: those without tasks stay closed.
    """
    for strand in range(STRANDS):
        store(team + 8 * (_BEGUN + strand), load(_turn_at(team, strand)) >> 2)
    for strand in range(STRANDS):
        if strands[strand, 1] > 0:
            advance(team, strand, FREE, 0)


@njit(nogil=True, error_model="numpy")
def begin_run(team: int, context: int) -> bool:
    """Wake the helpers for a run; whether there are some, and nobody else has them.

    Parameters
    ----------
    team : int
        Address of the team's words.
    context : int
        Address of what is run.

    Returns
    -------
    bool
    """
    helpers = load(team + 8 * HELPERS)
    if helpers == 0 or not swap_if(team + 8 * _OPEN, 0, 1):
        return False
    store(team + 8 * _CONTEXT, context)
    for helper in range(1, 1 + helpers):
        if swap_if(team + 8 * (_ASLEEP + _LINE * helper), 1, 0):
            _of_semaphore(load(team + 8 * POST), (team + 8 * (_SEMAPHORES + _LINE * helper),))
    return True


@njit(nogil=True, error_model="numpy", forceinline=True)
def end_run(team: int) -> None:
    """Let the helpers go to sleep.

    Parameters
    ----------
    team : int
        Address of the team's words.
    """
    store(team + 8 * _OPEN, 0)


@njit(nogil=True, error_model="numpy", forceinline=True)
def is_open(team: int) -> bool:
    """Whether something runs.

    Parameters
    ----------
    team : int
        Address of the team's words.

    Returns
    -------
    bool
    """
    runs: bool = load(team + 8 * _OPEN) != 0
    return runs


@njit(nogil=True, error_model="numpy", forceinline=True)
def may_leave(team: int) -> bool:
    """Whether helpers are no longer needed.

    Parameters
    ----------
    team : int
        Address of the team's words.

    Returns
    -------
    bool
    """
    leave: bool = load(team + 8 * LEAVE) != 0
    return leave


@njit(nogil=True, error_model="numpy")
def sleep_until_wanted(team: int, helper: int) -> None:
    """Sleep until something runs, or this helper may leave.

    Parameters
    ----------
    team : int
        Address of the team's words.
    helper : int
        Its number, from 1 on.
    """
    asleep = team + 8 * (_ASLEEP + _LINE * helper)
    swap_if(asleep, 0, 1)
    if (is_open(team) or may_leave(team)) and swap_if(asleep, 1, 0):
        return
    _of_semaphore(load(team + 8 * WAIT), (team + 8 * (_SEMAPHORES + _LINE * helper),))


@njit(nogil=True, error_model="numpy", forceinline=True)
def wait_a_little(team: int, rounds: int) -> None:
    """Wait for other threads; ``rounds`` tells how often that was done.

    Parameters
    ----------
    team : int
        Address of the team's words.
    rounds : int
        How often nothing was found to do.
    """
    if rounds % _PATIENCE == _PATIENCE - 1:
        _yield(load(team + 8 * YIELD), ())
    else:
        pause()
