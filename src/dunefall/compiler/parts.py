"""How one part of a flat program runs for a quantum.

Parts outside of feedback run a whole quantum per module. Parts in feedback run sample by sample, and a link that
closes a loop reads the sample before: exactly one sample of delay, at the link that ``compiler.graph`` chose.
"""

from __future__ import annotations

from typing import Any

from numba import njit

from dunefall.base.layouts import MOST_CHANNELS
from dunefall.compiler.fuse import call_fused
from dunefall.compiler.gather import fill, gather_late, gather_linked, gather_restless, keep_late
from dunefall.compiler.plan import Floats, Ints, Memory, Plan, Record
from dunefall.compiler.records import BASE, INPUT, MODULE, PHASES, PLACES, QUANTUM
from dunefall.compiler.traces import Traces, span, trace_module
from dunefall.compiler.views import call_kernel
from dunefall.compiler.views import piece as _piece
from dunefall.dsp.clicks import CLICK_STATE, watch_clicks

__all__ = ["FAULT_SIZE", "into_mix", "rest", "run_part", "sound"]

MIX_PLACE, PHASE_PLACE, EVERYTHING_MOVES = PLACES.index("mix"), PLACES.index("line_phase"), (1 << 62) - 1
WHOLE, ASK, READ, WRITE = range(len(PHASES))
MODULE_BYTES, INPUT_BYTES, BASE_BYTES = MODULE.itemsize, INPUT.itemsize, BASE.itemsize
FAULT_SIZE = 1e6
"""Nothing that is right gets near this: +120 dBFS, a million semitones."""
PASSED_ON = 1
"""A bypassed module, whose input is its output; what works on the mix sees to that itself."""
REST_LEVEL, REST_STATE = 1e-6, 1e-5
"""Below these, -120 and -100 dB, a voice has ended."""
piece: Any = _piece


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
def _run_module(plan: Plan, memory: Memory, m: int, start: int, n: int, ramp: int, single: int) -> None:
    """Run one module for n samples of the present quantum; ``single``: it is part of a feedback loop."""
    module = plan.modules[m]
    if memory.faults[m] != 0:
        _clear_outputs(plan, memory, m)
        return
    if module.voice >= 0 and memory.resting[module.voice] != 0:
        return
    moving = module.linked
    if memory.restless[m] != 0:
        moving = gather_restless(plan, memory, module, m, start, n, ramp, single)
    else:
        gather_linked(plan, memory, module, start, n, ramp, single)
    _call(plan, memory, m, start, n, moving, single)


@njit(nogil=True, error_model="numpy", forceinline=True)
def _call(plan: Plan, memory: Memory, m: int, start: int, n: int, moving: int, single: int) -> None:
    """Call a module's kernel, its inputs being there, and look at what it gives out."""
    module, rows = plan.modules[m], memory.rows
    ports_p, module_p = plan.ports.ctypes.data + 8 * module.port_first, plan.modules.ctypes.data + MODULE_BYTES * m
    call_kernel(module.address, (n, start, moving, ports_p, module_p, plan.places.ctypes.data, plan.rate[0]))
    if module.bypassed == PASSED_ON:
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
def rest(plan: Plan, memory: Memory) -> None:
    """At the end of a quantum: how loud each voice was, and whether it has ended.

    Parameters
    ----------
    plan, memory : Plan, Memory
        The program, and what it remembers.
    """
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
    """Run a feedback loop: by rows where all of it goes through long delay lines, else by the code made for it where
    there is some and nothing glides, or module by module."""
    first, last, address = plan.parts[s, 0], plan.parts[s, 1], plan.parts[s, 3]
    if plan.parts[s, 4] >= 0 and n > 1 and _run_by_rows(plan, memory, s, start, n, ramp):
        return
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
def _run_by_rows(plan: Plan, memory: Memory, s: int, start: int, n: int, ramp: int) -> bool:
    """Run a feedback loop whose every round goes through a delay line that gives only what was written before this
    quantum: the lines read, the other modules run row by row, the lines write. False, and nothing done, where one of
    them moves, or is too short."""
    first, last, kept = plan.parts[s, 0], plan.parts[s, 1], plan.parts[s, 4]
    ready = True
    for m in range(first, last):
        if plan.modules[m].line != 0 and ready:
            ready = _steady(plan, memory, m, m + 1) and _line_can(plan, memory, m, start, n, ramp)
    if not ready:
        return False
    at = kept
    for m in range(first, last):
        if plan.modules[m].line != 0:
            at = keep_late(plan, memory, plan.modules[m], start, at)
    for m in range(first, last):
        if plan.modules[m].line != 0:
            _line(plan, m, start, n, READ)
    for m in range(first, last):
        if plan.modules[m].line == 0:
            _run_module(plan, memory, m, start, n, ramp, False)
    at = kept
    for m in range(first, last):
        if plan.modules[m].line != 0:
            at = gather_late(plan, memory, plan.modules[m], start, n, ramp, at)
            plan.places[PHASE_PLACE] = WRITE
            _call(plan, memory, m, start, n, plan.modules[m].linked, False)
            plan.places[PHASE_PLACE] = WHOLE
    return True


