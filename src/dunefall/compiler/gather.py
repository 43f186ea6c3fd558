"""What the inputs of a module take in the present quantum: base values, offsets, links, all that glides."""

from __future__ import annotations

import math
from typing import Any

from numba import njit

from dunefall.base.arrays import Row
from dunefall.compiler.plan import Floats, Memory, Plan, Record, Records
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.views import piece as _piece
from dunefall.dsp.maths import exp2, fma
from dunefall.dsp.saturation import saturate_rarely, saturate_row

__all__ = ["ceiling", "fill", "gather_late", "gather_linked", "gather_restless", "keep_late", "shaped"]

LOOP_KNEE = 2.0
"""Audio that goes round a loop is bent above this level and never passes twice of it."""
piece: Any = _piece


@njit(nogil=True, error_model="numpy", forceinline=True)
def shaped(x: float, curve: int) -> float:
    """A link's response curve (its place in ``patch.model.CURVES``, not 0).

    Parameters
    ----------
    x : float
        What the link brings.
    curve : int
        Place of the curve in `patch.model.CURVES`.

    Returns
    -------
    float
    """
    if curve == 1:
        return x * abs(x)
    if curve == 2:
        return math.copysign(math.sqrt(abs(x)), x)
    size = min(abs(x), 1.0)
    return math.copysign(size * size * fma(-2.0, size, 3.0), x)


@njit(nogil=True, error_model="numpy", forceinline=True)
def ceiling(x: float) -> float:
    """Audio that goes round a loop."""
    return saturate_rarely(x, LOOP_KNEE)


@njit(nogil=True, error_model="numpy", forceinline=True)
def _place(left: float, ramp: int) -> float:
    u = 1.0 - left / ramp
    return u * u * (3.0 - 2.0 * u)


@njit(nogil=True, error_model="numpy", forceinline=True)
def _link_signal(rows: Floats, link: Record, i: int) -> float:
    """What a link takes at sample i of the quantum, before its amount."""
    if link.delayed != 0:
        value = rows[link.row + ((i + QUANTUM - link.delayed) & (QUANTUM - 1))]
        if link.bounded != 0:
            value = ceiling(value)
    else:
        value = rows[link.row + i]
    return shaped(value, link.curve) if link.curve != 0 else value


@njit(nogil=True, error_model="numpy", forceinline=True)
def _late_signal(row: Row, rows: Floats, link: Record, start: int, kept: int) -> None:
    """A row of what a late link takes, before its amount; ``kept`` is where the first sample is, if it is no longer in
    its row."""
    past = min(max(link.delayed - start, 0), row.size)  # samples that are still those of the quantum before
    for i in range(past):
        row[i] = rows[link.row + QUANTUM + start - link.delayed + i]
    for i in range(past, row.size):
        row[i] = rows[link.row + start - link.delayed + i]
    if kept >= 0:
        row[0] = rows[kept]
    if link.bounded != 0:
        saturate_row(row, LOOP_KNEE)
    if link.curve != 0:
        for i in range(row.size):
            row[i] = shaped(row[i], link.curve)


@njit(nogil=True, error_model="numpy")
def fill(rows: Floats, entry: Record, base: Record) -> float:
    """Fill the whole row of an input that nothing moves; returns the value.

    Parameters
    ----------
    rows : ndarray
        All rows.
    entry : Record
        The input.
    base : Record
        Its base value.

    Returns
    -------
    float
    """
    value = min(max(base.goal, entry.low), entry.high)
    value = exp2(value) if entry.octaves != 0 else value
    for k in range(entry.row, entry.row + QUANTUM):
        rows[k] = value
    base.stale = 0
    return value


@njit(nogil=True, error_model="numpy", forceinline=True)
def _plain(entry: Record, base: Record, amounts: Records) -> bool:
    """Whether an input takes exactly what its one link brings."""
    if entry.link_last - entry.link_first != 1 or base.left != 0 or base.goal != 0.0 or entry.low > -math.inf:
        return False
    amount = amounts[entry.link_first]
    rests: bool = amount.left == 0 and amount.amount_goal == 1.0 and amount.offset_goal == 0.0
    return rests


