"""What can be done with a series as a whole: chance, turning, stretching, fitting one into another."""

from __future__ import annotations

import random
from collections.abc import Sequence

from dunefall.catalogue.declare import Series

__all__ = ["fitted", "randomised", "reversed_order", "rotated", "stretched"]

Numbers = tuple[float, ...]


def _within(series: Series, value: float) -> float:
    value = min(max(value, series.low), series.high)
    return float(round(value)) if series.choices or series.unit == "note" else value


def randomised(series: Series, values: Numbers, count: int, strength: float, seed: int) -> Numbers:
    """The first ``count`` numbers, each moved at random: a little at a small strength (0..1), anywhere in the range at
    1."""
    chance = random.Random(seed)
    made = list(values)
    for k in range(min(count, len(made))):
        goal = series.low + chance.random() * (series.high - series.low)
        if series.choices:
            goal = float(chance.randint(round(series.low), round(series.high)))
            made[k] = goal if chance.random() < strength else made[k]
        else:
            made[k] = _within(series, made[k] + strength * (goal - made[k]))
    return tuple(made)


def rotated(values: Numbers, count: int, by: int) -> Numbers:
    """The first ``count`` numbers moved to the right, those that leave come back in front.

    Examples
    --------
    >>> rotated((1.0, 2.0, 3.0, 9.0), 3, 1)
    (3.0, 1.0, 2.0, 9.0)
    """
    count = min(count, len(values))
    by = by % max(count, 1)
    return (*values[count - by : count], *values[: count - by], *values[count:])


def reversed_order(values: Numbers, count: int) -> Numbers:
    """The first ``count`` numbers from the last to the first."""
    return (*values[:count][::-1], *values[count:])


def stretched(values: Numbers, count: int, factor: float) -> Numbers:
    """The first ``count`` numbers drawn out (factor above 1: numbers come several times) or pushed together, as many as
    before.

    Examples
    --------
    >>> stretched((1.0, 2.0, 3.0, 4.0), 4, 2)
    (1.0, 1.0, 2.0, 2.0)
    """
    count = min(count, len(values))
    return (*(values[int(k / factor) % count] for k in range(count)), *values[count:])


def fitted(series: Series, numbers: Sequence[float], source: Series | None = None) -> Numbers:
    """Any numbers as values of a series: from the range of the series they come from to this one's, as many as fit,
    repeated where too few.

    Examples
    --------
    >>> one = Series("a", "A", "none", 0, 1, (0.0,), most=4)
    >>> fitted(one, (5.0, -3.0))
    (1.0, 0.0)
    """
    values = list(numbers)[: series.most] or [series.low]
    if source is not None and (source.low, source.high, source.unit) != (series.low, series.high, series.unit):
        span = (series.high - series.low) / (source.high - source.low)
        values = [series.low + (value - source.low) * span for value in values]
    while len(values) < series.least:
        values += values[: series.least - len(values)]
    return tuple(_within(series, value) for value in values)
