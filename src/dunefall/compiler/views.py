"""Arrays made from addresses, and calls by address: what compiled code of all kinds is put together with.

Nothing of the project is imported here: kernels that use it need not be recompiled when something else changes.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba import njit, types
from numba.core import cgutils
from numba.extending import intrinsic

__all__ = [
    "SIGNATURE",
    "address_caller",
    "borrow",
    "call_kernel",
    "floats",
    "piece",
    "view",
    "window",
    "words",
]

SIGNATURE = types.void(
    types.int64,  # number of samples
    types.int64,  # first sample within the quantum
    types.int64,  # which inputs and parameters move within these samples
    types.int64,  # address of the rows of this module's ports
    types.int64,  # address of this module's record
    types.int64,  # address of ``Plan.places``
    types.float64,  # sample rate in Hz
)
"""What every kernel is called with: few enough numbers to go in registers."""


def view(context: Any, builder: Any, kind: Any, first: Any, count: Any) -> Any:
    """An array of ``count`` numbers that begins at a pointer.

    Parameters
    ----------
    context : Any
        Numba's target context.
    builder : Any
        LLVM's builder.
    kind : Any
        Kind of value that is needed.
    first : int
        Where it begins.
    count : int
        How many.

    Returns
    -------
    Any
    """
    array = context.make_array(kind)(context, builder)
    constant, size = context.get_constant, kind.dtype.bitwidth // 8
    context.populate_array(
        array,
        data=builder.bitcast(first, array.data.type),
        shape=cgutils.pack_array(builder, [count]),  # type: ignore[no-untyped-call]
        strides=cgutils.pack_array(builder, [constant(types.intp, size)]),  # type: ignore[no-untyped-call]
        itemsize=constant(types.intp, size),
        meminfo=None,
    )
    return array._getvalue()


def _viewer(number: Any) -> Any:
    kind = types.Array(number, 1, "C")  # type: ignore[no-untyped-call]

    def generate(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        address = builder.add(
            values[0], builder.mul(values[1], context.get_constant(types.int64, number.bitwidth // 8))
        )
        pointer = builder.inttoptr(address, context.get_data_type(number).as_pointer())
        return view(context, builder, kind, pointer, values[2])

    return kind(types.int64, types.int64, types.int64), generate


@intrinsic
def window(typingctx, address, first, count):  # type: ignore[no-untyped-def]
    """An array over ``count`` real numbers from the ``first`` after an address on, without any check."""
    return _viewer(types.float64)


@intrinsic
def words(typingctx, address, first, count):  # type: ignore[no-untyped-def]
    """As ``window``, over whole numbers of 8 bytes."""
    return _viewer(types.int64)


@intrinsic
def floats(typingctx, address, first, count):  # type: ignore[no-untyped-def]
    """As ``window``, over numbers of 4 bytes."""
    return _viewer(types.float32)


@intrinsic
def piece(typingctx, array, first, count):  # type: ignore[no-untyped-def]
    """``array[first : first + count]`` without any check and without a reference count."""

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        data = context.make_array(signature.args[0])(context, builder, value=values[0]).data
        return view(context, builder, signature.return_type, builder.gep(data, [values[1]]), values[2])

    return types.Array(types.float64, 1, "C")(array, types.int64, types.int64), generate


def address_caller(of: Any) -> Any:
    """What calls C functions of a signature: (address, tuple of arguments).

    Parameters
    ----------
    of : Any
        The signature.

    Returns
    -------
    Any
    """

    @intrinsic
    def call_address(typingctx, address, arguments):  # type: ignore[no-untyped-def]
        def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
            kinds = [context.get_value_type(kind) for kind in of.args]
            void = of.return_type == types.void
            result = ir.VoidType() if void else context.get_value_type(of.return_type)
            pointer = builder.inttoptr(values[0], ir.FunctionType(result, kinds).as_pointer())
            given = builder.call(pointer, [builder.extract_value(values[1], k) for k in range(len(kinds))])
            return context.get_dummy_value() if void else given

        return of.return_type(types.int64, arguments), generate

    return call_address


_call_address = address_caller(SIGNATURE)


@njit(nogil=True, error_model="numpy", forceinline=True)
def call_kernel(address, arguments):  # type: ignore[no-untyped-def]
    """Call a kernel; ``arguments`` is a tuple in the order of ``SIGNATURE``."""
    _call_address(address, arguments)


@intrinsic
def borrow(typingctx, array):  # type: ignore[no-untyped-def]
    """The same array without its reference count, so that loops over it pay for no counting.

    The caller must hold the array for as long as the borrowed one is used.
    """

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        struct = context.make_helper(builder, array, value=values[0])
        struct.meminfo = context.get_constant_null(types.MemInfoPointer(types.voidptr))  # type: ignore[no-untyped-call]
        struct.parent = context.get_constant_null(types.pyobject)
        return struct._getvalue()

    return array(array), generate
