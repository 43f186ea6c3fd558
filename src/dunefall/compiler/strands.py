"""What of a program may run at the same time: its layers are dealt out to strands, and each strand is a row of tasks.

A strand is run by one thread at a time, so that its modules may share the rows of their inputs. A task waits for those
tasks of other strands that its inputs come from. What works on the whole mix is in no strand: it is the tail, which
runs when all strands are done. All of it follows from the patch alone, so that the bits are the same however many
threads there are.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from dunefall.compiler.records import STRANDS
from dunefall.compiler.voices import Instance
from dunefall.compiler.wires import Wire

__all__ = ["TAIL", "Strands", "strand_of_layers", "tasks_of"]

TAIL = STRANDS
"""Stands for the strand of what is in the tail."""
LONG = 4
"""A module with a long memory works about as much as so many others."""


@dataclass(frozen=True)
class Strands:
    """The tasks of a program.

    Attributes
    ----------
    strands : list of (int, int)
        For each strand, its first task and how many there are.
    tasks : list of tuple of int
        Strand by strand: first and last part, then for each strand how many of its tasks must be done before.
    tail : int
        The first part that is in no strand.
    """

    strands: list[tuple[int, int]]
    tasks: list[tuple[int, ...]]
    tail: int


def strand_of_layers(groups: Sequence[Sequence[Instance]]) -> dict[str, int]:
    """The strand of each layer: the one that has least to do so far. Layers that share a feedback loop stay together.

    Parameters
    ----------
    groups : sequence of sequence of Instance
        All that is in no tail, in order of execution, loops together.

    Returns
    -------
    dict of str to int
    """
    home: dict[str, str] = {}

    def first_of(layer: str) -> str:
        while home.setdefault(layer, layer) != layer:
            layer = home[layer]
        return layer

    work: dict[str, int] = {}
    for group in groups:
        for instance in group:
            home[first_of(instance.layer.id)] = first_of(group[0].layer.id)
    for group in groups:
        for instance in group:
            layer = first_of(instance.layer.id)
            work[layer] = work.get(layer, 0) + (LONG if instance.spec.memory_s else 1)
    load = [0] * STRANDS
    strand = {}
    for layer, weight in work.items():
        strand[layer] = load.index(min(load))
        load[strand[layer]] += weight
    return {layer: strand[first_of(layer)] for layer in home}


def tasks_of(
    parts: Sequence[Sequence[int]], order: Sequence[Instance], strand: Sequence[int], wires: Sequence[Wire],
    waits: Callable[[Wire], bool],
) -> Strands:  # fmt: skip
    """The tasks of a program.

    Parameters
    ----------
    parts : sequence of (first, last, ...)
        See ``graph.parts_of``; no part is in two strands.
    order : sequence of Instance
        All instances in order of execution.
    strand : sequence of int
        The strand of each, or ``TAIL``.
    wires : sequence of Wire
        Links of the program.
    waits : function
        Whether what a wire brings is that of the quantum before.

    Returns
    -------
    Strands
    """
    before: dict[str, list[str]] = {}
    for wire in wires:
        if not waits(wire):
            before.setdefault(wire.target, []).append(wire.source)
    done: dict[str, tuple[int, int]] = {}  # strand of each instance, and how many of its tasks must be done for it
    tasks: list[list[list[int]]] = [[] for _ in range(STRANDS)]
    tail = len(parts)
    for p, (first, last, *_) in enumerate(parts):
        here = strand[first]
        if here == TAIL:
            tail = min(tail, p)
            continue
        needs = [0] * STRANDS
        for instance in order[first:last]:
            for source in before.get(instance.id, ()):
                there, count = done.get(source, (here, 0))
                if there != here:
                    needs[there] = max(needs[there], count)
        mine = tasks[here]
        if mine and mine[-1][1] == p and all(a <= b for a, b in zip(needs, mine[-1][2:], strict=True)):
            mine[-1][1] = p + 1
        else:
            mine.append([p, p + 1, *needs])
        done.update((instance.id, (here, len(mine))) for instance in order[first:last])
    firsts = [sum(map(len, tasks[:s])) for s in range(STRANDS)]
    return Strands(
        [(first, len(mine)) for first, mine in zip(firsts, tasks, strict=True)],
        [tuple(task) for mine in tasks for task in mine],
        tail,
    )
