"""Keys that belong to the part that has the focus, before they are the key of a command.

Delete removes the module that is selected, but a link row, a step or a pin that has the focus removes itself.
"""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtCore import QEvent, QKeyCombination, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget

__all__ = ["own_keys"]


class _OwnKeys(QObject):
    def __init__(self, widget: QWidget, keys: Collection[QKeyCombination]) -> None:
        super().__init__(widget)
        self._keys = frozenset(keys)
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Say before the shortcuts are asked that the key is wanted here."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            pressed = QKeyCombination(event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier, Qt.Key(event.key()))
            if pressed in self._keys:
                event.accept()
                return True
        return super().eventFilter(watched, event)


def own_keys(widget: QWidget, *keys: Qt.Key | QKeyCombination) -> None:
    """Let a widget take keys that are also keys of commands, while it has the focus."""
    _OwnKeys(widget, [key if isinstance(key, QKeyCombination) else QKeyCombination(key) for key in keys])
