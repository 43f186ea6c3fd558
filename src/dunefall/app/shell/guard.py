"""An error in what Qt calls must not end the program.

PySide6 6.11.3 crashes while it prints an error that C code has raised (a ``math domain error``, a missing key) and that
leaves a method which Qt calls. Here it goes to ``sys.excepthook``, and the window goes on.
"""

from __future__ import annotations

import functools
import sys
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject

__all__ = ["guard_overrides"]

WITHOUT_RESULT = ("paint", "scrollContentsBy")


def _guarded(method: Callable[..., Any]) -> Callable[..., Any]:
    """The method of an event: what goes wrong in it is reported, and the event has been taken."""

    @functools.wraps(method)
    def call(*arguments: Any) -> Any:
        try:
            return method(*arguments)
        except Exception:
            sys.excepthook(*sys.exc_info())  # type: ignore[arg-type]
            return None

    call.__guarded__ = True  # type: ignore[attr-defined]
    return call


def guard_overrides(base: type = QObject) -> None:
    """Guard every method through which Qt delivers events to the window's classes; call again after more classes are
    defined."""
    kinds: list[type] = base.__subclasses__()
    for kind in kinds:
        own = list(vars(kind).items()) if kind.__module__.startswith("dunefall.app") else []
        for name, method in own:
            called = name.endswith("Event") or name in WITHOUT_RESULT
            if called and callable(method) and not hasattr(method, "__guarded__"):
                setattr(kind, name, _guarded(method))
        guard_overrides(kind)
