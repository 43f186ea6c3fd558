"""Drawn curves: points at even distances, joined by lines; and bends of a stretch between two values."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Row
from dunefall.dsp.maths import exp2, floor

__all__ = ["bent", "drawn", "drawn_span"]

BEND_OCTAVES = 7.0


@njit(error_model="numpy", forceinline=True)
def drawn(points: Row, place: float, around: float) -> float:
    """Value of a curve at a place.

    Parameters
    ----------
    points : ndarray
        A series as a kernel gets it: how many points, then the points.
    place : float [0, 1]
        Place along it.
    around : float
        Non-zero: the curve goes on from its last point to its first one; it is a cycle.

    Returns
    -------
    float
    """
    return drawn_span(points, 1, points[0], place, around)


@njit(error_model="numpy", forceinline=True)
def drawn_span(points: Row, first: int, count: float, place: float, around: float) -> float:
    """As ``drawn``, over ``count`` points from ``first`` on.

    Parameters
    ----------
    points : ndarray
        How many points, then the points.
    first : int
        Where the points begin.
    count : float
        How many.
    place : float [0, 1]
        Place along the curve.
    around : float
        Non-zero where the end joins the beginning.

    Returns
    -------
    float
    """
    at = place * (count if around else count - 1.0)
    low = min(max(floor(at), 0.0), count - 1.0)
    share, k = at - low, int(low)
    after = k + 1
    if after >= int(count):
        after = 0 if around else k
    return points[first + k] + share * (points[first + after] - points[first + k])


@njit(error_model="numpy", forceinline=True)
def bent(place: float, bend: float) -> float:
    """A stretch from 0 to 1 that starts slowly (bend towards -1) or fast (towards 1); straight at 0.

    The curve p / (p + (1 - p) 2^(-7 bend)): monotone, 0 at 0 and 1 at 1 (the project's own choice).

    Parameters
    ----------
    place : float [0, 1]
        Place along the curve.
    bend : float
        Curvature, [-1, 1]; 0 is straight.

    Returns
    -------
    float

    Examples
    --------
    >>> bent(0.5, 0.0), bent(0.0, 0.7), bent(1.0, 0.7)
    (0.5, 0.0, 1.0)
    """
    if bend == 0.0:
        return place
    factor = exp2(-BEND_OCTAVES * bend)
    return place / (place + (1.0 - place) * factor)
