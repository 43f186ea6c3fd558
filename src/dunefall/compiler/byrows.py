"""Which feedback loops can run row by row: those whose every round goes through a delay line.

What comes out of a line in this quantum was written before it, if the line is long enough, which the line tells while
it runs. Then nothing in the loop waits for a sample of its own.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from dunefall.catalogue.declare import ModuleSpec
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.voices import Instance
from dunefall.compiler.wires import Wire

__all__ = ["lines_of"]


def lines_of(
    parts: Sequence[tuple[int, int, int, int]], order: Sequence[Instance], wires: Sequence[Wire],
    hears_mix: Callable[[Instance], bool],
) -> dict[int, frozenset[str]]:  # fmt: skip
    """Delay lines of the feedback loops that may run row by row.

    Parameters
    ----------
    parts : sequence of (int, int, int, int)
        See ``graph.parts_of``.
    order : sequence of Instance
        All instances in order of execution.
    wires : sequence of Wire
        Links of the program.
    hears_mix : function
        Whether something from the mix of the quantum before comes into an instance: such a loop is left as it is.

    Returns
    -------
    dict of int to frozenset of str
        Ids of the lines, by the place of the loop's first instance.
    """
    found = {}
    for first, last, loop, _ in parts:
        inside = order[first:last]
        if loop and not any(map(hears_mix, inside)) and _late_links(inside, wires):
            found[first] = frozenset(instance.id for instance in inside if _is_line(instance))
    return found


def _is_line(instance: Instance) -> bool:
    """Whether an instance is a delay line that can read and write apart."""
    return bool(instance.spec.loop) and "line_phase" in instance.spec.asks and not instance.module.bypassed


def _late_links(inside: Sequence[Instance], wires: Sequence[Wire]) -> int:
    """How many links of a feedback loop come a sample late into its lines; 0 where it cannot run row by row."""
    place = {instance.id: k for k, instance in enumerate(inside)}
    lines = {instance.id: _ends(instance.spec) for instance in inside if _is_line(instance)}
    late = 0
    for wire in wires:
        if wire.source not in place or wire.target not in place:
            continue
        comes_back = wire.target_port in lines[wire.target][1] if wire.target in lines else False
        if wire.target in lines and not comes_back:
            return 0
        if wire.source in lines and wire.source_port not in lines[wire.source][0]:
            return 0
        if place[wire.source] >= place[wire.target]:
            if not comes_back:
                return 0
            late += 1
    return late if late <= QUANTUM else 0


def _ends(spec: ModuleSpec) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Outputs that read the line, and inputs that are only written to it."""
    sends, back = spec.loop
    return _sides(sends, [row.id for row in spec.output_rows]), _sides(back, [row.id for row in spec.target_rows])


def _sides(port: str, rows: Sequence[str]) -> tuple[str, ...]:
    return tuple(row for row in rows if row in (port, f"{port}_right"))
