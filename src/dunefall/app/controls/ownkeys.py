"""Keys that belong to the part that has the focus, before they are the key of a command.

Delete removes the module that is selected, but a link row, a step or a pin that has the focus removes itself.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget

__all__ = ["own_keys"]


class _OwnKeys(QObject):
    def __init__(self, widget: QWidget, keys: tuple[Qt.Key, ...], when: Callable[[], bool]) -> None:
        super().__init__(widget)
        self._keys, self._when = keys, when
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Say before the shortcuts are asked that the key is wanted here."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
            if event.key() in self._keys and plain and self._when():
                event.accept()
                return True
        return super().eventFilter(watched, event)


def own_keys(widget: QWidget, *keys: Qt.Key, when: Callable[[], bool] = lambda: True) -> None:
    """Let a widget take keys that are also keys of commands, while it has the focus and ``when`` says so."""
    _OwnKeys(widget, keys, when)
