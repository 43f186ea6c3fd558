"""Where the arrays of a run are, written down for other threads: the program, its memory, and the traces."""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba import njit, typeof, types
from numba.core import cgutils
from numba.extending import intrinsic

from dunefall.compiler.plan import Plan, nothing_planned
from dunefall.compiler.records import CONTEXT, PLACES, SCRATCH
from dunefall.compiler.traces import no_traces
from dunefall.compiler.views import piece as _piece
from dunefall.compiler.views import words as _words

__all__ = ["in_room", "keep", "recall"]

_KIND = typeof((*nothing_planned(), no_traces()))  # type: ignore[no-untyped-call]
piece: Any = _piece
words: Any = _words


def _arrays() -> list[tuple[int, int, Any]]:
    """Of each array: in which of the three it is, which field of that, and its type."""
    return [(k, f, kind) for k, group in enumerate(_KIND) for f, kind in enumerate(group)]


@intrinsic
def keep(typingctx, address, arrays):  # type: ignore[no-untyped-def]
    """Write down a plan, a memory and traces at an address, where there is room for ``CONTEXT`` numbers: of each array
    the address and how many it holds in each dimension."""
    if arrays != _KIND:
        raise TypeError(f"a run of {arrays} instead of {_KIND}")

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        word, at = ir.IntType(64), 0
        first = builder.inttoptr(values[0], word.as_pointer())
        for k, f, kind in _arrays():
            held = builder.extract_value(builder.extract_value(values[1], k), f)
            array = context.make_array(kind)(context, builder, value=held)
            counts = cgutils.unpack_tuple(builder, array.shape)  # type: ignore[no-untyped-call]
            for number in (builder.ptrtoint(array.data, word), *counts):
                builder.store(number, builder.gep(first, [ir.Constant(word, at)]))
                at += 1
        if at > CONTEXT:
            raise ValueError(f"a run of {at} numbers does not fit into {CONTEXT}")
        return context.get_dummy_value()

    return types.void(types.int64, arrays), generate


@intrinsic
def recall(typingctx, address):  # type: ignore[no-untyped-def]
    """What ``keep`` has written down, without counts of references; whoever keeps it holds the arrays for as long."""

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        word, at = ir.IntType(64), 0
        first = builder.inttoptr(values[0], word.as_pointer())
        groups: list[list[Any]] = [[] for _ in _KIND]
        for k, _, kind in _arrays():
            places = [builder.gep(first, [ir.Constant(word, at + d)]) for d in range(1 + kind.ndim)]
            data, *counts = map(builder.load, places)
            groups[k].append(_array_at(context, builder, kind, data, counts))
            at += 1 + kind.ndim
        made = [context.make_tuple(builder, kind, group) for kind, group in zip(_KIND, groups, strict=True)]
        return context.make_tuple(builder, _KIND, made)

    return _KIND(types.int64), generate


def _array_at(context: Any, builder: Any, kind: Any, data: Any, counts: list[Any]) -> Any:
    """An array in C order at an address."""
    array = context.make_array(kind)(context, builder)
    strides = [context.get_constant(types.intp, context.get_abi_sizeof(context.get_data_type(kind.dtype)))]
    for count in counts[:0:-1]:
        strides.insert(0, builder.mul(strides[0], count))
    context.populate_array(
        array,
        data=builder.inttoptr(data, array.data.type),
        shape=cgutils.pack_array(builder, counts),  # type: ignore[no-untyped-call]
        strides=cgutils.pack_array(builder, strides),  # type: ignore[no-untyped-call]
        itemsize=strides[-1],
        meminfo=None,
    )
    return array._getvalue()


@njit(nogil=True, error_model="numpy", forceinline=True)
def in_room(p: Plan, room: int) -> Plan:
    """The plan as the thread of this number uses it: with its own scratch and places.

    Parameters
    ----------
    p : Plan
        The program.
    room : int
        Below ``MOST_THREADS``.

    Returns
    -------
    Plan
    """
    scratch = piece(p.scratch, SCRATCH * room, SCRATCH)
    places = words(p.places.ctypes.data, len(PLACES) * room, len(PLACES))
    return Plan(
        p.parts, p.modules, p.ports, p.inputs, p.links, p.moved, p.voices, p.rests, p.meets, p.channels, p.mix,
        scratch, p.live, places, p.rate, p.strands, p.tasks, p.ends, p.tail, p.context,
    )  # fmt: skip
