"""The one compiled loop: runs a flat program quantum by quantum, without Python in between.

Parts outside of feedback run a whole quantum per module. Parts in feedback run sample by sample, and a link that
closes a loop reads the sample before: exactly one sample of delay, at the link that ``compiler.graph`` chose.
"""

from __future__ import annotations

import math
from typing import Any

from numba import njit

from dunefall.compiler.fuse import call_fused
from dunefall.compiler.plan import Floats, Ints, Memory, Plan, Record, Records
from dunefall.compiler.records import BASE, INPUT, MODULE, QUANTUM, RAMP_S
from dunefall.compiler.traces import Traces, span, trace_end, trace_module
from dunefall.compiler.views import borrow as _borrow
from dunefall.compiler.views import call_kernel
from dunefall.compiler.views import piece as _piece
from dunefall.dsp.cache import cached_njit
from dunefall.dsp.clicks import CLICK_STATE, watch_clicks
from dunefall.dsp.maths import exp2, fma
from dunefall.dsp.saturation import saturate_rarely
from dunefall.dsp.tiny import restore_tiny as _restore_tiny
from dunefall.dsp.tiny import tiny_is_zero as _tiny_is_zero

__all__ = ["FAULT_SIZE", "ceiling", "run", "shaped", "sound"]

MODULE_BYTES, INPUT_BYTES, BASE_BYTES = MODULE.itemsize, INPUT.itemsize, BASE.itemsize
LOOP_KNEE = 2.0
"""Audio that goes round a loop is bent above this level and never passes twice of it."""
FAULT_SIZE = 1e6
"""Nothing that is right gets near this: +120 dBFS, a million semitones."""
REST_LEVEL, REST_STATE = 1e-6, 1e-5
"""Below these, -120 and -100 dB, a voice has ended."""
borrow: Any = _borrow
restore_tiny: Any = _restore_tiny
tiny_is_zero: Any = _tiny_is_zero
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
        value = rows[link.row + ((i + QUANTUM - 1) & (QUANTUM - 1))]
        if link.bounded != 0:
            value = ceiling(value)
    else:
        value = rows[link.row + i]
    return shaped(value, link.curve) if link.curve != 0 else value


@njit(nogil=True, error_model="numpy")
def _fill(rows: Floats, entry: Record, base: Record) -> float:
    """Fill the whole row of an input that nothing moves."""
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
    rows: Floats, entry: Record, base: Record, links: Records, amounts: Records, start: int, n: int, ramp: int
) -> None:
    """Samples start..start+n of an input's row; where nothing glides, by plain loops over views, which vectorise."""
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
        if k > entry.link_first:
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


@njit(nogil=True, error_model="numpy", fastmath={"reassoc", "contract"}, forceinline=True)
def sound(row: Floats) -> bool:
    """Whether a row is finite and bounded; made of operations that vectorise.

    Parameters
    ----------
    row : ndarray [shape=(n,)]
        One number for each sample.

    Returns
    -------
    bool
    """
    power = 0.0
    for i in range(row.size):
        power += row[i] * row[i]
    return power < FAULT_SIZE * FAULT_SIZE


@njit(nogil=True, error_model="numpy", forceinline=True)
def _gather_linked(plan: Plan, memory: Memory, module: Record, start: int, n: int, ramp: int, single: int) -> None:
    """Prepare the linked inputs of a module whose base values are those it was compiled with.

    An input that takes one unchanged signal reads that signal's row: nothing is copied.
    """
    rows, last = memory.rows, start + n - 1
    for k in range(module.moved_first, module.moved_last):
        i = plan.moved[k]
        entry, base = plan.inputs[i], memory.bases[i]
        row = entry.row
        if single:
            _gather_one(rows, entry, base, plan.links, memory.amounts, start, ramp)
        elif _as_it_is(entry, base, plan.links, memory.amounts):
            row = plan.links[entry.link_first].row
        else:
            _gather(rows, entry, base, plan.links, memory.amounts, start, n, ramp)
        memory.now[i] = rows[row + last]
        plan.ports[module.port_first + i - module.input_first] = row


