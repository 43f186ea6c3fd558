"""The one compiled loop: runs a flat program quantum by quantum, without Python in between.

Parts outside of feedback run a whole quantum per module. Parts in feedback run sample by sample, and a link that
closes a loop reads the sample before: exactly one sample of delay, at the link that ``compiler.graph`` chose.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from dunefall.compiler.kernels import FAST, call_kernel
from dunefall.compiler.kernels import borrow as _borrow
from dunefall.compiler.program import QUANTUM, RAMP_S, Memory, Plan
from dunefall.dsp.cache import cached_njit
from dunefall.dsp.maths import exp2, saturate

__all__ = ["PROBES", "PROBE_SAMPLES", "TRACE_BINS", "TRACE_QUANTUMS", "Traces", "no_traces", "run", "warm_up"]

TRACE_BINS = 1024
TRACE_QUANTUMS = 8
PROBES = 4
PROBE_SAMPLES = 1 << 19
LOOP_KNEE = 2.0
"""Audio that goes round a loop is bent above this level and never passes twice of it."""
FAULT_SIZE = 1e12


borrow: Any = _borrow


class Traces(NamedTuple):
    """Where the loop writes what the window shows; the arrays lie in shared memory.

    ``rows`` are the traced rows and ``slots`` their places in ``bins`` (slot, bin, lowest and highest). ``counts``
    holds: bins written, quantums in the present bin, probe samples written.
    """

    rows: NDArray[np.int64]
    slots: NDArray[np.int64]
    bins: NDArray[np.float32]
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    probe_rows: NDArray[np.int64]
    probes: NDArray[np.float32]
    counts: NDArray[np.int64]


def no_traces() -> Traces:
    """Traces for a run that nobody watches."""
    return Traces(
        np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros((0, TRACE_BINS, 2), np.float32), np.zeros(0),
        np.zeros(0), np.full(PROBES, -1), np.zeros((PROBES, 0), np.float32), np.zeros(3, np.int64),
    )  # fmt: skip


@njit(nogil=True, error_model="numpy", forceinline=True)
def _curve(x, curve):  # type: ignore[no-untyped-def]
    if curve == 1:
        return x * abs(x)
    if curve == 2:
        return math.copysign(math.sqrt(abs(x)), x)
    size = min(abs(x), 1.0)
    return math.copysign(size * size * (3.0 - 2.0 * size), x)


@njit(nogil=True, error_model="numpy", forceinline=True)
def _place(left, ramp):  # type: ignore[no-untyped-def]
    u = 1.0 - left / ramp
    return u * u * (3.0 - 2.0 * u)


@njit(nogil=True, error_model="numpy", fastmath=FAST, forceinline=True)
def _link_value(rows, link, amounts, i, ramp):  # type: ignore[no-untyped-def]
    """What a link adds at sample i of the quantum; its glide moves on by one sample."""
    if link.delayed != 0:
        value = rows[link.row + ((i + QUANTUM - 1) & (QUANTUM - 1))]
        if link.bounded != 0:
            value = saturate(value, LOOP_KNEE)
    else:
        value = rows[link.row + i]
    if link.curve != 0:
        value = _curve(value, link.curve)
    if amounts.left == 0:
        return value * amounts.amount_goal + amounts.offset_goal
    amounts.left -= 1
    place = _place(amounts.left, ramp)
    amount = amounts.amount_start + (amounts.amount_goal - amounts.amount_start) * place
    return value * amount + amounts.offset_start + (amounts.offset_goal - amounts.offset_start) * place


@njit(nogil=True, error_model="numpy", fastmath=FAST)
def _fill(rows, entry, base):  # type: ignore[no-untyped-def]
    """Fill the whole row of an input that nothing moves."""
    value = min(max(base.goal, entry.low), entry.high)
    value = exp2(value) if entry.octaves != 0 else value
    for k in range(entry.row, entry.row + QUANTUM):
        rows[k] = value
    base.stale = 0


@njit(nogil=True, error_model="numpy", fastmath=FAST, forceinline=True)
def _gather_one(rows, entry, base, links, amounts, i, ramp):  # type: ignore[no-untyped-def]
    """Sample i of an input's row from its base value and its links."""
    value = base.goal
    if base.left > 0:
        base.left -= 1
        base.stale = 1
        value = base.start + (base.goal - base.start) * _place(base.left, ramp)
    for k in range(entry.link_first, entry.link_last):
        value += _link_value(rows, links[k], amounts[k], i, ramp)
    value = min(max(value, entry.low), entry.high)
    rows[entry.row + i] = exp2(value) if entry.octaves != 0 else value


