"""What modules that act on triggers share: pulses of a length, and even spreads of hits over steps."""

from __future__ import annotations

import numpy as np
from numba import njit

from dunefall.base.arrays import Row

__all__ = ["MOST_STEPS", "PULSE_S", "SPREADS", "held_for", "is_hit", "pulsed", "spread_evenly", "unchanged", "wrapped"]

PULSE_S = 0.002
"""Length of a trigger that nothing else gives a length to."""
MOST_STEPS = 64


@njit(error_model="numpy", forceinline=True)
def pulsed(fires: float, left: float, length: float) -> tuple[float, float]:
    """A gate's value now, and for how many samples more it stays high.

    Parameters
    ----------
    fires : float
        Non-zero: a pulse of ``length`` samples begins; one that is still high falls for one sample, so that both are
        counted.
    left : float
        Samples for which it stays high.
    length : float
        Samples of a whole pulse.

    Returns
    -------
    tuple[float, float]
    """
    if fires:
        if left > 0.0:
            return 0.0, length
        return 1.0, length - 1.0
    if left > 0.0:
        return 1.0, left - 1.0
    return 0.0, 0.0


@njit(error_model="numpy", forceinline=True)
def unchanged(gate: Row, last: float) -> bool:
    """Whether a gate stays as high or low as it was a sample before: between triggers there is nothing to do.

    Parameters
    ----------
    gate : ndarray [shape=(n,)]
        High above 0.5.
    last : float
        The value before the first sample.

    Returns
    -------
    bool
    """
    high = 0
    for i in range(gate.size):
        high += 1 if gate[i] > 0.5 else 0
    return high == (gate.size if last > 0.5 else 0)


@njit(error_model="numpy", forceinline=True)
def held_for(length_s: float, rate: float) -> float:
    """Samples of a pulse, at least one.

    Parameters
    ----------
    length_s : float
        Length in seconds.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    float
    """
    samples: float = max(1.0, np.floor(length_s * rate + 0.5))
    return samples


@njit(error_model="numpy", forceinline=True)
def wrapped(step: float, count: float) -> float:
    """A whole number brought into 0..count - 1.

    Parameters
    ----------
    step : float
        A whole number.
    count : float
        How many.

    Returns
    -------
    float

    Examples
    --------
    >>> wrapped(7.0, 5.0), wrapped(-1.0, 5.0)
    (2.0, 4.0)
    """
    within: float = step - count * np.floor(step / count)
    return within


def spread_evenly(hits: int, steps: int) -> list[bool]:
    """Hits spread over steps as evenly as can be, beginning with a hit.

    Method: Bjorklund 2003, as given by Toussaint 2005, "The Euclidean algorithm generates traditional musical rhythms":
    the remainders are distributed over the groups until at most one is left.

    Parameters
    ----------
    hits : int
        Hits in the pattern.
    steps : int
        Steps of the pattern.

    Returns
    -------
    list[bool]

    Examples
    --------
    >>> "".join("x" if hit else "." for hit in spread_evenly(3, 8))
    'x..x..x.'
    """
    if hits <= 0:
        return [False] * steps
    groups = [[True] for _ in range(min(hits, steps))]
    rest = [[False] for _ in range(steps - len(groups))]
    while len(rest) > 1:
        count = min(len(groups), len(rest))
        joined = [groups[k] + rest[k] for k in range(count)]
        groups, rest = joined, groups[count:] or rest[count:]
    return [hit for group in (*groups, *rest) for hit in group]


def _tables() -> np.ndarray:
    table = np.zeros((MOST_STEPS + 1, MOST_STEPS + 1), np.uint64)
    for steps in range(1, MOST_STEPS + 1):
        for hits in range(steps + 1):
            table[hits, steps] = sum(1 << k for k, hit in enumerate(spread_evenly(hits, steps)) if hit)
    return table


SPREADS = _tables()
"""Bit k of (hits, steps): whether step k is a hit."""


@njit(error_model="numpy", forceinline=True)
def is_hit(hits: float, steps: float, step: float) -> bool:
    """Whether a step is a hit; ``step`` within 0..steps - 1.

    Parameters
    ----------
    hits : float
        Hits in the pattern.
    steps : float
        Steps of the pattern.
    step : float
        Which step, from 0 on.

    Returns
    -------
    bool
    """
    hit: bool = (SPREADS[int(hits), int(steps)] >> np.uint64(step)) & np.uint64(1) != np.uint64(0)
    return hit
