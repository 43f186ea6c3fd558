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

from dunefall.base.arrays import Row

__all__ = [
    "db_to_gain",
    "exp2",
    "floor",
    "fma",
    "larger",
    "level_db",
    "log2",
    "mantissa_and_exponent",
    "nearest",
    "note_to_hz",
    "on_grid",
    "ramp",
    "ramp_by",
    "sine",
    "smaller",
    "smooth_step",
    "tangent_parts",
    "times_power_of_two",
]


# Not Numba's own inlining: it then removes stores into arrays that it takes for local ones.
_INLINED: Any = {"forceinline": True, "error_model": "numpy"}


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


overload(fma, jit_options=_INLINED)(lambda a, b, c: lambda a, b, c: _fused(np.float64(a), np.float64(b), np.float64(c)))  # type: ignore[call-arg]


def nearest(x: float) -> float:
    """The whole number nearest to x."""
    return float(round(x))


def floor(x: float) -> float:
    """The whole number at or below x, as a real number: compiled, one instruction."""
    return float(math.floor(x))


def _rounding(name: str) -> Any:
    @intrinsic
    def rounded(typingctx: Any, x: Any) -> Any:
        def generate(context: Any, builder: Any, signature: Any, values: Any) -> Any:
            kind = ir.FunctionType(ir.DoubleType(), [ir.DoubleType()])
            return builder.call(builder.module.globals.get(name) or ir.Function(builder.module, kind, name), values)

        return types.float64(types.float64), generate

    return rounded


_round, _floor = _rounding("llvm.rint.f64"), _rounding("llvm.floor.f64")


overload(nearest, jit_options=_INLINED)(lambda x: lambda x: _round(np.float64(x)))


overload(floor, jit_options=_INLINED)(lambda x: lambda x: _floor(np.float64(x)))


def larger(a: float, b: float) -> float:
    """The larger of two numbers; compiled, so that the largest of a row is found many at a time (NaN is not kept)."""
    return max(a, b)


def smaller(a: float, b: float) -> float:
    """The smaller of two numbers, likewise."""
    return min(a, b)


def _choosing(comparison: str) -> Any:
    @intrinsic
    def chosen(typingctx: Any, a: Any, b: Any) -> Any:
        def generate(context: Any, builder: Any, signature: Any, values: Any) -> Any:
            flags = ("nnan", "nsz")
            first = builder.fcmp_ordered(comparison, values[0], values[1], flags=flags)
            return builder.select(first, values[0], values[1], flags=flags)

        return types.float64(types.float64, types.float64), generate

    return chosen


_larger, _smaller = _choosing(">"), _choosing("<")


overload(larger, jit_options=_INLINED)(lambda a, b: lambda a, b: _larger(np.float64(a), np.float64(b)))


overload(smaller, jit_options=_INLINED)(lambda a, b: lambda a, b: _smaller(np.float64(a), np.float64(b)))


def times_power_of_two(x: float, whole: float) -> float:
    """x * 2**whole for a whole number in [-500, 500]; compiled, an addition to the exponent's bits."""
    return math.ldexp(x, int(whole))


