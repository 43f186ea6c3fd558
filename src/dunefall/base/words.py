"""Words for things in a row, and for times."""

from __future__ import annotations

from collections.abc import Sequence

from dunefall.base.language import tr

__all__ = ["listed", "time_told"]


def listed(names: Sequence[str]) -> str:
    """Names in a row: ``A``, ``A and B``, ``A, B and C``.

    Parameters
    ----------
    names : sequence of str
        The names.

    Returns
    -------
    str
    """
    if len(names) < 2:
        return "".join(names)
    return tr("{others} and {last}", others=", ".join(names[:-1]), last=names[-1])


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
