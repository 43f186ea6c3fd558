"""Several numbers at a time, where the compiler does not see by itself that they do not wait for each other; and rings
fetched before they are read. Each is plain Python, too, for what is not compiled; ``lanefilters`` builds on it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic, overload

from dunefall.base.arrays import Row
from dunefall.dsp.maths import fma

__all__ = ["EIGHT", "LANES", "Emitter", "between_four", "compiled_as", "copy_four", "fetch", "turn_eight"]

LANES, EIGHT = 4, 8
_LINE = 8
"""Numbers in a line of the processor's cache (64 bytes on every processor that matters here)."""
_WORD, _INDEX = ir.IntType(32), ir.IntType(64)
_FETCH = "llvm.prefetch.p0i8"


class Emitter:
    """Writes out what an intrinsic does: the arguments as addresses and whole numbers, loads, stores and arithmetic of
    ``size`` numbers at a time.

    Parameters
    ----------
    context, builder, signature, values
        What Numba hands to an intrinsic.
    size : int
        Numbers at a time.
    """

    def __init__(self, context: Any, builder: Any, signature: Any, values: Any, size: int) -> None:
        self.builder, self.size = builder, size
        self.vector = ir.VectorType(ir.DoubleType(), size)
        self.arguments = [
            context.make_array(kind)(context, builder, value).data if isinstance(kind, types.Array)
            else value if isinstance(kind, types.Float)
            else context.cast(builder, value, kind, types.int64)
            for kind, value in zip(signature.args, values, strict=True)
        ]  # fmt: skip

    def index(self, *parts: Any) -> Any:
        """The sum of whole numbers.

        Parameters
        ----------
        *parts : int or value of LLVM
            What is added.

        Returns
        -------
        value of LLVM
        """
        total = None
        for part in parts:
            value = ir.Constant(_INDEX, part) if isinstance(part, int) else part
            total = value if total is None else self.builder.add(total, value)
        return total

    def times(self, part: Any, factor: int) -> Any:
        """A whole number multiplied.

        Parameters
        ----------
        part : value of LLVM
            The number.
        factor : int
            How many times.

        Returns
        -------
        value of LLVM
        """
        return self.builder.mul(part, ir.Constant(_INDEX, factor))

    def address(self, array: Any, index: Any, kind: Any) -> Any:
        """Where a number of an array stands.

        Parameters
        ----------
        array, index : values of LLVM
            The array's data, and the number's place in it.
        kind : type of LLVM
            What stands there.

        Returns
        -------
        value of LLVM
        """
        return self.builder.bitcast(self.builder.gep(array, [index]), kind.as_pointer())

    def load(self, array: Any, index: Any) -> Any:
        """Numbers from a place on, whether they are kept in double or in single precision.

        Parameters
        ----------
        array, index : values of LLVM
            The array's data, and the place of the first of them.

        Returns
        -------
        value of LLVM
            ``size`` numbers in double precision.
        """
        if array.type.pointee == ir.FloatType():
            kind = ir.VectorType(ir.FloatType(), self.size)
            return self.builder.fpext(self.builder.load(self.address(array, index, kind), align=4), self.vector)
        return self.builder.load(self.address(array, index, self.vector), align=8)

    def store(self, value: Any, array: Any, index: Any) -> None:
        """Numbers to a place and those behind it.

        Parameters
        ----------
        value : value of LLVM
            ``size`` numbers.
        array, index : values of LLVM
            The array's data, and the place of the first of them.
        """
        self.builder.store(value, self.address(array, index, self.vector), align=8)

    def slot(self) -> Any:
        """A place for numbers that change within a loop; the compiler keeps it in registers.

        Returns
        -------
        value of LLVM
        """
        return cgutils.alloca_once(self.builder, self.vector)  # type: ignore[no-untyped-call]

    def fma(self, factor: Any, x: Any, more: Any) -> Any:
        """``factor * x + more``, rounded once.

        Parameters
        ----------
        factor, x, more : values of LLVM
            ``size`` numbers each.

        Returns
        -------
        value of LLVM
        """
        name = f"llvm.fma.v{self.size}f64"
        kind = ir.FunctionType(self.vector, [self.vector] * 3)
        return self.builder.call(
            self.builder.module.globals.get(name) or ir.Function(self.builder.module, kind, name), [factor, x, more]
        )

    def shuffle(self, a: Any, b: Any, order: list[int]) -> Any:
        """Numbers of two vectors, by their places in both together.

        Parameters
        ----------
        a, b : values of LLVM
            The vectors.
        order : list of int
            Which number comes to each place.

        Returns
        -------
        value of LLVM
        """
        mask = ir.Constant(ir.VectorType(_WORD, len(order)), [ir.Constant(_WORD, place) for place in order])
        return self.builder.shuffle_vector(a, b, mask)

    def spread(self, value: Any) -> Any:
        """One number in every place.

        Parameters
        ----------
        value : value of LLVM
            The number.

        Returns
        -------
        value of LLVM
        """
        empty = ir.Constant(self.vector, ir.Undefined)
        return self.shuffle(
            self.builder.insert_element(empty, value, ir.Constant(_WORD, 0)), empty, [0] * self.size
        )  # fmt: skip


