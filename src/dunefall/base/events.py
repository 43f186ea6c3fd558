"""The one kind of event: a list of listeners that are called with what happened."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, ParamSpec

__all__ = ["Event"]

P = ParamSpec("P")


class Event(Generic[P]):
    """Something that views listen to.

    Examples
    --------
    >>> heard: list[int] = []
    >>> event: Event[int] = Event()
    >>> event.connect(heard.append)
    >>> event.emit(3)
    >>> event.disconnect(heard.append)
    >>> event.emit(4)
    >>> heard
    [3]
    """

    def __init__(self) -> None:
        self._listeners: list[Callable[P, object]] = []

    def connect(self, listener: Callable[P, object]) -> None:
        """Call ``listener`` at each later ``emit``."""
        self._listeners.append(listener)

    def disconnect(self, listener: Callable[P, object]) -> None:
        """Call ``listener`` no more; nothing where it is not connected."""
        if listener in self._listeners:
            self._listeners.remove(listener)

    def emit(self, *args: P.args, **kwargs: P.kwargs) -> None:
        """Call all listeners in the order in which they were connected."""
        for listener in tuple(self._listeners):
            listener(*args, **kwargs)