@njit(nogil=True, error_model="numpy")
def _gather_restless(
    plan: Plan, memory: Memory, module: Record, m: int, start: int, n: int, ramp: int, single: int
) -> int:
    """Prepare the inputs of a module whose base values may glide; returns which of its inputs move."""
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
                _gather(rows, entry, base, plan.links, memory.amounts, start, n, ramp)
            memory.now[i] = rows[row + start + n - 1]
        elif base.pool < 0 and (base.stale != 0 or not single):
            memory.now[i] = _fill(rows, entry, base)
        changed = changed or row != base.pool  # also in the quantum in which a glide ends: the row is not its own
        plan.ports[module.port_first + i - module.input_first] = row
    _gather_linked(plan, memory, module, start, n, ramp, single)
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


@njit(nogil=True, error_model="numpy", forceinline=True)
def _run_module(plan: Plan, memory: Memory, m: int, start: int, n: int, ramp: int, single: int) -> None:
    """Run one module for n samples of the present quantum; ``single``: it is part of a feedback loop."""
    module, rows = plan.modules[m], memory.rows
    if memory.faults[m] != 0:
        _clear_outputs(plan, memory, m)
        return
    if module.voice >= 0 and memory.resting[module.voice] != 0:
        return
    moving = module.linked
    if memory.restless[m] != 0:
        moving = _gather_restless(plan, memory, module, m, start, n, ramp, single)
    else:
        _gather_linked(plan, memory, module, start, n, ramp, single)
    ports_p, module_p = plan.ports.ctypes.data + 8 * module.port_first, plan.modules.ctypes.data + MODULE_BYTES * m
    call_kernel(module.address, (n, start, moving, ports_p, module_p, plan.places.ctypes.data, plan.rate[0]))
    if module.bypassed != 0:
        _pass_on(rows, plan.ports, module, start, n)
        return
    for p in range(module.output_first, module.port_last):
        if module.wanted & (1 << (p - module.output_first)) == 0:
            continue
        row = plan.ports[p] + start
        if not (abs(rows[row]) < FAULT_SIZE if single else sound(piece(rows, row, n))):
            _silence(plan, memory, m)
            return
    if module.wakes != 0:
        _wake(plan, memory, module, start, n)


@njit(nogil=True, error_model="numpy")
def _wake(plan: Plan, memory: Memory, module: Record, start: int, n: int) -> None:
    """Voices whose gate is high no longer rest."""
    for v in range(module.level_first, module.level_first + module.level_count):
        gate = plan.voices[v].gate + start
        if memory.resting[v] != 0 and span(memory.rows[gate : gate + n])[1] > 0.5:
            memory.resting[v] = 0


@njit(nogil=True, error_model="numpy")
def _rest(plan: Plan, memory: Memory) -> None:
    """At the end of a quantum: how loud each voice was, and whether it has ended."""
    rows = memory.rows
    for v in range(plan.voices.size):
        voice = plan.voices[v]
        if memory.resting[v] != 0:
            continue
        level = 0.0
        for k in range(voice.meet_first, voice.meet_last):
            low, high = span(rows[plan.meets[k] : plan.meets[k] + QUANTUM])
            level = max(level, -low, high)
        memory.levels[v] = level
        ended = voice.gate >= 0 and level < REST_LEVEL
        for k in range(voice.rest_first, voice.rest_last):
            ended = ended and abs(memory.states[plan.rests[k]]) < REST_STATE
        if ended and span(rows[voice.gate : voice.gate + QUANTUM])[1] <= 0.5:
            memory.levels[v] = 0.0
            memory.resting[v] = 1
            for m in range(plan.modules.size):
                if plan.modules[m].voice == v:
                    _clear_outputs(plan, memory, m)


@njit(nogil=True, error_model="numpy")
def _clear_outputs(plan: Plan, memory: Memory, m: int) -> None:
    module = plan.modules[m]
    for p in range(module.output_first, module.port_last):
        memory.rows[plan.ports[p] : plan.ports[p] + QUANTUM] = 0.0