def compiled_as(plain: Callable[..., None], size: int, emit: Callable[[Emitter], None]) -> None:
    """Let compiled code do what ``emit`` writes out wherever it calls ``plain``.

    Parameters
    ----------
    plain : function
        Does the same in Python; its arguments are arrays and numbers.
    size : int
        Numbers at a time.
    emit : function of an Emitter
        Writes it out.
    """
    names = ", ".join(plain.__code__.co_varnames[: plain.__code__.co_argcount])

    def typed(typingctx: Any, *kinds: Any) -> Any:
        def generate(context: Any, builder: Any, signature: Any, values: Any) -> Any:
            emit(Emitter(context, builder, signature, values, size))
            return context.get_dummy_value()

        return types.void(*kinds), generate

    made: dict[str, Any] = {"typed": typed}
    exec(f"def asked(typingctx, {names}):\n    return typed(typingctx, {names})", made)
    made["work"] = intrinsic(made["asked"])
    exec(f"def chosen({names}):\n    return lambda {names}: work({names})", made)
    overload(plain, jit_options={"forceinline": True, "error_model": "numpy"})(made["chosen"])


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


def _copy_four(emit: Emitter) -> None:
    to, at, source, first = emit.arguments
    emit.store(emit.load(source, first), to, at)


compiled_as(copy_four, LANES, _copy_four)


def between_four(to: Row, at: int, source: Row, first: int, second: int, share: float) -> None:
    """Four numbers between those from two places on, by a share of the second.

    Parameters
    ----------
    to, source : ndarray
        Where to and where from; the latter may be of single precision.
    at, first, second : int
        Places in them.
    share : float
        0 gives the first, 1 the second.
    """
    for i in range(LANES):
        here = float(source[first + i])
        to[at + i] = fma(float(source[second + i]) - here, share, here)


def _between_four(emit: Emitter) -> None:
    to, at, source, first, second, share = emit.arguments
    here, there = emit.load(source, first), emit.load(source, second)
    emit.store(emit.fma(emit.builder.fsub(there, here), emit.spread(share), here), to, at)


compiled_as(between_four, LANES, _between_four)


def turn_eight(to: Row, at: int, to_apart: int, source: Row, first: int, apart: int) -> None:
    """Eight rows of eight numbers as columns: each row of the result has one number of each row of the source.

    Parameters
    ----------
    to, source : ndarray
        Where to and where from; not the same numbers.
    at, first : int
        Where the first row begins.
    to_apart, apart : int
        From the begin of a row to that of the next one.
    """
    for k in range(EIGHT):
        for i in range(EIGHT):
            to[at + k * to_apart + i] = source[first + i * apart + k]


def _turn_eight(emit: Emitter) -> None:
    to, at, to_apart, source, first, apart = emit.arguments
    rows = [emit.load(source, emit.index(first, emit.times(apart, k))) for k in range(EIGHT)]
    half = EIGHT // 2
    while half > 0:  # squares of this size beside the diagonal change places
        for k in range(EIGHT):
            if not k & half:
                upper = [j if not j & half else EIGHT + j - half for j in range(EIGHT)]
                lower = [j + half if not j & half else EIGHT + j for j in range(EIGHT)]
                a, b = rows[k], rows[k + half]
                rows[k], rows[k + half] = emit.shuffle(a, b, upper), emit.shuffle(a, b, lower)
        half //= 2
    for k, row in enumerate(rows):
        emit.store(row, to, emit.index(at, emit.times(to_apart, k)))


compiled_as(turn_eight, EIGHT, _turn_eight)


def fetch(memory: Row, first: int, count: int) -> None:
    """Have the processor bring numbers near that will soon be read: long rings lie in slow memory. Places beyond the
    end do no harm.

    Parameters
    ----------
    memory : ndarray
        Where they are.
    first : int
        The first of them.
    count : int
        How many.
    """


def _fetch(emit: Emitter) -> None:
    memory, first, count = emit.arguments
    byte, module = ir.IntType(8).as_pointer(), emit.builder.module
    kind = ir.FunctionType(ir.VoidType(), [byte, _WORD, _WORD, _WORD])
    function = module.globals.get(_FETCH) or ir.Function(module, kind, _FETCH)
    reads, near, data = (ir.Constant(_WORD, value) for value in (0, 3, 1))
    step = ir.Constant(_INDEX, _LINE)
    with cgutils.for_range_slice(emit.builder, ir.Constant(_INDEX, 0), count, step, _INDEX) as (at, _):
        place = emit.builder.gep(memory, [emit.index(first, at)])
        emit.builder.call(function, [emit.builder.bitcast(place, byte), reads, near, data])


compiled_as(fetch, 1, _fetch)
