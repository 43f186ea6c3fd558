"""Loops in tune: what a delay that is read between samples, and the filters beside it, do to one frequency.

Source: Jaffe and Smith 1983, "Extensions of the Karplus-Strong plucked-string algorithm" (the delay is shortened by
what the loop's filters delay at the wanted frequency, and their loss there is made up for).
"""

from __future__ import annotations

import math

from numba import njit

from dunefall.dsp.lines import lagrange_weights

__all__ = ["TURN", "blocker_response", "mean_response", "one_pole_lag", "tuned_delay"]

TURN = 2.0 * math.pi


@njit(error_model="numpy")
def _read_response(delay: float, omega: float) -> tuple[float, float]:
    """What ``read_line`` does to a sine of ``omega`` radians per sample: (gain, delay in samples)."""
    back = int(delay)
    newer, here, older, oldest = lagrange_weights(delay - back)
    cos1, sin1 = math.cos(omega), math.sin(omega)
    cos2, sin2 = math.cos(2.0 * omega), math.sin(2.0 * omega)
    real = here + (newer + older) * cos1 + oldest * cos2
    turned = (newer - older) * sin1 - oldest * sin2
    return math.sqrt(real * real + turned * turned), back - math.atan2(turned, real) / omega


@njit(error_model="numpy")
def tuned_delay(wanted: float, omega: float) -> tuple[float, float]:
    """The delay to give to ``read_line`` so that a sine is delayed by so many samples, and what is left of it.

    Parameters
    ----------
    wanted : float
        Samples, at least 2.
    omega : float
        Radians per sample.

    Returns
    -------
    (float, float)

    Examples
    --------
    >>> delay, gain = tuned_delay(100.5, 0.3)
    >>> abs(delay - 100.5) < 0.01, 0.99 < gain < 1.0
    (True, True)
    """
    _, lag = _read_response(wanted, omega)
    delay = max(2.0 * wanted - lag, 2.0)
    gain, _ = _read_response(delay, omega)
    return delay, gain


@njit(error_model="numpy")
def mean_response(share: float, omega: float) -> tuple[float, float]:
    """Gain and delay in samples of ``(1 - share) x[n] + share x[n - 1]``.

    Parameters
    ----------
    share : float [0, 1]
        Weight of the older sample.
    omega : float
        Radians per sample.

    Returns
    -------
    (float, float)
    """
    real, turned = 1.0 - share + share * math.cos(omega), share * math.sin(omega)
    return math.sqrt(real * real + turned * turned), math.atan2(turned, real) / omega


@njit(error_model="numpy")
def one_pole_lag(kept: float, omega: float) -> float:
    """Delay in samples of ``y[n] = kept y[n - 1] + (1 - kept) x[n]`` at ``omega`` radians per sample."""
    return math.atan2(kept * math.sin(omega), 1.0 - kept * math.cos(omega)) / omega


@njit(error_model="numpy")
def blocker_response(kept: float, omega: float) -> tuple[float, float]:
    """Gain and lead in samples of ``y[n] = kept y[n - 1] + x[n] - x[n - 1]``.

    Parameters
    ----------
    kept : float [0, 1)
        What is kept of the sample before.
    omega : float
        Radians per sample.

    Returns
    -------
    (float, float)
    """
    cos, sin = math.cos(omega), math.sin(omega)
    over, under = 1.0 - cos, 1.0 - kept * cos
    gain = math.sqrt((over * over + sin * sin) / (under * under + kept * kept * sin * sin))
    return gain, (math.atan2(sin, over) - math.atan2(kept * sin, under)) / omega
