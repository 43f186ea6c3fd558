"""Patch to flat program."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Mapping

import numpy as np

from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import Input, ModuleSpec, Param
from dunefall.compiler.graph import execution_order
from dunefall.compiler.kernels import kernel_address
from dunefall.compiler.program import AMOUNT, BASE, INPUT, LINK, MODULE, QUANTUM, Memory, Plan, Program
from dunefall.patch.model import CURVES, Link, Module, Patch

__all__ = ["base_value", "compile_patch", "module_key", "same_structure", "value_changes"]


def module_key(seed: int, module_id: str) -> int:
    """Key of a module's random numbers: it depends on the patch's seed and the module's id and on nothing else."""
    digest = hashlib.blake2b(f"{seed}/{module_id}".encode(), digest_size=8).digest()
    return int.from_bytes(digest, "little")


def base_value(patch: Patch, module: Module, param: Param) -> float:
    """Base value of a parameter in its own unit, within its hard range."""
    if param.follows == "tempo":
        return patch.tempo_bpm
    return min(param.high, max(param.low, module.params.get(param.id, param.default)))


def same_structure(a: Patch, b: Patch) -> bool:
    """Whether two patches differ in values only, so that a running program can glide from one to the other."""

    def shape(patch: Patch) -> object:
        modules = tuple((layer.id, m.id, m.type, m.bypassed) for layer in patch.layers for m in layer.modules)
        links = tuple((x.id, x.source, x.target, x.curve, x.on) for x in patch.links)
        return patch.seed, modules, links

    return shape(a) == shape(b)


