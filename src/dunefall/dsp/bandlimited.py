"""Saw, pulse and triangle whose steps and corners are rounded so that nothing folds back into what is heard.

A step is the integral of a windowed sinc, three samples to each side: components that fold back below 16 kHz are 65 dB
below the fundamental up to 5 kHz at 44.1 and 48 kHz (Kaiser window, beta 4.2, cutoff 0.43 of the sample rate). All
functions are without branches, so that loops over them vectorise; they hold for either direction of the phase.
"""

from __future__ import annotations

import math

from numba import njit

from dunefall.dsp.maths import floor, fma, sine

__all__ = ["REACH", "corner", "pulse", "saw", "step_left", "thin_pulse", "thinness", "triangle", "wave"]

REACH = 3.0
"""Samples to each side of a step that differ from it."""
PURE_FROM, PURE_OVER = 0.13, 0.07
"""Steps of the phase above which a saw becomes a sine, and over which: its second partial is out of hearing then."""
FUNDAMENTAL = 2.0 / math.pi
THIN, THIN_OVER, THIN_FROM, PARTIALS, FULL_TO = 0.2, 0.05, 0.005, 100, 0.4
"""A pulse thinner than this, over which, is added up from its partials, above so many cycles a sample; they fade out
between so many cycles a sample and half of one."""


@njit(error_model="numpy", forceinline=True)
def step_left(distance: float) -> float:
    """What a rounded step of height 1 still lacks at a distance after its middle, in samples, at or above 0.

    Parameters
    ----------
    distance : float
        Cycles from the step.

    Returns
    -------
    float
    """
    u = min(distance * (1.0 / REACH), 1.0)
    u2 = u * u
    u4 = u2 * u2
    a = fma(u2, fma(u, 9.169903916230936, -2.0999118247814663), fma(u, -2.092804804937617, 0.5))
    b = fma(u2, fma(u, 145.73661725618888, -76.95086593096272), fma(u, -4.78303299022711, 6.350132307293554))
    c = fma(u, 25.21005327255531, -101.0158627647851)
    return (1.0 - u) * fma(u4, fma(u4, c, b), a)


@njit(error_model="numpy", forceinline=True)
def saw(at: float, step: float) -> float:
    """A saw that rises from -1 at 0 to 1 at the end of the cycle, for a phase in [0, 1) and the size of its step.

    Parameters
    ----------
    at : float
        Phase in cycles [0, 1).
    step : float
        Cycles per sample, or steps.

    Returns
    -------
    float
    """
    near = at - 1.0 if at >= 0.5 else at
    left = 2.0 * step_left(abs(near) / max(step, 1e-12))
    bent = fma(2.0, at, -1.0) + (left if near >= 0.0 else -left)
    pure = min(max((step - PURE_FROM) * (1.0 / PURE_OVER), 0.0), 1.0)
    return fma(pure, -FUNDAMENTAL * sine(at) - bent, bent)


@njit(error_model="numpy", forceinline=True)
def pulse(at: float, step: float, width: float) -> float:
    """A pulse that is high for a share of the cycle, of height 2 and mean 0.

    Parameters
    ----------
    at : float
        Phase in cycles [0, 1).
    step : float
        Cycles per sample, or steps.
    width : float (0, 1)
        Share of the period in which it is high.

    Returns
    -------
    float
    """
    later = at - width
    return saw(later - floor(later), step) - saw(at, step)


@njit(error_model="numpy", forceinline=True)
def thinness(step: float, width: float) -> float:
    """How far a pulse is so thin that its fundamental is weak against what a rounded step lets fold back.

    Parameters
    ----------
    step : float
        Cycles per sample.
    width : float (0, 1)
        Share of the period in which it is high.

    Returns
    -------
    float
        0: not at all; 1: it is to be added up from its partials.
    """
    thin = min(max((THIN - min(width, 1.0 - width)) * (1.0 / THIN_OVER), 0.0), 1.0)
    return thin * min(max(fma(abs(step), 1.0 / THIN_FROM, -1.0), 0.0), 1.0)


@njit(error_model="numpy")
def thin_pulse(at: float, step: float, width: float) -> float:
    """A thin pulse from its partials: nothing folds back.

    Parameters
    ----------
    at : float
        Phase in cycles [0, 1).
    step : float
        Cycles per sample.
    width : float (0, 1)
        Share of the period in which it is high.

    Returns
    -------
    float
    """
    size, turn = abs(step), fma(width, -0.5, at)
    twice_cos, twice_wide = 2.0 * sine(turn + 0.25), 2.0 * sine(fma(width, 0.5, 0.25))
    cos, cos_before, sin, sin_before = 0.5 * twice_cos, 1.0, sine(0.5 * width), 0.0
    total = 0.0
    for k in range(1, min(int(0.5 / size), PARTIALS) + 1):
        fade = min(max((0.5 - k * size) * (1.0 / (0.5 - FULL_TO)), 0.0), 1.0)
        total = fma(fade * sin / k, cos, total)
        cos, cos_before = fma(twice_cos, cos, -cos_before), cos
        sin, sin_before = fma(twice_wide, sin, -sin_before), sin
    return 2.0 * FUNDAMENTAL * total


@njit(error_model="numpy", forceinline=True)
def triangle(at: float, step: float) -> float:
    """A triangle that rises through 0 at phase 0; its corners are rounded over four samples.

    Parameters
    ----------
    at : float
        Phase in cycles [0, 1).
    step : float
        Cycles per sample, or steps.

    Returns
    -------
    float
    """
    turned = at + 0.25 - floor(at + 0.25)
    per = 1.0 / max(step, 1e-12)
    low, high = min(turned, 1.0 - turned) * per, abs(turned - 0.5) * per
    return fma(8.0 * step, corner(low) - corner(high), 1.0 - abs(4.0 * turned - 2.0))


@njit(error_model="numpy", forceinline=True)
def corner(distance: float) -> float:
    """What a corner of slope 1 lacks of its rounded form: the cubic B-spline integrated twice, less the ramp.

    Parameters
    ----------
    distance : float
        Samples from the corner, at or above 0.

    Returns
    -------
    float
    """
    outer, inner = max(2.0 - distance, 0.0), max(1.0 - distance, 0.0)
    a, b = outer * outer, inner * inner
    return (a * a * outer - 4.0 * (b * b * inner)) * (1.0 / 120.0)


@njit(error_model="numpy", forceinline=True)
def wave(form: float, at: float, step: float, width: float) -> float:
    """From sine (0) over triangle (1) and saw (2) to pulse (3), the fundamental of all in step with the sine's.

    Parameters
    ----------
    form : float
        Shape of the wave: sine, triangle, saw, pulse, and between them.
    at : float
        Phase in cycles [0, 1).
    step : float
        Cycles per sample, or steps.
    width : float (0, 1)
        Share of the period in which it is high.

    Returns
    -------
    float
    """
    half = at + 0.5 - floor(at + 0.5)
    a, b = max(1.0 - form, 0.0), max(1.0 - abs(form - 1.0), 0.0)
    c, d = max(1.0 - abs(form - 2.0), 0.0), max(form - 2.0, 0.0)
    smooth = fma(a, sine(at), b * triangle(at, step))
    return fma(c, saw(half, step), fma(d, pulse(at, step, width), smooth))
