"""What can be reached along edges."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

__all__ = ["reached"]


def reached(start: Iterable[str], edges: Mapping[str, Iterable[str]]) -> set[str]:
    """All nodes to which the edges lead from some nodes, in any number of steps; those nodes with them.

    Parameters
    ----------
    start : iterable
        Where it begins.
    edges : mapping
        Where the edges of each node lead.

    Returns
    -------
    set[str]

    Examples
    --------
    >>> sorted(reached(["a"], {"a": ["b"], "b": ["c", "a"], "d": ["a"]}))
    ['a', 'b', 'c']
    """
    found = set(start)
    todo = list(found)
    while todo:
        new = set(edges.get(todo.pop(), ())) - found
        found |= new
        todo += new
    return found
