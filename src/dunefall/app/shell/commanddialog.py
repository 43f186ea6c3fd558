"""Every command, found by words, with its key."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QListWidgetItem, QWidget

from dunefall.app.controls.painting import draw_text
from dunefall.app.controls.searchdialog import SearchDialog, SearchRow
from dunefall.app.controls.theme import mono, sans
from dunefall.app.model.command import Command
from dunefall.app.model.context import Context

__all__ = ["CommandDialog"]

_COMMAND, _KEY = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
ROW_H, KEY_W, MENU_W = 30, 120, 70


class _Row(SearchRow):
    """Paints a command: its text, its menu, its key."""

    row_h = ROW_H

    def draw(self, painter: QPainter, box: QRect, index: QModelIndex | QPersistentModelIndex, quiet: QColor) -> None:
        theme, command = self._theme, index.data(_COMMAND)
        room = QRectF(box.x() + 10, box.y(), box.width() - KEY_W - MENU_W - 26, ROW_H)
        draw_text(painter, room, command.text, sans(13, 500), theme.colour("text"))
        menu = QRectF(box.right() - KEY_W - MENU_W - 8, box.y(), MENU_W, ROW_H)
        draw_text(painter, menu, command.menu, sans(11), quiet, right=True)
        key = QRectF(box.right() - KEY_W - 4, box.y(), KEY_W, ROW_H)
        draw_text(painter, key, index.data(_KEY), mono(12), quiet, right=True)


class CommandDialog(SearchDialog):
    """Choose a command that can be done now; ``chosen`` holds it after the dialog was accepted."""

    def __init__(self, commands: Sequence[Command], context: Context, parent: QWidget | None = None) -> None:
        super().__init__("Do what?", "Type what you want to do: mute, another seed", "commands", "Do", parent)
        self.chosen: Command | None = None
        self._context = context
        self._commands = [command for command in commands if command.enabled(context) and command.lists is None]
        self.resize(560, 480)
        self.list.setItemDelegate(_Row(context.theme, self.list))
        self.fill("")

    def fill(self, text: str) -> None:
        """Commands whose text, menu or key hold all words."""
        words = text.lower().split()
        self.list.clear()
        for command in self._commands:
            key = self._context.key_of(command.id)
            if all(word in f"{command.text} {command.menu} {key}".lower() for word in words):
                item = QListWidgetItem(command.text)
                item.setData(_COMMAND, command)
                item.setData(_KEY, key)
                item.setData(
                    Qt.ItemDataRole.AccessibleDescriptionRole, f"{command.menu}; {key}" if key else command.menu
                )
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def take(self) -> None:
        """Accept the command that is chosen, if one is."""
        item = self.list.currentItem()
        if item is not None:
            self.chosen = item.data(_COMMAND)
            self.accept()
