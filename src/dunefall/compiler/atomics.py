"""What threads that work together need of the processor: numbers that are read and written whole, and by all threads in
one order.

Each number is one of 8 bytes at an address. Nothing here waits, and nothing of the project is imported.
"""

from __future__ import annotations

import platform
from typing import Any

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

__all__ = ["load", "pause", "store", "swap_if"]

_PAUSE = {"x86_64": ("llvm.x86.sse2.pause", ()), "aarch64": ("llvm.aarch64.hint", (1,))}.get(platform.machine())


def _number(builder: Any, address: Any) -> Any:
    return builder.inttoptr(address, ir.IntType(64).as_pointer())


@intrinsic
def load(typingctx, address):  # type: ignore[no-untyped-def]
    """A number; what was written before it was stored can be read now."""

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        return builder.load_atomic(_number(builder, values[0]), "seq_cst", 8)

    return types.int64(types.int64), generate


@intrinsic
def store(typingctx, address, value):  # type: ignore[no-untyped-def]
    """Store a number after everything that was written before it."""

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        builder.store_atomic(values[1], _number(builder, values[0]), "seq_cst", 8)
        return context.get_dummy_value()

    return types.void(types.int64, types.int64), generate


@intrinsic
def swap_if(typingctx, address, expected, value):  # type: ignore[no-untyped-def]
    """Store a number if the one that is there is as expected; whether it was. Of several threads, one succeeds."""

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        both = builder.cmpxchg(_number(builder, values[0]), values[1], values[2], "seq_cst", "seq_cst")
        return builder.extract_value(both, 1)

    return types.boolean(types.int64, types.int64, types.int64), generate


@intrinsic
def pause(typingctx):  # type: ignore[no-untyped-def]
    """Tell the processor that this thread only waits for another."""

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        if _PAUSE is not None:
            name, given = _PAUSE
            kind = ir.FunctionType(ir.VoidType(), [ir.IntType(32) for _ in given])
            function = builder.module.globals.get(name) or ir.Function(builder.module, kind, name)
            builder.call(function, [ir.Constant(ir.IntType(32), number) for number in given])
        return context.get_dummy_value()

    return types.void(), generate
