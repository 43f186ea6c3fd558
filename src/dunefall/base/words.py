"""Words for numbers of things, and for times."""

from __future__ import annotations

from collections.abc import Sequence

__all__ = ["count_of", "listed", "time_told"]


def count_of(count: int, one: str, many: str = "") -> str:
    """So many of something: ``1 layer``, ``2 layers``, or with a plural of its own."""
    return f"{count} {one if count == 1 else many or f'{one}s'}"


def listed(names: Sequence[str]) -> str:
    """Names in a row: ``A``, ``A and B``, ``A, B and C``."""
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}" if names else ""


def time_told(seconds: float) -> str:
    """A time as on a clock: ``07:05``, or ``1:07:05``.

    Parameters
    ----------
    seconds : float
        The time; what is less than a second is left out.

    Returns
    -------
    str
    """
    whole = int(seconds)
    hours, minutes = whole // 3600, whole // 60 % 60
    return f"{hours}:{minutes:02}:{whole % 60:02}" if hours else f"{minutes:02}:{whole % 60:02}"
