"""The one compiled loop: runs a flat program quantum by quantum, without Python in between, on one thread or several.

In each quantum the tasks of all strands run (``compiler.strands``), then the layers' ends go into the mix, in the order
of execution, and then the tail runs. The bits do not depend on how many threads share the tasks.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

from dunefall.base.layouts import MOST_CHANNELS
from dunefall.compiler.context import keep as _keep
from dunefall.compiler.context import recall as _recall
from dunefall.compiler.parts import into_mix, rest
from dunefall.compiler.plan import Floats, Ints, Memory, Plan, nothing_planned
from dunefall.compiler.records import MOST_THREADS, PLACES, QUANTUM, SCRATCH, STRANDS
from dunefall.compiler.runner import ALONE, FRAMES, RUNNER, call_runner, runner_address
from dunefall.compiler.sharing import (
    BUSY,
    CLOSED,
    FREE,
    WORDS,
    advance,
    begin_run,
    context_of,
    done_of,
    end_run,
    is_open,
    may_leave,
    open_strands,
    sleep_until_wanted,
    take,
    turn_of,
    wait_a_little,
)
from dunefall.compiler.traces import Traces, no_traces, trace_end
from dunefall.compiler.views import borrow as _borrow
from dunefall.dsp.cache import cached_njit
from dunefall.dsp.tiny import restore_tiny as _restore_tiny
from dunefall.dsp.tiny import tiny_is_zero as _tiny_is_zero

__all__ = ["LOUDEST", "NOBODY", "help_out", "run"]

LOUDEST = 10.0 ** (24.0 / 20.0)
"""What the mix gives out at most, +24 dBFS: a limiter that a runaway loop has held down comes up again soon."""
SCRATCH_PLACE, PHASE_PLACE = PLACES.index("scratch"), PLACES.index("line_phase")
NOBODY: Ints = np.zeros(WORDS, np.int64)
"""The words of a team without helpers."""
borrow: Any = _borrow
keep: Any = _keep
recall: Any = _recall
restore_tiny: Any = _restore_tiny
tiny_is_zero: Any = _tiny_is_zero


@njit(nogil=True, error_model="numpy")
def _run_strand(team: int, strand: int, room: int) -> bool:
    """Run what can be run of a strand that this thread has taken, and let it go; whether there was something."""
    context = context_of(team)
    plan = recall(context)[0]
    first, count = plan.strands[strand, 0], plan.strands[strand, 1]
    begun = index = done_of(team, strand)
    while index < count:
        for other in range(STRANDS):
            if done_of(team, other) < plan.tasks[first + index, 2 + other]:
                advance(team, strand, FREE, 0)
                return bool(index > begun)
        call_runner(context, plan.tasks[first + index, 0], plan.tasks[first + index, 1], room)
        index += 1
        advance(team, strand, CLOSED if index == count else BUSY, 1)
    return True


@njit(nogil=True, error_model="numpy")
def _take_part(team: int, room: int) -> None:
    """Run tasks until all strands are closed. Each thread looks first where it was the last time."""
    waited, found = 0, True
    while found:
        found, did = False, False
        for k in range(STRANDS):
            strand = (k + room) % STRANDS
            turn = turn_of(team, strand)
            if turn & 3 == CLOSED:
                continue
            found = True
            if turn & 3 == FREE and take(team, strand, turn):
                did = _run_strand(team, strand, room) or did
        if found and not did:
            wait_a_little(team, waited)
            waited += 1


@njit(nogil=True, error_model="numpy", forceinline=True)
def _run_together(plan: Plan, memory: Memory, team: int, context: int, start: int, n: int) -> None:
    """Run a quantum with others: the tasks of all strands, then what they give goes into the mix, then the tail."""
    open_strands(team, plan.strands)
    _take_part(team, 0)
    for k in range(plan.ends.size):
        into_mix(plan, memory, plan.ends[k], start, n)
    call_runner(context, plan.tail[0], plan.parts.shape[0], 0)


@njit(nogil=True, error_model="numpy", forceinline=True)
def _note_places(plan: Plan, memory: Memory) -> None:
    """Where compiled code finds its arrays, for each thread."""
    for k, address in enumerate((
        memory.rows.ctypes.data, memory.states.ctypes.data, memory.memories.ctypes.data, plan.scratch.ctypes.data,
        memory.levels.ctypes.data, plan.links.ctypes.data, memory.amounts.ctypes.data, plan.live.ctypes.data,
        memory.series.ctypes.data, plan.mix.ctypes.data,
    )):  # fmt: skip
        plan.places[k] = address
    for room in range(1, MOST_THREADS):
        for k in range(PHASE_PLACE):
            plan.places[len(PLACES) * room + k] = plan.places[k]
        plan.places[len(PLACES) * room + SCRATCH_PLACE] += 8 * SCRATCH * room


@njit(nogil=True, error_model="numpy", forceinline=True)
def _give(plan: Plan, out: Floats, done: int, n: int, groups: int) -> None:
    """The mix and its stems, as far as there is room."""
    width = out.shape[1] // groups
    for c in range(out.shape[1]):
        channel = c % width
        if channel < plan.channels.size:
            at = QUANTUM * (MOST_CHANNELS * (c // width) + channel)
            for i in range(n):
                out[done + i, c] = min(max(plan.mix[at + i], -LOUDEST), LOUDEST)
        else:
            out[done : done + n, c] = 0.0


@njit(nogil=True, error_model="numpy", forceinline=True)
def _run(context: int, out: Floats, team: Ints, runner: int) -> None:
    plan, memory, traces = recall(context)
    _note_places(plan, memory)
    groups, done = plan.mix.size // (QUANTUM * MOST_CHANNELS), 0
    together = begin_run(team.ctypes.data, context)
    plan.context[RUNNER], plan.context[ALONE] = runner, not together
    while done < out.shape[0]:
        start = memory.position[0] % QUANTUM
        n = min(QUANTUM - start, out.shape[0] - done)
        plan.context[FRAMES] = n
        plan.mix[:] = 0.0
        if together:
            _run_together(plan, memory, team.ctypes.data, context, start, n)
        else:
            call_runner(context, 0, plan.parts.shape[0], 0)
        _give(plan, out, done, n, groups)
        done += n
        memory.position[0] += n
        if start + n == QUANTUM:
            rest(plan, memory)
            if traces.slots.size > 0:
                trace_end(memory.rows, traces)
    if together:
        end_run(team.ctypes.data)


@njit(nogil=True, error_model="numpy", forceinline=True)
def _help(team: int, room: int) -> None:
    """Take part in runs until this helper may leave."""
    while not may_leave(team):
        sleep_until_wanted(team, room)
        while is_open(team):
            _take_part(team, room)
            wait_a_little(team, 0)


@cached_njit()
def _enter(plan: Plan, memory: Memory, traces: Traces, out: Floats, team: Ints, runner: int, room: int) -> None:
    """Run a program, or help to; one function, so that there is one copy of all that is inlined."""
    mode = tiny_is_zero()
    if room == 0:
        keep(plan.context.ctypes.data, (plan, memory, traces))
        _run(plan.context.ctypes.data, borrow(out), borrow(team), runner)
    else:
        _help(team.ctypes.data, room)
    restore_tiny(mode)


def run(plan: Plan, memory: Memory, traces: Traces, out: Floats, team: Ints = NOBODY) -> None:
    """Compute the next samples of a program, in quantums aligned to multiples of QUANTUM.

    Parameters
    ----------
    plan, memory, traces : Plan, Memory, Traces
        The program, what it remembers (changed in place), and where the window looks.
    out : ndarray [shape=(n, channels), C order]
        Receives the sum of all layers, at most ``LOUDEST``, as far as it has room; channels that the patch has not
        are silent. A program with stems divides the channels evenly: the mix first, then each stem.
        What ends within a quantum goes on there next time.
    team : ndarray of int
        The words of the team that shares the work, if it has no other: see ``compiler.team``.
    """
    _enter(plan, memory, traces, out, team, runner_address(), 0)


def help_out(team: Ints, room: int) -> None:
    """Take part in the runs of a team until it is closed; without Python's lock.

    Parameters
    ----------
    team : ndarray of int
        The team's words.
    room : int
        Number of this helper, from 1 on.
    """
    _enter(*nothing_planned(), no_traces(), np.zeros((0, 0)), team, 0, room)