@njit(nogil=True, error_model="numpy", forceinline=True)
def _gather_one(rows: Floats, entry: Record, base: Record, links: Records, amounts: Records, i: int, ramp: int) -> None:
    """Sample i of an input's row: its base value, the offsets of its links, then what each link brings. All that
    glides moves on by one sample."""
    if _plain(entry, base, amounts):
        rows[entry.row + i] = _link_signal(rows, links[entry.link_first], i)
        return
    value = base.goal
    if base.left > 0:
        base.left -= 1
        base.stale = 1
        value = base.start + (base.goal - base.start) * _place(base.left, ramp)
    for k in range(entry.link_first, entry.link_last):
        moving = amounts[k]
        if moving.left == 0:
            value += moving.offset_goal
        else:
            place = _place(moving.left - 1, ramp)
            value += moving.offset_start + (moving.offset_goal - moving.offset_start) * place
    for k in range(entry.link_first, entry.link_last):
        moving, amount = amounts[k], amounts[k].amount_goal
        if moving.left != 0:
            moving.left -= 1
            amount = moving.amount_start + (amount - moving.amount_start) * _place(moving.left, ramp)
        value = fma(_link_signal(rows, links[k], i), amount, value)
    value = min(max(value, entry.low), entry.high)
    rows[entry.row + i] = exp2(value) if entry.octaves != 0 else value


@njit(nogil=True, error_model="numpy", forceinline=True)
def _late_links(entry: Record, links: Records) -> int:
    """How many links of an input bring what was there a sample before."""
    late = 0
    for k in range(entry.link_first, entry.link_last):
        late += int(links[k].delayed != 0)
    return late


@njit(nogil=True, error_model="numpy", forceinline=True)
def _add_link(row: Floats, source: Floats, curve: int, amount: Record) -> None:
    """Add what a link brings to a row; a loop for each curve, so that all vectorise."""
    if curve == 0:
        for i in range(row.size):
            row[i] = fma(source[i], amount, row[i])
    elif curve == 1:
        for i in range(row.size):
            row[i] = fma(shaped(source[i], 1), amount, row[i])
    elif curve == 2:
        for i in range(row.size):
            row[i] = fma(shaped(source[i], 2), amount, row[i])
    else:
        for i in range(row.size):
            row[i] = fma(shaped(source[i], 3), amount, row[i])


@njit(nogil=True, error_model="numpy", forceinline=True)
def _gather(
    rows: Floats, entry: Record, base: Record, links: Records, amounts: Records, start: int, n: int, ramp: int,
    brought: Row, kept: int = -1,
) -> None:  # fmt: skip
    """Samples start..start+n of an input's row; where nothing glides, by plain loops over views, which vectorise.
    ``brought`` is room for a row. From ``kept`` on is what its late links take first, if it is no longer in their
    rows."""
    value, steady = base.goal, base.left == 0
    for k in range(entry.link_first, entry.link_last):
        value += amounts[k].offset_goal
        steady = steady and amounts[k].left == 0
    if not steady:
        for i in range(start, start + n):
            _gather_one(rows, entry, base, links, amounts, i, ramp)
        return
    row = piece(rows, entry.row + start, n)
    for k in range(entry.link_first, entry.link_last):
        source, amount = piece(rows, links[k].row + start, n), amounts[k].amount_goal
        if links[k].delayed != 0:
            _late_signal(brought, rows, links[k], start, kept)
            kept += int(kept >= 0)
            for i in range(n):
                row[i] = fma(brought[i], amount, row[i] if k > entry.link_first else value)
        elif k > entry.link_first:
            _add_link(row, source, links[k].curve, amount)
        elif links[k].curve == 0:
            for i in range(n):
                row[i] = fma(source[i], amount, value)
        else:
            for i in range(n):
                row[i] = value
            _add_link(row, source, links[k].curve, amount)
    low, high = entry.low, entry.high
    if entry.octaves != 0:
        for i in range(n):
            row[i] = exp2(min(max(row[i], low), high))
    elif low > -math.inf:
        for i in range(n):
            row[i] = min(max(row[i], low), high)


@njit(nogil=True, error_model="numpy", forceinline=True)
def gather_linked(
    plan: Plan, memory: Memory, module: Record, start: int, n: int, ramp: int, single: int, late: bool = True
) -> None:
    """Prepare the linked inputs of a module whose base values are those it was compiled with.

    An input that takes one unchanged signal reads that signal's row: nothing is copied.

    Parameters
    ----------
    plan : Plan
        The program.
    memory : Memory
        What it remembers.
    module : Record
        The module.
    start, n : int
        First sample in the quantum, and how many.
    ramp : int
        Samples in which a value glides.
    single : int
        Whether it is part of a feedback loop.
    late : bool
        Without, inputs that take something late are left for ``gather_late``.
    """
    rows, last = memory.rows, start + n - 1
    for k in range(module.moved_first, module.moved_last):
        i = plan.moved[k]
        entry, base = plan.inputs[i], memory.bases[i]
        row = entry.row
        if not late and _late_links(entry, plan.links) > 0:
            continue
        if single:
            _gather_one(rows, entry, base, plan.links, memory.amounts, start, ramp)
        elif _as_it_is(entry, base, plan.links, memory.amounts):
            row = plan.links[entry.link_first].row
        else:
            _gather(rows, entry, base, plan.links, memory.amounts, start, n, ramp, piece(plan.scratch, 0, n))
        memory.now[i] = rows[row + last]
        plan.ports[module.port_first + i - module.input_first] = row


