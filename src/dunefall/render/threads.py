"""The threads that this process renders with: one, unless it is a worker that has several processors to itself."""

from __future__ import annotations

from dunefall.compiler.loop import NOBODY
from dunefall.compiler.plan import Ints
from dunefall.compiler.team import Team

__all__ = ["render_with", "rendering_team"]

_teams: list[Team] = []


def render_with(threads: int) -> None:
    """Render with so many threads from now on, in a process that renders one thing at a time.

    Parameters
    ----------
    threads : int
        At least 1; more than a team can have are as many as it can.
    """
    while _teams:
        _teams.pop().close()
    if threads > 1:
        _teams.append(Team(threads))


def rendering_team() -> Ints:
    """The words of the team that shares the work of a new player."""
    return _teams[0].words if _teams else NOBODY