@njit(nogil=True, error_model="numpy")
def _run_loop(plan: Plan, memory: Memory, s: int, start: int, n: int, ramp: int) -> None:
    """Run a feedback loop: by the code made for it where there is some and nothing glides, or module by module."""
    first, last, address = plan.parts[s, 0], plan.parts[s, 1], plan.parts[s, 3]
    if address != 0 and _steady(plan, memory, first, last):
        module = plan.modules[first]
        bad = call_fused(
            address,
            (
                n, start, plan.ports.ctypes.data + 8 * module.port_first,
                plan.modules.ctypes.data + MODULE_BYTES * first,
                plan.inputs.ctypes.data + INPUT_BYTES * module.input_first,
                memory.bases.ctypes.data + BASE_BYTES * module.input_first, plan.places.ctypes.data, plan.rate[0],
            ),
        )  # fmt: skip
        if bad == 0:
            _note_now(plan, memory, first, last, start + n - 1)
            return
    for i in range(start, start + n):
        for m in range(first, last):
            _run_module(plan, memory, m, i, 1, ramp, True)


@njit(nogil=True, error_model="numpy")
def _note_now(plan: Plan, memory: Memory, first: int, last: int, at: int) -> None:
    for i in range(plan.modules[first].input_first, plan.modules[last - 1].input_last):
        if plan.inputs[i].link_first != plan.inputs[i].link_last:
            memory.now[i] = memory.rows[plan.inputs[i].row + at]


@njit(nogil=True, error_model="numpy")
def _steady(plan: Plan, memory: Memory, first: int, last: int) -> bool:
    """Whether nothing glides, rests or has been silenced in a loop; fills the rows of its constants."""
    for m in range(first, last):
        module = plan.modules[m]
        if memory.faults[m] != 0 or (module.voice >= 0 and memory.resting[module.voice] != 0):
            return False
        for i in range(module.input_first, module.input_last):
            entry, base = plan.inputs[i], memory.bases[i]
            if base.left != 0:
                return False
            for k in range(entry.link_first, entry.link_last):
                if memory.amounts[k].left != 0:
                    return False
            if entry.link_first == entry.link_last:
                plan.ports[module.port_first + i - module.input_first] = base.pool if base.pool >= 0 else entry.row
                if base.pool < 0 and base.stale != 0:
                    memory.now[i] = _fill(memory.rows, entry, base)
            else:
                plan.ports[module.port_first + i - module.input_first] = entry.row
    return True


@njit(nogil=True, error_model="numpy")
def _pass_on(rows: Floats, ports: Ints, module: Record, start: int, n: int) -> None:
    """A bypassed module: its first output, or both its channels, give what it works on, the others rest. It goes on
    working unheard, so that it comes back without an edge in what it remembers."""
    for p in range(module.output_first, module.port_last):
        source = module.passes if p == module.output_first else -1
        if p == module.output_first + 1:
            source = module.passes_right
        for i in range(start, start + n):
            rows[ports[p] + i] = rows[ports[source] + i] if source >= 0 else 0.0


@njit(nogil=True, error_model="numpy")
def _silence(plan: Plan, memory: Memory, m: int) -> None:
    """Stop a module that gave no finite number: its outputs rest at 0 and its state is cleared."""
    memory.faults[m] = 1
    module = plan.modules[m]
    _clear_outputs(plan, memory, m)
    memory.states[module.state_at : module.state_at + module.state_size] = 0.0
    memory.memories[module.memory_at : module.memory_at + module.memory_size] = 0.0