@njit(nogil=True, error_model="numpy", fastmath=FAST, forceinline=True)
def _gather(rows, entry, base, links, amounts, ramp):  # type: ignore[no-untyped-def]
    """A whole quantum of an input's row; plain loops over views, which vectorise."""
    row = rows[entry.row : entry.row + QUANTUM]
    left, goal = base.left, base.goal
    if left > 0:
        begin = base.start
        for i in range(QUANTUM):
            left = max(left - 1, 0)
            row[i] = begin + (goal - begin) * _place(left, ramp)
        base.left = left
        base.stale = 1
    else:
        for i in range(QUANTUM):
            row[i] = goal
    for k in range(entry.link_first, entry.link_last):
        link, moving = links[k], amounts[k]
        if moving.left == 0 and link.delayed == 0 and link.curve == 0:
            source = rows[link.row : link.row + QUANTUM]
            amount, offset = moving.amount_goal, moving.offset_goal
            for i in range(QUANTUM):
                row[i] += source[i] * amount + offset
        else:
            for i in range(QUANTUM):
                row[i] += _link_value(rows, link, moving, i, ramp)
    low, high = entry.low, entry.high
    if entry.octaves != 0:
        for i in range(QUANTUM):
            row[i] = exp2(min(max(row[i], low), high))
    elif low > -math.inf:
        for i in range(QUANTUM):
            row[i] = min(max(row[i], low), high)


@njit(nogil=True, error_model="numpy", fastmath={"reassoc", "contract"}, forceinline=True)
def _sound(row):  # type: ignore[no-untyped-def]
    """Whether a row is finite and bounded; made of operations that vectorise."""
    size = 0.0
    for i in range(row.size):
        size += abs(row[i])
    return size < FAULT_SIZE


@njit(nogil=True, error_model="numpy", forceinline=True)
def _gather_all(plan, memory, module, start, n, ramp):  # type: ignore[no-untyped-def]
    for i in range(module.input_first, module.input_last):
        entry, base = plan.inputs[i], memory.bases[i]
        if entry.link_first != entry.link_last or base.left != 0:
            if n == 1:
                _gather_one(memory.rows, entry, base, plan.links, memory.amounts, start, ramp)
            else:
                _gather(memory.rows, entry, base, plan.links, memory.amounts, ramp)
        elif base.stale != 0:
            _fill(memory.rows, entry, base)


@njit(nogil=True, error_model="numpy", forceinline=True)
def _run_module(plan, memory, places, m, start, n, ramp):  # type: ignore[no-untyped-def]
    """Run one module for a whole quantum, or for the one sample ``start`` of it."""
    if memory.faults[m] != 0:
        return
    module, rows = plan.modules[m], memory.rows
    _gather_all(plan, memory, module, start, n, ramp)
    if module.address == 0:
        _pass_on(rows, plan.ports, module, start, n)
        return
    call_kernel(
        module.address,
        (
            n, start, places[0], places[1] + 8 * module.port_first, places[2], module.state_at, places[3],
            module.memory_at, module.memory_size, module.key, module.linked, plan.rate[0],
        ),
    )  # fmt: skip
    for p in range(module.output_first, module.port_last):
        row = plan.ports[p]
        if not (abs(rows[row + start]) < FAULT_SIZE if n == 1 else _sound(rows[row : row + QUANTUM])):
            _silence(plan, memory, m)
            return


@njit(nogil=True, error_model="numpy")
def _pass_on(rows, ports, module, start, n):  # type: ignore[no-untyped-def]
    """A bypassed module: its first output gives what it would have worked on, the others rest."""
    for p in range(module.output_first, module.port_last):
        for i in range(start, start + n):
            passed = p == module.output_first and module.passes >= 0
            rows[ports[p] + i] = rows[module.passes + i] if passed else 0.0


@njit(nogil=True, error_model="numpy")
def _silence(plan, memory, m):  # type: ignore[no-untyped-def]
    """Stop a module that gave no finite number: its outputs rest at 0 and its state is cleared."""
    memory.faults[m] = 1
    module = plan.modules[m]
    for p in range(module.output_first, module.port_last):
        memory.rows[plan.ports[p] : plan.ports[p] + QUANTUM] = 0.0
    memory.states[module.state_at : module.state_at + module.state_size] = 0.0
    memory.memories[module.memory_at : module.memory_at + module.memory_size] = 0.0


