"""Numbers too small to be heard count as 0 while sound is computed: many processors slow down on them a hundredfold.

Below about 2e-308 a number has no full precision left (it is "denormal", IEEE 754). Sounds that die away get there.
x86 processors have a mode in which such numbers are 0, set here by the bits 6 and 15 of its control register MXCSR
(Intel 64 and IA-32 Architectures Software Developer's Manual, volume 1, section 10.2.3, from memory). Other processors
do without.
"""

from __future__ import annotations

import platform
from typing import Any

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

__all__ = ["restore_tiny", "tiny_is_zero"]

_X86 = platform.machine().lower() in ("x86_64", "amd64", "i386", "i686")
_ZERO_BITS = 0x8040


def _access(builder: Any, name: str, place: Any) -> None:
    kind = ir.FunctionType(ir.VoidType(), [ir.IntType(8).as_pointer()])
    function = builder.module.globals.get(name) or ir.Function(builder.module, kind, name)
    builder.call(function, [builder.bitcast(place, ir.IntType(8).as_pointer())])


@intrinsic
def tiny_is_zero(typingctx):  # type: ignore[no-untyped-def]
    """From now on, tiny numbers are 0 in this thread; returns the mode before, for ``restore_tiny``."""

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        word = ir.IntType(32)
        if not _X86:
            return ir.Constant(word, 0)
        place = builder.alloca(word)
        _access(builder, "llvm.x86.sse.stmxcsr", place)
        before = builder.load(place)
        builder.store(builder.or_(before, ir.Constant(word, _ZERO_BITS)), place)
        _access(builder, "llvm.x86.sse.ldmxcsr", place)
        return before

    return types.uint32(), generate


@intrinsic
def restore_tiny(typingctx, mode):  # type: ignore[no-untyped-def]
    """Back to the mode that ``tiny_is_zero`` found."""

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        if _X86:
            place = builder.alloca(ir.IntType(32))
            builder.store(values[0], place)
            _access(builder, "llvm.x86.sse.ldmxcsr", place)
        return context.get_dummy_value()

    return types.void(types.uint32), generate
