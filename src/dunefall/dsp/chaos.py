"""Three chaotic systems and one step of the classical Runge-Kutta method.

Sources: Lorenz 1963, doi:10.1175/1520-0469(1963)020<0130:DNF>2.0.CO;2; Rossler 1976, doi:10.1016/0375-9601(76)90101-8;
Thomas 1999, doi:10.1142/S0218127499001383 (constants from memory).

Between the values at which they are chaotic all three have others at which they repeat, however fine the grid: so heat
chooses among values that were looked at one by one (largest Lyapunov exponent over 40,000 units of time and more by
Benettin's method, from several starts). Where each is on the average, how far it goes and how long a swing takes was
measured with them.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from dunefall.dsp.maths import floor, sine

__all__ = [
    "CONSTANT", "GRID", "LORENZ", "MEAN", "MEASURED", "ROSSLER", "SPAN", "STARTS", "SWING", "THOMAS", "chaos_step",
    "measured", "slope",
]  # fmt: skip

LORENZ, ROSSLER, THOMAS = range(3)
PER_CYCLE = 0.15915494309189535
"""Cycles per radian."""
CONSTANT, SWING, MEAN, SPAN = 0, 1, 2, 5
GRID = 8


def _rows(
    constants: str, swings: str, means: tuple[str, str, str], spans: tuple[str, str, str]
) -> list[tuple[float, ...]]:
    columns = (constants, swings, *means, *spans)
    return list(zip(*([float(number) for number in column.split()] for column in columns), strict=True))


ZERO = "0 0 0 0 0 0 0 0 0"
MEASURED = np.array([
    _rows("25 25.1875 25.75 26.6875 28 29.6875 31.75 34.1875 37", ".809 .803 .793 .774 .751 .726 .700 .674 .648",
          (ZERO, ZERO, "20.6 20.77 21.3 22.23 23.55 25.25 27.34 29.79 32.6"),
          ("18.7 18.8 19 19.4 20 21 22 23 24.2", "25.3 25.4 25.7 26.4 27.6 29.3 31.3 33.4 35.8",
           "22.5 22.6 22.8 23.5 24.7 26.1 27.8 29.7 32")),
    _rows("4.6 4.9 5.1 5.6 5.7 6.5 7.7 9.3 13.2", "5.828 5.834 5.839 5.845 5.856 5.881 5.915 5.862 6.449",
          (".174 .176 .177 .172 .177 .178 .181 .164 .261",
           "-.871 -.878 -.883 -.856 -.885 -.888 -.9 -.817 -1.304", ".871 .878 .883 .856 .885 .888 .9 .817 1.304"),
          ("9.2 9.8 10.2 11.2 11.4 12.9 15.1 18 24.6", "8 8.5 8.9 9.9 10 11.5 13.7 16.8 23.4",
           "14.1 16.2 17.6 21.4 22.2 28.7 39.4 55 96.8")),
    _rows(".1925 .1875 .185 .18 .1025 .1 .0925 .0825 .06", "38.2 35.1 31.8 29.5 22.8 22.2 23.5 24.5 33.1",
          (ZERO, ZERO, ZERO), ("4.15 4.2 4.25 4.35 5.1 6.2 6.3 8.6 11",) * 3),
])  # fmt: skip
"""For each system and each eighth of heat: its constant, the time of a swing, means and reaches of the three values."""
STARTS = np.array(((1.0, 2.0, 15.0), (-5.5, -3.0, 0.03), (2.0, -1.0, 0.5)))
"""Near where each always is."""


@njit(error_model="numpy", forceinline=True)
def measured(system: int, heat: float, column: int) -> float:
    """A column of ``MEASURED``, between two rows by a straight line.

    Parameters
    ----------
    system : int
        Which system.
    heat : float [0, 1]
        How wild.
    column : int
        What is asked for: ``MEAN`` or ``SPAN``, and the number of the value.

    Returns
    -------
    float
    """
    at = min(max(heat, 0.0), 1.0) * GRID
    k = min(int(floor(at)), GRID - 1)
    first, second = float(MEASURED[system, k, column]), float(MEASURED[system, k + 1, column])
    return first + (at - k) * (second - first)


@njit(error_model="numpy", forceinline=True)
def slope(system: float, x: float, y: float, z: float, constant: float) -> tuple[float, float, float]:
    """How fast the three values change.

    Parameters
    ----------
    system : float
        Which system.
    x : float
        First coordinate.
    y : float
        Second coordinate.
    z : float
        Third coordinate.
    constant : float
        Of the system: 28, 5.7 and 0.1 are usual.

    Returns
    -------
    tuple[float, float, float]
    """
    if system == LORENZ:
        return 10.0 * (y - x), x * (constant - z) - y, x * y - 8.0 / 3.0 * z
    if system == ROSSLER:
        return -y - z, x + 0.2 * y, 0.2 + z * (x - constant)
    return (
        sine(y * PER_CYCLE) - constant * x,
        sine(z * PER_CYCLE) - constant * y,
        sine(x * PER_CYCLE) - constant * z,
    )


@njit(error_model="numpy", forceinline=True)
def chaos_step(system: float, x: float, y: float, z: float, constant: float, h: float) -> tuple[float, float, float]:
    """The three values a time ``h`` later (0..0.1).

    Parameters
    ----------
    system : float
        Which system, and between two of them.
    x : float
        First coordinate.
    y : float
        Second coordinate.
    z : float
        Third coordinate.
    constant : float
        Of the system.
    h : float
        Time step.

    Returns
    -------
    tuple[float, float, float]
    """
    ax, ay, az = slope(system, x, y, z, constant)
    bx, by, bz = slope(system, x + 0.5 * h * ax, y + 0.5 * h * ay, z + 0.5 * h * az, constant)
    cx, cy, cz = slope(system, x + 0.5 * h * bx, y + 0.5 * h * by, z + 0.5 * h * bz, constant)
    dx, dy, dz = slope(system, x + h * cx, y + h * cy, z + h * cz, constant)
    sixth = h / 6.0
    return (
        x + sixth * (ax + 2.0 * (bx + cx) + dx),
        y + sixth * (ay + 2.0 * (by + cy) + dy),
        z + sixth * (az + 2.0 * (bz + cz) + dz),
    )
