"""Keys that belong to the part that has the focus, before they are the key of a command.

Delete removes the module that is selected, but a link row, a step or a pin that has the focus removes itself.
"""

from __future__ import annotations

from collections.abc import Callable, Collection

from PySide6.QtCore import QEvent, QKeyCombination, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget

__all__ = ["own_keys"]


class _OwnKeys(QObject):
    def __init__(self, widget: QWidget, keys: Collection[QKeyCombination], unless: Callable[[], bool]) -> None:
        super().__init__(widget)
        self._keys, self._unless = frozenset(keys), unless
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Say before the shortcuts are asked that the key is wanted here."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            pressed = QKeyCombination(event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier, Qt.Key(event.key()))
            if pressed in self._keys and not self._unless():
                event.accept()
                return True
        return super().eventFilter(watched, event)


def _never() -> bool:
    return False


def own_keys(widget: QWidget, *keys: Qt.Key | QKeyCombination, unless: Callable[[], bool] = _never) -> None:
    """Let a widget take keys that are also keys of commands, while it has the focus, ``unless`` something is so."""
    combined = [key if isinstance(key, QKeyCombination) else QKeyCombination(key) for key in keys]
    _OwnKeys(widget, combined, unless)
