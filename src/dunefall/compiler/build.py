"""Patch to flat program."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from itertools import accumulate
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dunefall.base.layouts import MOST_CHANNELS, layout_of
from dunefall.base.reach import reached
from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import Input, ModuleSpec, Param, followed
from dunefall.compiler.aftermix import AfterMix, without_inserts
from dunefall.compiler.byrows import lines_of
from dunefall.compiler.graph import execution_order, parts_of
from dunefall.compiler.kernels import kernel_address, listens
from dunefall.compiler.plan import LoopLink, LoopModule, Memory, Plan, aligned_zeros
from dunefall.compiler.program import Program
from dunefall.compiler.records import (
    AMOUNT,
    BASE,
    CONTEXT,
    INPUT,
    LINK,
    MODULE,
    MOST_THREADS,
    PLACES,
    QUANTUM,
    SCRATCH,
    STRANDS,
    VOICE,
)
from dunefall.compiler.sounds import prepared
from dunefall.compiler.strands import TAIL, strand_of_layers, tasks_of
from dunefall.compiler.voices import (
    Instance,
    Wire,
    expand,
    heard_outside,
    is_audio,
    leaves_voices,
    module_key,
    voice_spread,
)
from dunefall.dsp.clicks import CLICK_STATE
from dunefall.patch.model import CURVES, Module, Patch, Place

__all__ = ["base_value", "compile_patch"]

CLOSING_OUTPUTS = 2
"""Rows of what works on the whole mix, which are kept while it works on the stems."""
FUSED_MOST = 24
"""A feedback loop of more modules runs module by module: its code would take too long to make."""


def base_value(patch: Patch, module: Module, param: Param) -> float:
    """Base value of a parameter in its own unit, within its hard range.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    module : Module
        The module.
    param : Param
        The parameter.

    Returns
    -------
    float
    """
    if param.follows:
        return followed(param, patch, module)
    return min(param.high, max(param.low, module.params.get(param.id, param.default)))


class _Target(NamedTuple):
    """An input or parameter as far as the patch does not matter; ``param`` is None for an input."""

    id: str
    param: Param | None
    default: float
    low: float
    high: float
    octaves: int


class _Shape(NamedTuple):
    """What is the same for all modules of a type."""

    targets: tuple[_Target, ...]
    outputs: tuple[str, ...]
    passes: tuple[int, int]
    wakes: int
    series: NDArray[np.float64]


_shapes: dict[str, _Shape] = {}


def _shape_of(spec: ModuleSpec) -> _Shape:
    if spec.id not in _shapes:
        passed = [target for target, _ in spec.passed]
        _shapes[spec.id] = _Shape(
            tuple(_target(port) for port in spec.target_rows),
            tuple(output.id for output in spec.output_rows),
            (passed[0] if passed else -1, passed[1] if len(passed) > 1 else -1),
            int(any(output.per_voice for output in spec.outputs)),
            _series_of(spec, Module("", spec.id, "")),
        )
    return _shapes[spec.id]


def _target(port: Input | Param) -> _Target:
    if isinstance(port, Param):
        return _Target(port.id, port, port.to_domain(port.default), *port.domain, int(port.octaves))
    return _Target(port.id, None, 0.0, -math.inf, math.inf, 0)


def _series_of(spec: ModuleSpec, module: Module) -> NDArray[np.float64]:
    """All series of a module as its kernel gets them: how many, the numbers, zeros."""
    made = np.zeros(sum(1 + series.most for series in spec.series))
    for series in spec.series:
        values = module.series.get(series.id, series.default)
        at = spec.series_places[series.id][0]
        made[at : at + 1 + len(values)] = (len(values), *values)
    return made


class _Builder:
    """Collects the numbers of one program."""

    def __init__(self, patch: Patch, rate: float, probed: Collection[Place], stems: Sequence[str]) -> None:
        self.patch, self.rate = patch, rate
        self.stems = {layer: number for number, layer in enumerate(stems, 1)}
        instances, wires = expand(patch)
        wires = without_inserts(instances, wires) if stems else wires
        self.watched = {(place.module, place.port) for place in probed}
        watched = {module for module, _ in self.watched}
        before: dict[str, list[str]] = {}
        for wire in wires:
            before.setdefault(wire.target, []).append(wire.source)
        self.sounding = reached({x.id for x in instances if x.spec.needed}, before)
        alive = self.sounding | reached({x.id for x in instances if x.module.id in watched}, before)
        self.instances = [x for x in instances if x.id in alive]
        self.asleep = frozenset(x.module.id for x in instances if x.id not in self.sounding)
        self.wires = [wire for wire in wires if wire.target in alive]
        self.in_voices = {x.id: x for x in self.instances if x.voice >= 0}
        self.awake = heard_outside(self.in_voices, self.wires, before)
        number = {instance.id: k for k, instance in enumerate(self.instances)}
        self.last = AfterMix.of(self.instances, self.wires)
        edges = [(number[wire.source], number[wire.target]) for wire in self.wires if not self.last.waits(wire)]
        self._put_in_order(edges)
        self.into: dict[tuple[str, str], list[Wire]] = {}
        for wire in self.wires:
            self.into.setdefault((wire.target, wire.target_port), []).append(wire)
        self.row_at: dict[tuple[str, str], int] = {}
        self.input_at: dict[tuple[str, str], int] = {}
        self.spread: dict[tuple[str, str], float] = {}
        self.ports: list[int] = []
        self.module_records: list[tuple[int, ...]] = []
        self.input_records: list[tuple[int, int, int, int, float, float]] = []
        self.link_records: list[tuple[int, int, int, int]] = []
        self.ordered_wires: list[Wire] = []
        self.bases: list[float] = []
        self.pool: dict[float, int] = {}
        self.pools: list[int] = []
        self.values: list[float] = []
        self.in_loop = [loop != 0 for first, last, loop, _ in self.parts for _ in range(first, last)]
        self.moved: list[int] = []
        self.input_rows: list[list[int]] = [[] for _ in range(STRANDS + 1)]
        self.sounds: list[NDArray[np.float32]] = []
        self.series: list[NDArray[np.float64]] = []
        self.series_size = self.lane_ends = 0
        self.channels = [speaker.port for speaker in layout_of(patch.layout).speakers]
        self.rows = self.state_size = self.memory_size = 0
        counts = [layer.voices for layer in patch.layers]
        self.level_first = dict(zip((layer.id for layer in patch.layers), accumulate(counts, initial=0), strict=False))
        self.levels = sum(counts)
        self.lines = lines_of(self.parts, self.order, self.wires, self._hears_mix)

    def _put_in_order(self, edges: list[tuple[int, int]]) -> None:
        """The order of execution, its parts, and the strand of each instance."""
        groups = execution_order(len(self.instances), edges)
        groups.sort(key=lambda group: self.instances[group[0]].id in self.last.modules)
        inside = [[self.instances[node] for node in group] for group in groups]
        self.order = [instance for group in inside for instance in group]
        self.place = {instance.id: k for k, instance in enumerate(self.order)}
        strands = strand_of_layers([group for group in inside if group[0].id not in self.last.modules])
        self.strand = [TAIL if x.id in self.last.modules else strands[x.layer.id] for x in self.order]
        self.parts = parts_of(groups, {a for a, b in edges if a == b}, self.strand)

    def _row(self, count: int = 1) -> int:
        self.rows += QUANTUM * count
        return self.rows - QUANTUM * count

    def build(self) -> Program:
        """Everything in order of execution."""
        self._place_outputs()
        for instance in self.order:
            self._add_module(instance)
        modules = np.array(self.module_records, MODULE)
        voices, rests, meets = self._voices(modules)
        tasks = tasks_of(self.parts, self.order, self.strand, self.wires, self.last.waits)
        plan = Plan(
            parts=np.array([(*x, self._row() if x[0] in self.lines else -1) for x in self.parts], np.int64).reshape(
                -1, 5
            ),
            modules=modules,
            ports=np.array(self.ports, np.int64),
            inputs=np.array(self.input_records, INPUT),
            links=np.array(self.link_records, LINK),
            moved=np.array(self.moved, np.int64),
            voices=np.array(voices, VOICE),
            rests=np.array(rests, np.int64),
            meets=np.array(meets, np.int64),
            mix=aligned_zeros(QUANTUM * (MOST_CHANNELS * (1 + len(self.stems)) + CLOSING_OUTPUTS * bool(self.stems))),
            channels=np.array(self._end_rows(), np.int64),
            scratch=aligned_zeros(SCRATCH * MOST_THREADS),
            live=aligned_zeros(QUANTUM),
            places=np.zeros(len(PLACES) * MOST_THREADS, np.int64),
            rate=np.array([self.rate], np.float64),
            strands=np.array(tasks.strands, np.int64),
            tasks=np.array(tasks.tasks, np.int64).reshape(-1, 2 + STRANDS),
            ends=np.flatnonzero(modules["lane_end"] * (np.array(self.strand, np.int64) != TAIL)),
            tail=np.array([tasks.tail], np.int64),
            context=np.zeros(CONTEXT, np.int64),
        )
        shares = np.array([(x.share, x.offset_share) for x in self.ordered_wires], np.float64).reshape(-1, 2)
        memory = self._memory()
        copies: dict[str, list[str]] = {}
        for instance in self.order:
            copies.setdefault(instance.module.id, []).append(instance.id)
        link_at: dict[str, list[int]] = {}
        for k, wire in enumerate(self.ordered_wires):
            link_at.setdefault(wire.link.id, []).append(k)
        return Program(
            patch=self.patch, rate=self.rate, plan=plan, memory=memory, module_at=dict(self.place),
            input_at=self.input_at, wire_at={wire.id: k for k, wire in enumerate(self.ordered_wires)}, link_at=link_at,
            shares=shares, row_at=self.row_at, copies=copies, spread=self.spread,
            sounding=frozenset(self.sounding),
            asleep=self.asleep, live=any(listens(x.spec) for x in self.order), sounds=self.sounds, loops=self._loops(),
        )  # fmt: skip

    def _memory(self) -> Memory:
        """What the program remembers at its start."""
        amounts = [
            (a := x.link.amount * x.share, a, b := x.link.offset * x.offset_share, b, 0) for x in self.ordered_wires
        ]
        memory = Memory(
            rows=aligned_zeros(self.rows),
            states=np.zeros(self.state_size),
            memories=aligned_zeros(self.memory_size),
            series=np.concatenate([np.zeros(0), *self.series]),
            bases=np.array([(x, x, 0, 1, pool) for x, pool in zip(self.bases, self.pools, strict=True)], BASE),
            amounts=np.array(amounts, AMOUNT),
            faults=np.zeros(len(self.order), np.int64),
            restless=np.zeros(len(self.order), np.int64),
            levels=np.zeros(self.levels),
            resting=np.zeros(self.levels, np.int64),
            clicks=np.zeros(CLICK_STATE * self.lane_ends),
            now=np.array(self.values, np.float64),
            position=np.zeros(1, np.int64),
        )
        for value, row in self.pool.items():
            memory.rows[row : row + QUANTUM] = value
        return memory

    def _place_outputs(self) -> None:
        """Rows for all outputs that somebody uses; the others of a strand share one that nobody reads."""
        used = self.watched | {(wire.source, wire.source_port) for wire in self.wires}
        self.nowhere = [self._row() for _ in range(STRANDS + 1)]
        for instance in self.order:
            for k, output in enumerate(instance.spec.output_rows):
                key = (instance.id, output.id)
                ends = instance.spec.lane_end and output.id in self.channels
                if k == 0 or output.per_voice or output.seen or ends or key in used:
                    self.row_at[key] = self._row(instance.layer.voices if output.per_voice else 1)

    def _add_module(self, instance: Instance) -> None:
        module, spec, name = instance.module, instance.spec, instance.id
        port_first, input_first, moved_first, linked = len(self.ports), len(self.input_records), len(self.moved), 0
        shape, into = _shape_of(spec), self.into
        for k, target in enumerate(shape.targets):
            wires = into.get((name, target.id))
            if wires:
                linked |= 1 << k
                self.moved.append(len(self.input_records))
            self._add_input(instance, k, target, wires or ())
        output_first, wanted, nowhere = len(self.ports), 0, self.nowhere[self.strand[self.place[name]]]
        for k, port in enumerate(shape.outputs):
            row = self.row_at.get((name, port), -1)
            wanted |= (1 << k) if row >= 0 else 0
            self.ports.append(row if row >= 0 else nowhere)
        passes, passes_right = (port_first + target if target >= 0 else -1 for target in shape.passes)
        memory = spec.memory_size(module.params, self.rate)
        state = spec.state * (1 + len(self.stems) if spec.closes else 1)
        levels = self.level_first[instance.layer.id]
        sound = prepared(spec, module, self.rate)
        self.sounds.append(sound.samples)
        self.module_records.append((
            kernel_address(spec), int(module.bypassed) * (1 + spec.hears_mix), input_first, len(self.input_records),
            port_first, output_first, len(self.ports), self.state_size, state, self.memory_size, memory,
            self.series_size, linked, passes, passes_right,
            -1 if instance.voice < 0 or name in self.awake else levels + instance.voice, levels, instance.layer.voices,
            self._lane_end(spec), self._stem(instance), moved_first, len(self.moved), wanted,
            shape.wakes, int(any(name in lines for lines in self.lines.values())), sound.samples.ctypes.data,
            len(sound.samples), sound.rows, sound.rate_hz, module_key(self.patch.seed, name),
        ))  # fmt: skip
        if spec.series:
            self.series.append(_series_of(spec, module) if module.series else shape.series)
            self.series_size += len(shape.series)
        self.state_size += state
        self.memory_size += memory

    def _end_rows(self) -> list[int]:
        """Which outputs of a layer's end go into the channels of the mix."""
        spec = spec_of("output")
        assert spec is not None
        return [_shape_of(spec).outputs.index(port) for port in self.channels]

    def _lane_end(self, spec: ModuleSpec) -> int:
        self.lane_ends += int(spec.lane_end)
        return self.lane_ends if spec.lane_end else 0

    def _stem(self, instance: Instance) -> int:
        if instance.spec.closes:
            return -1 if self.stems else 0
        return self.stems.get(instance.layer.id, 0) if instance.spec.lane_end else 0

    def _input_row(self, instance: Instance, k: int) -> int:
        """A separate row in a loop; elsewhere input k of all modules of a strand shares one, as it is used at once."""
        place = self.place[instance.id]
        if self.in_loop[place]:
            return self._row()
        rows = self.input_rows[self.strand[place]]
        while len(rows) <= k:
            rows.append(self._row())
        return rows[k]

    def _add_input(self, instance: Instance, k: int, target: _Target, wires: Sequence[Wire]) -> None:
        self.input_at[(instance.id, target.id)] = len(self.input_records)
        base, param = target.default, target.param
        if param is not None:
            if param.follows or param.id in instance.module.params:
                base = param.to_domain(base_value(self.patch, instance.module, param))
            away = voice_spread(instance, param) if instance.voice > 0 else 0.0
            if away:
                self.spread[(instance.id, target.id)] = away
                base += away
        self.bases.append(base)
        first = len(self.link_records)
        for wire in wires:
            self._add_wire(wire)
        value = min(max(base, target.low), target.high)
        self.values.append(2.0**value if target.octaves else value)
        row, pool = self._input_row(instance, k), -1 if wires else self._pooled(self.values[-1])
        self.pools.append(pool)
        self.ports.append(row if wires else pool)
        self.input_records.append((row, first, len(self.link_records), target.octaves, target.low, target.high))

    def _pooled(self, value: float) -> int:
        """The row that all inputs share that are constant at this value."""
        if value not in self.pool:
            self.pool[value] = self._row()
        return self.pool[value]

    def _add_wire(self, wire: Wire) -> None:
        self.ordered_wires.append(wire)
        self.link_records.append((
            self.row_at[(wire.source, wire.source_port)] + QUANTUM * wire.row,
            QUANTUM if self.last.waits(wire) else int(self.place[wire.source] >= self.place[wire.target]),
            int(is_audio(self.order[self.place[wire.source]], wire)),
            CURVES.index(wire.link.curve),
        ))  # fmt: skip

    def _voices(self, modules: NDArray[np.void]) -> tuple[list[tuple[int, ...]], list[int], list[int]]:
        """Records of all voices, with the states and rows that they name."""
        rests: list[list[int]] = [[] for _ in range(self.levels)]
        meets: list[list[int]] = [[] for _ in range(self.levels)]
        gates = [-1] * self.levels
        voice_of = {name: self.level_first[x.layer.id] + x.voice for name, x in self.in_voices.items()}
        for instance, state in zip(self.order, modules["state_at"].tolist(), strict=True):
            if instance.id in voice_of and instance.spec.rests >= 0:
                rests[voice_of[instance.id]].append(state + instance.spec.rests)
            for output in instance.spec.outputs:
                if output.per_voice and output.role == "gate":
                    first, count = self.level_first[instance.layer.id], instance.layer.voices
                    row = self.row_at[(instance.id, output.id)]
                    gates[first : first + count] = [row + QUANTUM * v for v in range(count)]
        for wire in self.wires:
            if leaves_voices(wire, self.in_voices) and wire.source not in self.awake:
                meets[voice_of[wire.source]].append(self.row_at[(wire.source, wire.source_port)])
        records: list[tuple[int, ...]] = []
        all_rests: list[int] = []
        all_meets: list[int] = []
        for gate, rest, meet in zip(gates, rests, meets, strict=True):
            begin = (len(all_rests), len(all_meets))
            all_rests += rest
            all_meets += dict.fromkeys(meet)
            records.append((gate if rest else -1, begin[0], len(all_rests), begin[1], len(all_meets)))
        return records, all_rests, all_meets

    def _loops(self) -> dict[int, tuple[LoopModule, ...]]:
        """What code could be made for, by the loop's place in ``parts``."""
        found = {}
        for s, (first, last, loop, _) in enumerate(self.parts):
            inside = self.order[first:last]
            plain = all(_alone(x.spec) and not self._hears_mix(x) for x in inside)
            if loop and len(inside) <= FUSED_MOST and plain:
                found[s] = tuple(self._loop_module(x, first, last) for x in inside)
        return found

    def _hears_mix(self, instance: Instance) -> bool:
        """Whether something from the mix of the quantum before comes into an instance."""
        rows = (self.into.get((instance.id, port.id), ()) for port in instance.spec.target_rows)
        return any(self.last.waits(wire) for wires in rows for wire in wires)

    def _loop_module(self, instance: Instance, first: int, last: int) -> LoopModule:
        def link_of(wire: Wire) -> LoopLink:
            place = self.place[wire.source]
            source = self.order[place]
            outputs = [output.id for output in source.spec.output_rows]
            inside = (place - first, outputs.index(wire.source_port)) if first <= place < last else None
            return LoopLink(inside, is_audio(source, wire), CURVES.index(wire.link.curve))

        used = tuple((instance.id, output.id) in self.row_at for output in instance.spec.output_rows)
        ports = [self.into.get((instance.id, port.id), []) for port in instance.spec.target_rows]
        links = tuple(tuple(link_of(wire) for wire in wires) for wires in ports)
        return LoopModule(instance.spec, links, self._leaving(instance, first, last), used, instance.module.bypassed)

    def _leaving(self, instance: Instance, first: int, last: int) -> tuple[bool, ...]:
        outside = {
            wire.source_port
            for wire in self.wires
            if wire.source == instance.id and not first <= self.place[wire.target] < last
        }
        seen = outside | {port for module, port in self.watched if module == instance.id}
        every = instance.spec.lane_end
        return tuple(every or k == 0 or output.id in seen for k, output in enumerate(instance.spec.output_rows))


def _alone(spec: ModuleSpec) -> bool:
    """Whether a kernel needs nothing but its own rows and memory."""
    return not (listens(spec) or spec.hears_mix or spec.sound or any(output.per_voice for output in spec.outputs))


def compile_patch(patch: Patch, *, rate: float, probed: Collection[Place] = (), stems: Sequence[str] = ()) -> Program:
    """Compile a patch for a sample rate in Hz (8000 to 192000). Modules of unknown type are silent.

    Modules from which no way leads to a layer's output are left out, unless somebody watches them: the outputs named in
    ``probed`` and everything that feeds them. An output that is not the first one and that nobody uses has no row. The
    patch must have passed ``catalogue.validate.check_patch``: ports are trusted here.

    ``stems`` are ids of layers whose sound is wanted apart as well, behind the mix: see ``compiler.loop.run``. All go
    through the master like the mix, so that they add up to it.
    """
    return _Builder(patch, float(rate), probed, stems).build()