@njit(nogil=True, error_model="numpy")
def _line_can(plan: Plan, memory: Memory, m: int, start: int, n: int, ramp: int) -> bool:
    """Whether all that a delay line gives in this quantum was written before; its inputs from outside are prepared."""
    gather_linked(plan, memory, plan.modules[m], start, n, ramp, False, False)
    plan.scratch[0] = 0.0
    _line(plan, m, start, n, ASK)
    can: bool = plan.scratch[0] == 1.0
    return can


@njit(nogil=True, error_model="numpy")
def _line(plan: Plan, m: int, start: int, n: int, phase: int) -> None:
    """Ask a delay line, or have it read."""
    module = plan.modules[m]
    ports_p, module_p = plan.ports.ctypes.data + 8 * module.port_first, plan.modules.ctypes.data + MODULE_BYTES * m
    plan.places[PHASE_PLACE] = phase
    call_kernel(module.address, (n, start, module.linked, ports_p, module_p, plan.places.ctypes.data, plan.rate[0]))
    plan.places[PHASE_PLACE] = WHOLE


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
                    memory.now[i] = fill(memory.rows, entry, base)
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
def _follow(plan: Plan, memory: Memory, traces: Traces, m: int, start: int, n: int) -> None:
    """What follows when a module has run: a layer's end is watched for clicks, and the window gets its trace."""
    module = plan.modules[m]
    if module.lane_end != 0:
        left = piece(memory.rows, plan.ports[module.output_first] + start, n)
        right = piece(memory.rows, plan.ports[module.output_first + 1] + start, n)
        watch_clicks(memory.clicks, CLICK_STATE * (module.lane_end - 1), left, right, memory.position[0])
    if traces.slots.size > 0:
        trace_module(memory.rows, traces, m, start, n)


@njit(nogil=True, error_model="numpy", forceinline=True)
def into_mix(plan: Plan, memory: Memory, m: int, start: int, n: int) -> None:
    """Add what a layer's end gives to the mix, and to its stem.

    Parameters
    ----------
    plan, memory : Plan, Memory
        The program, and what it remembers.
    m : int
        Place of the layer's end in the order of execution.
    start, n : int
        First sample in the quantum, and how many.
    """
    module = plan.modules[m]
    for c in range(plan.channels.size):
        source = piece(memory.rows, plan.ports[module.output_first + plan.channels[c]] + start, n)
        sums = piece(plan.mix, QUANTUM * c, n)
        for i in range(n):
            sums[i] += source[i]
        if module.stem != 0:
            apart = piece(plan.mix, QUANTUM * (MOST_CHANNELS * module.stem + c), n)
            for i in range(n):
                apart[i] += source[i]


@njit(nogil=True, error_model="numpy")
def _close_stems(plan: Plan, memory: Memory, m: int, start: int, n: int) -> None:
    """Run what works on the whole mix on each stem as well, with a state of its own and the same inputs. What it gives
    out stays that of the mix."""
    module, size = plan.modules[m], QUANTUM * MOST_CHANNELS
    groups = plan.mix.size // size
    ports_p, module_p = plan.ports.ctypes.data + 8 * module.port_first, plan.modules.ctypes.data + MODULE_BYTES * m
    first, last, kept, state = module.output_first, module.port_last, size * groups, module.state_size // groups
    for p in range(first, last):
        at = kept + QUANTUM * (p - first)
        plan.mix[at : at + n] = memory.rows[plan.ports[p] + start : plan.ports[p] + start + n]
    for _ in range(groups - 1):
        plan.places[MIX_PLACE] += 8 * size
        plan.modules[m].state_at += state
        call_kernel(
            module.address, (n, start, EVERYTHING_MOVES, ports_p, module_p, plan.places.ctypes.data, plan.rate[0])
        )
    plan.places[MIX_PLACE] -= 8 * size * (groups - 1)
    plan.modules[m].state_at -= state * (groups - 1)
    for p in range(first, last):
        at = kept + QUANTUM * (p - first)
        memory.rows[plan.ports[p] + start : plan.ports[p] + start + n] = plan.mix[at : at + n]


@njit(nogil=True, error_model="numpy", forceinline=True)
def run_part(plan: Plan, memory: Memory, traces: Traces, s: int, start: int, n: int, ramp: int, adds: int) -> None:
    """Run one part for n samples of the present quantum.

    Parameters
    ----------
    plan, memory, traces : Plan, Memory, Traces
        The program, what it remembers, and where the window looks.
    s : int
        Which part.
    start, n : int
        First sample in the quantum, and how many.
    ramp : int
        Samples in which a value glides.
    adds : int
        Whether layers' ends go into the mix at once; where several threads take part, that is done when all have run.
    """
    first, last, loop = plan.parts[s, 0], plan.parts[s, 1], plan.parts[s, 2]
    if loop != 0:
        _run_loop(plan, memory, s, start, n, ramp)
    for m in range(first, last):
        if loop == 0:
            _run_module(plan, memory, m, start, n, ramp, False)
            if plan.modules[m].stem < 0:
                _close_stems(plan, memory, m, start, n)
        _follow(plan, memory, traces, m, start, n)
        if adds and plan.modules[m].lane_end != 0:
            into_mix(plan, memory, m, start, n)
