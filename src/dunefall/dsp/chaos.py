"""Three chaotic systems and one step of the classical Runge-Kutta method.

Sources: Lorenz 1963, doi:10.1175/1520-0469(1963)020<0130:DNF>2.0.CO;2; Rossler 1976, doi:10.1016/0375-9601(76)90101-8;
Thomas 1999, doi:10.1142/S0218127499001383 (constants from memory).
"""

from __future__ import annotations

from numba import njit

from dunefall.dsp.maths import sine

__all__ = ["LORENZ", "ROSSLER", "THOMAS", "chaos_step", "slope"]

LORENZ, ROSSLER, THOMAS = range(3)
PER_CYCLE = 0.15915494309189535
"""Cycles per radian."""


@njit(error_model="numpy", forceinline=True)
def slope(system: float, x: float, y: float, z: float, heat: float) -> tuple[float, float, float]:
    """How fast the three values change; ``heat`` 0.5 gives the usual constants (28, 5.7 and 0.19).

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
    heat : float
        How wild, [0, 1].

    Returns
    -------
    tuple[float, float, float]
    """
    if system == LORENZ:
        return 10.0 * (y - x), x * (20.0 + 16.0 * heat - z) - y, x * y - 8.0 / 3.0 * z
    if system == ROSSLER:
        return -y - z, x + 0.2 * y, 0.2 + z * (x - (3.7 + 4.0 * heat))
    fall = 0.22 - 0.06 * heat
    return (
        sine(y * PER_CYCLE) - fall * x,
        sine(z * PER_CYCLE) - fall * y,
        sine(x * PER_CYCLE) - fall * z,
    )


@njit(error_model="numpy", forceinline=True)
def chaos_step(system: float, x: float, y: float, z: float, heat: float, h: float) -> tuple[float, float, float]:
    """The three values a time ``h`` later (0..0.05).

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
    heat : float
        How wild, [0, 1].
    h : float
        Time step.

    Returns
    -------
    tuple[float, float, float]
    """
    ax, ay, az = slope(system, x, y, z, heat)
    bx, by, bz = slope(system, x + 0.5 * h * ax, y + 0.5 * h * ay, z + 0.5 * h * az, heat)
    cx, cy, cz = slope(system, x + 0.5 * h * bx, y + 0.5 * h * by, z + 0.5 * h * bz, heat)
    dx, dy, dz = slope(system, x + h * cx, y + h * cy, z + h * cz, heat)
    sixth = h / 6.0
    return (
        x + sixth * (ax + 2.0 * (bx + cx) + dx),
        y + sixth * (ay + 2.0 * (by + cy) + dy),
        z + sixth * (az + 2.0 * (bz + cz) + dz),
    )