@intrinsic
def _to_exponent(typingctx: Any, x: Any, whole: Any) -> Any:
    def generate(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        kind, bits = ir.DoubleType(), ir.IntType(64)
        shifted = builder.fadd(values[1], ir.Constant(kind, 1.5 * 2.0**52))  # its lowest bits hold the whole number
        exponent = builder.shl(builder.bitcast(shifted, bits), ir.Constant(bits, 52))
        return builder.bitcast(builder.add(builder.bitcast(values[0], bits), exponent), kind)

    return types.float64(types.float64, types.float64), generate


overload(times_power_of_two, jit_options=_INLINED)(
    lambda x, whole: lambda x, whole: _to_exponent(np.float64(x), np.float64(whole))  # type: ignore[call-arg]
)


@njit(error_model="numpy", forceinline=True)
def exp2(x: float) -> float:
    """2**x for x in [-500, 500] with a relative error below 5e-14, and exactly 1 for 0.

    Method: whole part into the exponent, fraction in [-0.5, 0.5] by a polynomial of degree 9 with the smallest greatest
    relative error (Remez), evaluated in pairs (Estrin), which lets the processor work on several terms at once.

    Parameters
    ----------
    x : float
        The number.

    Returns
    -------
    float
    """
    whole = nearest(x)
    f = x - whole
    f2 = f * f
    f4 = f2 * f2
    a = fma(f2, fma(f, 0.055504108668685624, 0.24022650695649653), fma(f, 0.693147180559871, 1.0))
    b = fma(f2, fma(f, 1.5252984839814557e-05, 0.00015403434948103528),
            fma(f, 0.0013333557617602426, 0.009618129192067193))  # fmt: skip
    c = fma(f, 1.0150336495148618e-07, 1.3259405603573696e-06)
    return times_power_of_two(fma(f4, fma(f4, c, b), a), whole)


@njit(error_model="numpy", forceinline=True)
def _arch(y: float) -> float:
    """sin(2 pi f) / (f (1/4 - f**2)) for y = f**2 in [0, 1/4], by a Remez polynomial of degree 6, in pairs."""
    y2 = y * y
    a = fma(y2, fma(y, -38.512489284220614, 67.07760056484479), fma(y, -64.83584370808289, 25.132741227776712))
    b = fma(y2, 0.6075576732586402, fma(y, -3.6172524233704304, 14.17780925357318))
    return fma(y2 * y2, b, a)


@njit(error_model="numpy", forceinline=True)
def sine(phase: float) -> float:
    """sin(2 pi phase) for a phase in cycles, |phase| below 2**31, with an absolute error below 1e-10.

    Method: whole cycles taken off, then zeros at 0 and at half a cycle as factors, so that one even polynomial covers
    the whole cycle. No branches, so that loops over it vectorise.

    Parameters
    ----------
    phase : float
        Phase in cycles.

    Returns
    -------
    float
    """
    f = phase - nearest(phase)
    y = f * f
    return f * (0.25 - y) * _arch(y)


@njit(error_model="numpy", forceinline=True)
def tangent_parts(x: float) -> tuple[float, float]:
    """sin(pi/2 * x) and cos(pi/2 * x), for x in [0, 1]: for x up to 0.98 their quotient, the tangent that prewarps
    filters, has a relative error below 1e-9.

    Parameters
    ----------
    x : float
        The number.

    Returns
    -------
    tuple[float, float]
    """
    f = 0.25 * x
    e = 0.25 - f
    u, v = f * f, e * e
    return f * (0.25 - u) * _arch(u), e * (0.25 - v) * _arch(v)


@njit(error_model="numpy", forceinline=True)
def db_to_gain(level_db: float) -> float:
    """Linear gain of a level in dB, [-700, 700]."""
    return exp2(level_db * 0.16609640474436813)


@njit(error_model="numpy", forceinline=True)
def note_to_hz(note: float) -> float:
    """Frequency in Hz of a MIDI note number (ISO 16:1975: 69 is 440 Hz)."""
    return 440.0 * exp2((note - 69.0) * (1.0 / 12.0))


@njit(error_model="numpy", forceinline=True)
def on_grid(x: float) -> float:
    """x in [-32, 32) rounded to a multiple of 2**-46: few enough digits for 64 of them to add up exactly, in any order.

    As a step of a phase at 48 kHz this is off by less than 4e-10 Hz.
    """
    return (x + 96.0) - 96.0


@njit(error_model="numpy", forceinline=True)
def ramp(out: Row, phase: float, step: float) -> float:
    """Fill ``out``, at most 64 samples, with a phase in [0, 1) that moves by an even step of [-0.5, 1]; returns the
    phase after it. The phase must be on the grid of ``on_grid``, to which the step is rounded: so no sample has to wait
    for the one before.

    Parameters
    ----------
    out : ndarray [shape=(n,)]
        Where the samples are written.
    phase : float
        Phase in cycles.
    step : float
        Cycles per sample.

    Returns
    -------
    float
    """
    step = on_grid(step)
    if out.size == 1:
        out[0] = phase
        return _wrapped(phase + step)
    for i in range(out.size):
        at = fma(float(i), step, phase)
        out[i] = at - floor(at)
    at = fma(float(out.size), step, phase)
    return at - floor(at)


@njit(error_model="numpy", forceinline=True)
def ramp_by(out: Row, phase: float, steps: Row, factor: float) -> float:
    """As ``ramp``, with a separate step for each sample: ``steps[i] * factor``, each in [-0.5, 1].

    Parameters
    ----------
    out : ndarray [shape=(n,)]
        Where the samples are written.
    phase : float
        Phase in cycles.
    steps : ndarray [shape=(n,)]
        Cycles per sample, before the factor.
    factor : float
        Of all steps.

    Returns
    -------
    float
    """
    if out.size == 1:
        out[0] = phase
        return _wrapped(phase + on_grid(steps[0] * factor))
    for i in range(out.size):
        out[i] = on_grid(steps[i] * factor)
    at = phase
    for i in range(out.size):
        step = out[i]
        out[i] = at
        at += step
    for i in range(out.size):
        out[i] -= floor(out[i])
    return at - floor(at)


@njit(error_model="numpy", forceinline=True)
def _wrapped(at: float) -> float:
    """A single step's phase back into [0, 1): branches that are nearly always foretold, where ``floor`` would cost
    each time."""
    while at >= 1.0:
        at -= 1.0
    while at < 0.0:
        at += 1.0
    return at


@njit(error_model="numpy", forceinline=True)
def smooth_step(x: float) -> float:
    """From 0 to 1 for x in [0, 1], level at both ends."""
    return x * x * fma(-2.0, x, 3.0)


@intrinsic
def _parts_of(typingctx: Any, x: Any) -> Any:
    """Mantissa in [1, 2) and exponent of a normal number above 0."""

    def generate(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        kind, bits = ir.DoubleType(), ir.IntType(64)
        word = builder.bitcast(values[0], bits)
        mantissa = builder.or_(builder.and_(word, ir.Constant(bits, (1 << 52) - 1)), ir.Constant(bits, 1023 << 52))
        # the exponent's bits below the point of 2**52: a real number without a conversion, which would not vectorise
        whole = builder.or_(builder.lshr(word, ir.Constant(bits, 52)), ir.Constant(bits, 0x433 << 52))
        exponent = builder.fsub(builder.bitcast(whole, kind), ir.Constant(kind, 2.0**52 + 1023.0))
        return context.make_tuple(builder, signature.return_type, [builder.bitcast(mantissa, kind), exponent])

    pair = types.UniTuple(types.float64, 2)  # type: ignore[no-untyped-call]
    return pair(types.float64), generate


def mantissa_and_exponent(x: float) -> tuple[float, float]:
    """x as mantissa in [1, 2) times 2**exponent, for a normal number above 0.

    Parameters
    ----------
    x : float
        The number.

    Returns
    -------
    tuple[float, float]
    """
    mantissa, exponent = math.frexp(x)
    return 2.0 * mantissa, exponent - 1.0


overload(mantissa_and_exponent, jit_options=_INLINED)(lambda x: lambda x: _parts_of(np.float64(x)))  # type: ignore[call-arg]


@njit(error_model="numpy", forceinline=True)
def log2(x: float) -> float:
    """Logarithm to base 2 of x in [1e-300, 1e300], with an absolute error below 1e-9.

    Method: mantissa brought to [0.71, 1.42], then the series of the inverse hyperbolic tangent to the 11th power.

    Parameters
    ----------
    x : float
        The number.

    Returns
    -------
    float
    """
    m, e = mantissa_and_exponent(x)
    big = m > 1.4142135623730951
    m, e = 0.5 * m if big else m, e + 1.0 if big else e
    t = (m - 1.0) / (m + 1.0)
    y = t * t
    high = fma(y, fma(y, 1.0 / 11.0, 1.0 / 9.0), 1.0 / 7.0)
    series = fma(y, fma(y, fma(y, high, 0.2), 1.0 / 3.0), 1.0)
    return fma(2.8853900817779268 * t, series, e)


@njit(error_model="numpy", forceinline=True)
def level_db(gain: float) -> float:
    """Level in dB of a linear gain, from -300 dB up; inverse of ``db_to_gain``."""
    return log2(max(gain, 1e-15)) * 6.020599913279624