class _Builder:
    """Collects the numbers of one program."""

    def __init__(self, patch: Patch, rate: float) -> None:
        self.patch, self.rate = patch, rate
        pairs = [(module, spec_of(module.type)) for module in patch.modules()]
        self.modules: list[tuple[Module, ModuleSpec]] = [(module, spec) for module, spec in pairs if spec]
        number = {module.id: k for k, (module, _) in enumerate(self.modules)}
        self.links = [x for x in patch.links if x.on and x.source.module in number and x.target.module in number]
        edges = [(number[x.source.module], number[x.target.module]) for x in self.links]
        groups = execution_order(len(self.modules), edges)
        self_fed = {a for a, b in edges if a == b}
        self.parts = _parts(groups, self_fed)
        self.order = [node for group in groups for node in group]
        self.place = {self.modules[node][0].id: k for k, node in enumerate(self.order)}
        self.into: dict[tuple[str, str], list[Link]] = {}
        for link in self.links:
            self.into.setdefault((link.target.module, link.target.port), []).append(link)
        self.row_at: dict[tuple[str, str], int] = {}
        self.input_at: dict[tuple[str, str], int] = {}
        self.ports: list[int] = []
        self.outs: list[list[int]] = []
        self.module_records: list[tuple[int, ...]] = []
        self.input_records: list[tuple[int, int, int, int, float, float]] = []
        self.link_records: list[tuple[int, int, int, int]] = []
        self.ordered_links: list[Link] = []
        self.bases: list[float] = []
        self.rows = self.state_size = self.memory_size = 0

    def _row(self) -> int:
        self.rows += QUANTUM
        return self.rows - QUANTUM

    def build(self) -> Program:
        order = [self.modules[node] for node in self.order]
        for module, spec in order:
            for output in spec.outputs:
                self.row_at[(module.id, output.id)] = self._row()
        for module, spec in order:
            self._add_module(module, spec)
        plan = Plan(
            parts=np.array(self.parts, np.int64).reshape(-1, 3),
            modules=np.array(self.module_records, MODULE),
            ports=np.array(self.ports, np.int64),
            inputs=np.array(self.input_records, INPUT),
            links=np.array(self.link_records, LINK),
            outs=np.array(self.outs, np.int64).reshape(-1, 2),
            rate=np.array([self.rate]),
        )
        memory = Memory(
            rows=np.zeros(self.rows),
            states=np.zeros(self.state_size),
            memories=np.zeros(self.memory_size),
            bases=np.array([(base, base, 0, 1) for base in self.bases], BASE),
            amounts=np.array([(x.amount, x.amount, x.offset, x.offset, 0) for x in self.ordered_links], AMOUNT),
            faults=np.zeros(len(order), np.int64),
            position=np.zeros(1, np.int64),
        )
        link_at = {link.id: k for k, link in enumerate(self.ordered_links)}
        return Program(self.patch, self.rate, plan, memory, dict(self.place), self.input_at, link_at, self.row_at)

    def _add_module(self, module: Module, spec: ModuleSpec) -> None:
        port_first, input_first, linked = len(self.ports), len(self.input_records), 0
        for k, port in enumerate(spec.targets):
            links = self.into.get((module.id, port.id), [])
            linked |= (1 << k) if links else 0
            self._add_input(module, port, links)
        output_first = len(self.ports)
        self.ports += [self.row_at[(module.id, output.id)] for output in spec.outputs]
        passes = self.input_records[self.input_at[(module.id, spec.passes)]][0] if spec.passes else -1
        memory = math.ceil(spec.memory_s * self.rate)
        self.module_records.append((
            0 if module.bypassed else kernel_address(spec), input_first, len(self.input_records), port_first,
            output_first, len(self.ports), self.state_size, spec.state, self.memory_size, memory, linked, passes,
            module_key(self.patch.seed, module.id),
        ))  # fmt: skip
        self.state_size += spec.state
        self.memory_size += memory
        if spec.lane_end:
            self.outs.append([self.row_at[(module.id, output.id)] for output in spec.outputs])

    def _add_input(self, module: Module, port: Input | Param, links: list[Link]) -> None:
        row = self._row()
        self.ports.append(row)
        self.input_at[(module.id, port.id)] = len(self.input_records)
        if isinstance(port, Param):
            self.bases.append(port.to_domain(base_value(self.patch, module, port)))
            low, high, octaves = port.to_domain(port.low), port.to_domain(port.high), port.octaves
        else:
            self.bases.append(0.0)
            low, high, octaves = -math.inf, math.inf, False
        first = len(self.link_records)
        for link in links:
            self._add_link(link)
        self.input_records.append((row, first, len(self.link_records), int(octaves), low, high))

    def _add_link(self, link: Link) -> None:
        spec = spec_of(self.patch.module(link.source.module).type)
        output = spec.output(link.source.port) if spec else None
        self.ordered_links.append(link)
        self.link_records.append((
            self.row_at[(link.source.module, link.source.port)],
            int(self.place[link.source.module] >= self.place[link.target.module]),
            int(output is not None and output.role == "audio"),
            CURVES.index(link.curve),
        ))  # fmt: skip


def _parts(groups: list[list[int]], self_fed: set[int]) -> list[tuple[int, int, int]]:
    """Runs of modules (first, last, loop): neighbours outside of loops go together, each loop stands alone."""
    parts: list[tuple[int, int, int]] = []
    at = 0
    for group in groups:
        loop = int(len(group) > 1 or group[0] in self_fed)
        if parts and not loop and not parts[-1][2]:
            parts[-1] = (parts[-1][0], at + 1, 0)
        else:
            parts.append((at, at + len(group), loop))
        at += len(group)
    return parts


def compile_patch(patch: Patch, *, rate: float) -> Program:
    """Compile a patch for a sample rate in Hz (8000 to 192000). Modules of unknown type are silent.

    The patch must have passed ``catalogue.validate.check_patch``: ports are trusted here.
    """
    return _Builder(patch, float(rate)).build()


def value_changes(before: Patch, after: Patch) -> Mapping[tuple[str, str], float]:
    """Base values, in their domains, that differ between two patches of the same structure."""
    changes: dict[tuple[str, str], float] = {}
    for old, new in zip(before.modules(), after.modules(), strict=True):
        if old is new and before.tempo_bpm == after.tempo_bpm:
            continue
        spec = spec_of(new.type)
        for param in spec.params if spec else ():
            value = base_value(after, new, param)
            if value != base_value(before, old, param):
                changes[(new.id, param.id)] = param.to_domain(value)
    return changes
