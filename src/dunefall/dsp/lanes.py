"""Four numbers at a time where a filter waits for what it gave some samples ago: the compiler does not see by itself
that four of them do not wait for each other."""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba import types
from numba.extending import intrinsic, overload

from dunefall.base.arrays import Row
from dunefall.dsp.maths import fma

__all__ = ["LANES", "all_pass_four", "copy_four"]

LANES = 4
_FOUR = ir.VectorType(ir.DoubleType(), LANES)
_INLINED: Any = {"forceinline": True, "error_model": "numpy"}


def all_pass_four(row: Row, x: int, y: int, stretch: int, factors: Row, first: int) -> None:
    """Four samples through an all-pass that is stretched over ``stretch`` samples, four or more of them.

    Parameters
    ----------
    row : ndarray
        Holds what goes in and what comes out: the samples of ``stretch`` ago stand at ``x`` and ``y``, the present ones
        ``stretch`` behind them.
    x, y : int
        Where.
    stretch : int
        Samples, at least 4.
    factors : ndarray
        The all-pass's factor for each sample.
    first : int
        The first of these four.
    """
    for i in range(LANES):
        row[y + stretch + i] = fma(factors[first + i], row[x + stretch + i] - row[y + i], row[x + i])


def copy_four(to: Row, at: int, source: Row, first: int) -> None:
    """Four numbers from one place to another, all of them read before any is written.

    Parameters
    ----------
    to, source : ndarray
        Where to and where from.
    at, first : int
        Places in them.
    """
    to[at], to[at + 1], to[at + 2], to[at + 3] = (source[first + i] for i in range(LANES))


class _Lanes:
    """Loads and stores of four numbers at places among the arguments of what is generated."""

    def __init__(self, context: Any, builder: Any, signature: Any, values: Any) -> None:
        self._builder = builder
        self._arrays = [
            context.make_array(kind)(context, builder, value).data if isinstance(kind, types.Array)
            else context.cast(builder, value, kind, types.int64)
            for kind, value in zip(signature.args, values, strict=True)
        ]  # fmt: skip

    def index(self, *arguments: int) -> Any:
        """The sum of whole numbers among the arguments."""
        total = self._arrays[arguments[0]]
        for k in arguments[1:]:
            total = self._builder.add(total, self._arrays[k])
        return total

    def place(self, array: int, index: Any) -> Any:
        return self._builder.bitcast(self._builder.gep(self._arrays[array], [index]), _FOUR.as_pointer())

    def load(self, array: int, index: Any) -> Any:
        return self._builder.load(self.place(array, index), align=8)

    def store(self, value: Any, array: int, index: Any) -> None:
        self._builder.store(value, self.place(array, index), align=8)


@intrinsic
def _all_pass_four(typingctx, row, x, y, stretch, factors, first):  # type: ignore[no-untyped-def]
    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        four = _Lanes(context, builder, signature, values)
        name = f"llvm.fma.v{LANES}f64"
        kind = ir.FunctionType(_FOUR, [_FOUR] * 3)
        fused = builder.module.globals.get(name) or ir.Function(builder.module, kind, name)
        difference = builder.fsub(four.load(0, four.index(1, 3)), four.load(0, four.index(2)))
        result = builder.call(fused, [four.load(4, four.index(5)), difference, four.load(0, four.index(1))])
        four.store(result, 0, four.index(2, 3))
        return context.get_dummy_value()

    return types.void(row, x, y, stretch, factors, first), generate


@intrinsic
def _copy_four(typingctx, to, at, source, first):  # type: ignore[no-untyped-def]
    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        four = _Lanes(context, builder, signature, values)
        four.store(four.load(2, four.index(3)), 0, four.index(1))
        return context.get_dummy_value()

    return types.void(to, at, source, first), generate


def _compiled_all_pass(row, x, y, stretch, factors, first):  # type: ignore[no-untyped-def]
    def work(row, x, y, stretch, factors, first):  # type: ignore[no-untyped-def]
        _all_pass_four(row, x, y, stretch, factors, first)  # type: ignore[call-arg]

    return work


def _compiled_copy(to, at, source, first):  # type: ignore[no-untyped-def]
    def work(to, at, source, first):  # type: ignore[no-untyped-def]
        _copy_four(to, at, source, first)  # type: ignore[call-arg]

    return work


overload(all_pass_four, jit_options=_INLINED)(_compiled_all_pass)
overload(copy_four, jit_options=_INLINED)(_compiled_copy)