@njit(nogil=True, error_model="numpy", forceinline=True)
def _after(plan: Plan, memory: Memory, traces: Traces, m: int, start: int, n: int) -> None:
    """What follows when a module has run: a layer's end goes into the mix, and the window gets its trace."""
    module = plan.modules[m]
    if module.lane_end != 0:
        left = piece(memory.rows, plan.ports[module.output_first] + start, n)
        right = piece(memory.rows, plan.ports[module.output_first + 1] + start, n)
        watch_clicks(memory.clicks, CLICK_STATE * (module.lane_end - 1), left, right, memory.position[0])
        for c in range(plan.channels.size):
            source = piece(memory.rows, plan.ports[module.output_first + plan.channels[c]] + start, n)
            sums = piece(plan.mix, QUANTUM * c, n)
            for i in range(n):
                sums[i] += source[i]
    if traces.slots.size > 0:
        trace_module(memory.rows, traces, m, start, n)


@njit(nogil=True, error_model="numpy", forceinline=True)
def _run(plan: Plan, memory: Memory, traces: Traces, out: Floats) -> None:
    ramp = max(1, round(RAMP_S * plan.rate[0]))
    for k, address in enumerate((
        memory.rows.ctypes.data, memory.states.ctypes.data, memory.memories.ctypes.data, plan.scratch.ctypes.data,
        memory.levels.ctypes.data, plan.links.ctypes.data, memory.amounts.ctypes.data, plan.live.ctypes.data,
        memory.series.ctypes.data, plan.mix.ctypes.data,
    )):  # fmt: skip
        plan.places[k] = address
    done = 0
    while done < out.shape[0]:
        start = memory.position[0] % QUANTUM
        n = min(QUANTUM - start, out.shape[0] - done)
        plan.mix[:] = 0.0
        for s in range(plan.parts.shape[0]):
            first, last, loop = plan.parts[s, 0], plan.parts[s, 1], plan.parts[s, 2]
            if loop != 0:
                _run_loop(plan, memory, s, start, n, ramp)
            for m in range(first, last):
                if loop == 0:
                    _run_module(plan, memory, m, start, n, ramp, False)
                _after(plan, memory, traces, m, start, n)
        for c in range(out.shape[1]):
            if c < plan.channels.size:
                for i in range(n):
                    out[done + i, c] = plan.mix[QUANTUM * c + i]
            else:
                out[done : done + n, c] = 0.0
        done += n
        memory.position[0] += n
        if start + n == QUANTUM:
            _rest(plan, memory)
            if traces.slots.size > 0:
                trace_end(memory.rows, traces)


@cached_njit()
def run(plan_held: Plan, memory_held: Memory, traces_held: Traces, out_held: Floats) -> None:
    """Compute the next samples of a program, in quantums aligned to multiples of QUANTUM.

    Parameters
    ----------
    plan_held, memory_held, traces_held : Plan, Memory, Traces
        The program, what it remembers (changed in place), and where the window looks.
    out_held : ndarray [shape=(n, channels), C order]
        Receives the sum of all layers, as far as it has room; channels that the patch has not are silent.
        What ends within a quantum goes on there next time.
    """
    p, m = plan_held, memory_held
    plan = Plan(
        borrow(p.parts), borrow(p.modules), borrow(p.ports), borrow(p.inputs), borrow(p.links), borrow(p.moved),
        borrow(p.voices), borrow(p.rests), borrow(p.meets), borrow(p.channels), borrow(p.mix), borrow(p.scratch),
        borrow(p.live), borrow(p.places), borrow(p.rate),
    )  # fmt: skip
    memory = Memory(
        borrow(m.rows), borrow(m.states), borrow(m.memories), borrow(m.series), borrow(m.bases), borrow(m.amounts),
        borrow(m.faults), borrow(m.restless), borrow(m.levels), borrow(m.resting), borrow(m.clicks),
        borrow(m.now), borrow(m.position),
    )  # fmt: skip
    t = traces_held
    traces = Traces(
        borrow(t.first), borrow(t.rows), borrow(t.slots), borrow(t.bins), borrow(t.low), borrow(t.high),
        borrow(t.probe_rows), borrow(t.probes), borrow(t.counts),
    )  # fmt: skip
    mode = tiny_is_zero()
    _run(plan, memory, traces, borrow(out_held))
    restore_tiny(mode)
