"""A list of named things: a click or Enter does the usual thing with one, keys and a menu the others."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PySide6.QtCore import QKeyCombination, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QMenu

from dunefall.app.controls.menus import show_menu
from dunefall.app.controls.ownkeys import own_keys

__all__ = ["ROW", "RowList"]

ROW = Qt.ItemDataRole.UserRole
USUAL = "usual"
_ALT = Qt.KeyboardModifier.AltModifier
_KEYS = {
    QKeyCombination(Qt.Key.Key_Return): USUAL, QKeyCombination(Qt.Key.Key_Enter): USUAL,
    QKeyCombination(Qt.Key.Key_F2): "rename", QKeyCombination(Qt.Key.Key_Delete): "remove",
    QKeyCombination(_ALT, Qt.Key.Key_Up): "up", QKeyCombination(_ALT, Qt.Key.Key_Down): "down",
}  # fmt: skip


class RowList(QListWidget):
    """Rows, each of which stands for something.

    Parameters
    ----------
    name : str
        What the list holds, for a screen reader.
    offered : function
        Gives what can be done with a row: pairs of an action and its text in the menu, the usual one first. The actions
        ``rename``, ``remove``, ``up`` and ``down`` have keys.

    Signals
    -------
    action_asked (str, object)
        One of the actions, and what the row stands for.
    """

    action_asked = Signal(str, object)

    def __init__(self, name: str, offered: Callable[[Any], Sequence[tuple[str, str]]]) -> None:
        super().__init__()
        self._offered = offered
        self.setAccessibleName(name)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemClicked.connect(lambda _: self._ask(USUAL))
        own_keys(self, *_KEYS)

    def add_row(self, row: object, text: str, tip: str = "") -> None:
        """Add something at the end."""
        item = QListWidgetItem(text)
        item.setData(ROW, row)
        item.setToolTip(tip)
        self.addItem(item)

    def row_at(self, place: int) -> Any:
        """What stands at a place."""
        return self.item(place).data(ROW)

    @property
    def chosen(self) -> Any:
        """What the row with the focus stands for, or None."""
        item = self.currentItem()
        return item.data(ROW) if item is not None else None

    def _ask(self, action: str) -> bool:
        """Ask for an action, if it is offered for the row with the focus; whether it is."""
        row = self.chosen
        offered = [word for word, _ in self._offered(row)] if row is not None else []
        wanted = offered[0] if offered and action == USUAL else action
        if wanted in offered:
            self.action_asked.emit(wanted, row)
        return wanted in offered

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Keys of what is offered; others move in the list."""
        pressed = QKeyCombination(event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier, Qt.Key(event.key()))
        if pressed not in _KEYS or not self._ask(_KEYS[pressed]):
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """All that is offered."""
        by_mouse = event.reason() == QContextMenuEvent.Reason.Mouse
        item = (self.itemAt(event.pos()) if by_mouse else None) or self.currentItem()
        if item is None:
            return
        self.setCurrentItem(item)
        menu, row = QMenu(self), self.chosen
        for action, text in self._offered(row):
            menu.addAction(text, partial(self.action_asked.emit, action, row))
        show_menu(menu, event.globalPos())
