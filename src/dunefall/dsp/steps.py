"""What sequences share: the place of the next step by a direction."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Key
from dunefall.dsp.random import uniform
from dunefall.dsp.triggers import wrapped

__all__ = ["ANY", "DIRECTIONS", "after", "steps_of_round"]

DIRECTIONS = ("forward", "backward", "there and back", "random", "wandering")
FORWARD, BACKWARD, BOTH, ANY, WANDER = range(5)


@njit(error_model="numpy")
def after(place: float, count: float, direction: float, length: float, key: Key, stream: float) -> float:
    """Place of the step that follows.

    Parameters
    ----------
    place : float
        Step of now, 0..length - 1.
    count : float
        Steps taken since the reset: 0 before the first one.
    direction : float
        Place in ``DIRECTIONS``. There and back does not repeat its ends; a wandering row goes a step to either side or
        stays, each as likely.
    length : float
        Steps of the row, at least 1.
    key : uint64
        Key of the module's random numbers.
    stream : float
        Which of the module's streams.

    Returns
    -------
    float
    """
    if direction == BACKWARD:
        return length - 1.0 - wrapped(count, length)
    if direction == BOTH and length > 1.0:
        at = wrapped(count, 2.0 * (length - 1.0))
        return at if at < length else 2.0 * (length - 1.0) - at
    if direction == ANY:
        return min(float(int(uniform(key, count, stream) * length)), length - 1.0)
    if direction == WANDER:
        away = float(int(uniform(key, count, stream) * 3.0)) - 1.0 if count > 0.0 else 0.0
        return wrapped(place + away, length)
    return wrapped(count, length)


def steps_of_round(length: int, direction: float) -> int:
    """After how many steps a row begins again: there and back takes all but its ends twice."""
    return max(2 * (length - 1), 1) if direction == BOTH else length