@njit(nogil=True, error_model="numpy", fastmath=True)
def _span(row):  # type: ignore[no-untyped-def]
    low = high = row[0]
    for i in range(QUANTUM):
        low = min(low, row[i])
        high = max(high, row[i])
    return low, high


@njit(nogil=True, error_model="numpy")
def _trace(memory, traces):  # type: ignore[no-untyped-def]
    counts = traces.counts
    begins, ends = counts[1] == 0, counts[1] == TRACE_QUANTUMS - 1
    at = counts[0] % TRACE_BINS
    for t in range(traces.rows.size):
        low, high = _span(memory.rows[traces.rows[t] : traces.rows[t] + QUANTUM])
        if not begins:
            low, high = min(low, traces.low[t]), max(high, traces.high[t])
        traces.low[t], traces.high[t] = low, high
        if ends:
            traces.bins[traces.slots[t], at, 0] = low
            traces.bins[traces.slots[t], at, 1] = high
    counts[1] = 0 if ends else counts[1] + 1
    counts[0] += 1 if ends else 0
    size = traces.probes.shape[1]
    if size > 0:
        place = counts[2] % size
        for p in range(traces.probe_rows.size):
            row = traces.probe_rows[p]
            for i in range(QUANTUM):
                traces.probes[p, place + i] = memory.rows[row + i] if row >= 0 else 0.0
    counts[2] += QUANTUM


@njit(nogil=True, error_model="numpy", forceinline=True)
def _run(plan, memory, traces, out):  # type: ignore[no-untyped-def]
    ramp = max(1, round(RAMP_S * plan.rate[0]))
    places = (
        memory.rows.ctypes.data, plan.ports.ctypes.data, memory.states.ctypes.data, memory.memories.ctypes.data,
    )  # fmt: skip
    for q in range(out.shape[0] // QUANTUM):
        for s in range(plan.parts.shape[0]):
            first, last, loop = plan.parts[s, 0], plan.parts[s, 1], plan.parts[s, 2]
            step = 1 if loop != 0 else QUANTUM
            for start in range(0, QUANTUM, step):
                for m in range(first, last):
                    if step == 1:
                        _run_module(plan, memory, places, m, start, 1, ramp)
                    else:
                        _run_module(plan, memory, places, m, 0, QUANTUM, ramp)
        at = q * QUANTUM
        out[at : at + QUANTUM, :] = 0.0
        for k in range(plan.outs.shape[0]):
            left, right = plan.outs[k, 0], plan.outs[k, 1]
            for i in range(QUANTUM):
                out[at + i, 0] += memory.rows[left + i]
                out[at + i, 1] += memory.rows[right + i]
        memory.position[0] += QUANTUM
        if traces.slots.size > 0:
            _trace(memory, traces)


@cached_njit()
def run(plan_held, memory_held, traces_held, out_held):  # type: ignore[no-untyped-def]
    """Compute the next quantums of a program.

    Parameters
    ----------
    plan_held, memory_held, traces_held : Plan, Memory, Traces
        The program, what it remembers (changed in place), and where the window looks.
    out_held : ndarray [shape=(quantums * QUANTUM, 2), C order]
        Receives the sum of all layers, left and right.
    """
    p, m = plan_held, memory_held
    plan = Plan(
        borrow(p.parts), borrow(p.modules), borrow(p.ports), borrow(p.inputs), borrow(p.links), borrow(p.outs),
        borrow(p.rate),
    )  # fmt: skip
    memory = Memory(
        borrow(m.rows), borrow(m.states), borrow(m.memories), borrow(m.bases), borrow(m.amounts), borrow(m.faults),
        borrow(m.position),
    )  # fmt: skip
    t = traces_held
    traces = Traces(
        borrow(t.rows), borrow(t.slots), borrow(t.bins), borrow(t.low), borrow(t.high), borrow(t.probe_rows),
        borrow(t.probes), borrow(t.counts),
    )  # fmt: skip
    _run(plan, memory, traces, borrow(out_held))


def warm_up() -> None:
    """Compile the loop, or load it from disk."""
    from dunefall.compiler.build import compile_patch
    from dunefall.patch.model import Patch

    program = compile_patch(Patch(), rate=48000.0)
    run(program.plan, program.memory, no_traces(), np.zeros((QUANTUM, 2)))