@njit(nogil=True, error_model="numpy")
def keep_late(plan: Plan, memory: Memory, module: Record, start: int, kept: int) -> int:
    """Put away what the late links into a delay line take at the first sample, before their sources run on.

    Parameters
    ----------
    plan, memory, module : Plan, Memory, Record
        As for ``gather_linked``.
    start : int
        First sample in the quantum.
    kept : int
        Where in the rows.

    Returns
    -------
    int
        Where the next one goes.
    """
    for k in range(module.moved_first, module.moved_last):
        entry = plan.inputs[plan.moved[k]]
        for link in range(entry.link_first, entry.link_last):
            if plan.links[link].delayed != 0:
                memory.rows[kept] = memory.rows[plan.links[link].row + ((start + QUANTUM - 1) & (QUANTUM - 1))]
                kept += 1
    return kept


@njit(nogil=True, error_model="numpy")
def gather_late(plan: Plan, memory: Memory, module: Record, start: int, n: int, ramp: int, kept: int) -> int:
    """Prepare the inputs of a delay line that late links lead to, when their sources have run; nothing of it glides.

    Parameters
    ----------
    plan, memory, module, start, n, ramp : Plan, Memory, Record, int, int, int
        As for ``gather_linked``.
    kept : int
        As for ``keep_late``.

    Returns
    -------
    int
        As for ``keep_late``.
    """
    for k in range(module.moved_first, module.moved_last):
        i = plan.moved[k]
        entry, base = plan.inputs[i], memory.bases[i]
        late = _late_links(entry, plan.links)
        if late == 0:
            continue
        if _plain(entry, base, memory.amounts):
            _late_signal(
                piece(memory.rows, entry.row + start, n), memory.rows, plan.links[entry.link_first], start, kept
            )
        else:
            _gather(
                memory.rows, entry, base, plan.links, memory.amounts, start, n, ramp, piece(plan.scratch, 0, n), kept
            )
        plan.ports[module.port_first + i - module.input_first] = entry.row
        memory.now[i] = memory.rows[entry.row + start + n - 1]
        kept += late
    return kept


@njit(nogil=True, error_model="numpy")
def gather_restless(
    plan: Plan, memory: Memory, module: Record, m: int, start: int, n: int, ramp: int, single: int
) -> int:
    """Prepare the inputs of a module whose base values may glide.

    Parameters
    ----------
    plan, memory, module : Plan, Memory, Record
        As for ``gather_linked``.
    m : int
        Place of the module in the order of execution.
    start, n, ramp, single : int
        As for ``gather_linked``.

    Returns
    -------
    int
        Which of its inputs move, a bit for each.
    """
    moving: int = module.linked
    rows, changed = memory.rows, False
    for i in range(module.input_first, module.input_last):
        entry, base = plan.inputs[i], memory.bases[i]
        if entry.link_first != entry.link_last:
            changed = changed or base.left != 0
            continue
        row = base.pool if base.pool >= 0 and base.left == 0 else entry.row
        if base.left != 0:
            moving |= 1 << (i - module.input_first)
            if single:
                _gather_one(rows, entry, base, plan.links, memory.amounts, start, ramp)
            else:
                _gather(rows, entry, base, plan.links, memory.amounts, start, n, ramp, piece(plan.scratch, 0, n))
            memory.now[i] = rows[row + start + n - 1]
        elif base.pool < 0 and (base.stale != 0 or not single):
            memory.now[i] = fill(rows, entry, base)
        changed = changed or row != base.pool  # also in the quantum in which a glide ends: the row is not its own
        plan.ports[module.port_first + i - module.input_first] = row
    gather_linked(plan, memory, module, start, n, ramp, single)
    if not changed:
        memory.restless[m] = 0
    return moving


@njit(nogil=True, error_model="numpy", forceinline=True)
def _as_it_is(entry: Record, base: Record, links: Records, amounts: Records) -> bool:
    """Whether an input is exactly the signal of its one link."""
    if not _plain(entry, base, amounts):
        return False
    link = links[entry.link_first]
    straight: bool = link.delayed == 0 and link.curve == 0
    return straight
