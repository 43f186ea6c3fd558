"""Bounded approximations of the functions that dominate the cost of sound, and small helpers of kernels.

Nothing here or in a kernel is compiled with relaxed arithmetic: what is compiled alone, in a row of samples or into a
feedback loop gives the same bits. Where two roundings would cost time, ``fma`` says so.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, types
from numba.extending import intrinsic, overload

__all__ = ["db_to_gain", "exp2", "flush", "fma", "note_to_hz", "saturate", "sine", "tan_half_pi"]


def fma(a: float, b: float, c: float) -> float:
    """a * b + c; compiled, with a single rounding (one instruction)."""
    return a * b + c


@intrinsic
def _fused(typingctx: Any, a: Any, b: Any, c: Any) -> Any:
    def generate(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        kind = ir.DoubleType()
        name = ir.FunctionType(kind, [kind, kind, kind])
        function = builder.module.globals.get("llvm.fma.f64") or ir.Function(builder.module, name, "llvm.fma.f64")
        return builder.call(function, values)

    return types.float64(types.float64, types.float64, types.float64), generate


@overload(fma, inline="always")
def _compiled_fma(a, b, c):  # type: ignore[no-untyped-def]
    return lambda a, b, c: _fused(np.float64(a), np.float64(b), np.float64(c))


_POWERS = 2.0 ** np.arange(-128, 129)
_LN2 = math.log(2.0)
_EXPONENTIAL = tuple(1.0 / math.factorial(n) for n in range(9, -1, -1))
_SINE = tuple((-1.0) ** (n // 2) / math.factorial(n) for n in range(11, 0, -2))


@njit(error_model="numpy")
def exp2(x: float) -> float:
    """2**x for x in [-127, 127] with a relative error below 2e-13.

    Method: whole part from a table, fraction in [-0.5, 0.5] by the Taylor polynomial of degree 11.
    """
    whole = math.floor(x + 0.5)
    f = (x - whole) * _LN2
    series = fma(f, 1.0 / 39916800.0, 1.0 / 3628800.0)
    for factor in _EXPONENTIAL:
        series = fma(series, f, factor)
    power: float = _POWERS[np.uint64(whole + 128.0)]
    return series * power


@njit(error_model="numpy")
def sine(phase: float) -> float:
    """sin(2 pi phase) for a phase in cycles, |phase| below 2**31, with an absolute error below 1e-9.

    Method: reduction to a quarter cycle by symmetry, then the odd Taylor polynomial of degree 15. No branches, so
    that loops over it vectorise.
    """
    f = phase - math.floor(phase + 0.5)
    x = (0.25 - abs(abs(f) - 0.25)) * (2.0 * math.pi)
    y = x * x
    wave = fma(y, -1.0 / 1307674368000.0, 1.0 / 6227020800.0)
    for factor in _SINE:
        wave = fma(wave, y, factor)
    return math.copysign(wave * x, f)


@njit(error_model="numpy")
def tan_half_pi(x: float) -> float:
    """tan(pi/2 * x) for x in [0, 0.98] with a relative error below 1e-9: the prewarping of filters.

    Method: sine over cosine, both from ``sine``.
    """
    return sine(0.25 * x) / sine(0.25 * x + 0.25)


@njit(error_model="numpy")
def db_to_gain(level_db: float) -> float:
    """Linear gain of a level in dB, [-700, 700]."""
    return exp2(level_db * 0.16609640474436813)


@njit(error_model="numpy")
def note_to_hz(note: float) -> float:
    """Frequency in Hz of a MIDI note number (ISO 16:1975: 69 is 440 Hz)."""
    return 440.0 * exp2((note - 69.0) * (1.0 / 12.0))


@njit(error_model="numpy")
def saturate(x: float, knee: float) -> float:
    """x unchanged up to +-knee, then bent smoothly so that it never passes +-2 knee."""
    size = abs(x)
    if size <= knee:
        return x
    over = (size - knee) / knee
    return math.copysign(knee + knee * over / (1.0 + over), x)


@njit(error_model="numpy")
def flush(x: float) -> float:
    """x, or 0 where it has decayed so far that the processor would slow down on it (denormal numbers)."""
    return x if abs(x) > 1e-200 else 0.0
