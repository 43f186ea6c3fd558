"""Every command, module and value, found by words; commands with their keys."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import NamedTuple

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QListWidgetItem, QWidget

from dunefall.app.controls.painting import draw_text
from dunefall.app.controls.searchdialog import SearchDialog, SearchRow
from dunefall.app.controls.theme import mono, sans
from dunefall.app.model.command import Command
from dunefall.app.model.context import Context
from dunefall.base.language import tr
from dunefall.catalogue.compounds import spec_for

__all__ = ["CommandDialog", "Finding"]

_FOUND = Qt.ItemDataRole.UserRole
ROW_H, KEY_W, MENU_W = 30, 120, 150
MOST = 60
"""So many are listed; more words find the others."""


class _Row(SearchRow):
    """Paints what was found: its text, its menu or module, its key."""

    row_h = ROW_H

    def draw(self, painter: QPainter, box: QRect, index: QModelIndex | QPersistentModelIndex, quiet: QColor) -> None:
        theme, found = self._theme, index.data(_FOUND)
        room = QRectF(box.x() + 10, box.y(), box.width() - KEY_W - MENU_W - 26, ROW_H)
        draw_text(painter, room, found.text, sans(13, 500), theme.colour("text"))
        where = QRectF(box.right() - KEY_W - MENU_W - 8, box.y(), MENU_W, ROW_H)
        draw_text(painter, where, found.where, sans(11), quiet, right=True)
        key = QRectF(box.right() - KEY_W - 4, box.y(), KEY_W, ROW_H)
        draw_text(painter, key, found.key, mono(12), quiet, right=True)


class Finding(NamedTuple):
    """Something that was found: what it is called, where it is, its key, and what is done when it is taken."""

    text: str
    where: str
    key: str
    run: Callable[[], object]


class CommandDialog(SearchDialog):
    """Choose a command that can be done now, a module, or a value; ``chosen`` is it after the dialog was accepted."""

    def __init__(self, commands: Sequence[Command], context: Context, parent: QWidget | None = None) -> None:
        hint = tr("Type what you want to do or to see: mute, another seed, gusts, cutoff")
        super().__init__(tr("Do or show what?"), hint, tr("commands, modules and values"), tr("Go"), parent)
        self.chosen: Finding | None = None
        self._commands = [
            Finding(command.text, command.menu, context.key_of(command.id), partial(command.run, context))
            for command in commands if command.enabled(context) and command.lists is None
        ]  # fmt: skip
        self._parts = list(_parts(context))
        self.resize(560, 480)
        self.list.setItemDelegate(_Row(context.theme, self.list))
        self.fill("")

    def fill(self, text: str) -> None:
        """Commands whose text, menu or key hold all words; while something is typed, modules and values as well. What
        begins with what was typed comes first."""
        words, typed = text.lower().split(), text.strip().lower()
        offered = [*self._commands, *(self._parts if words else ())]
        fit = [x for x in offered if all(word in f"{x.text} {x.where} {x.key}".lower() for word in words)]
        fit.sort(key=lambda x: not x.text.lower().startswith(typed))
        self.list.clear()
        for found in fit[:MOST]:
            item = QListWidgetItem(found.text)
            item.setData(_FOUND, found)
            item.setData(Qt.ItemDataRole.AccessibleDescriptionRole, f"{found.where}; {found.key}".rstrip("; "))
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def take(self) -> None:
        """Accept what is chosen, if something is."""
        item = self.list.currentItem()
        if item is not None:
            self.chosen = item.data(_FOUND)
            self.accept()


def _parts(context: Context) -> Iterator[Finding]:
    """The modules of the patch, then their values: those of the selection first."""
    patch, selection = context.session.patch, context.selection
    modules = sorted(patch.modules(), key=lambda module: module.id != selection.module)
    for module in modules:
        yield Finding(module.name, patch.layer_of(module.id).name, "", partial(selection.reveal, module.id))
    for module in modules:
        spec = spec_for(module)
        for param in spec.params if spec else ():
            if not param.follows and spec and spec.counts(param, module.params):
                run = partial(_show_value, context, module.id, param.id)
                yield Finding(param.name, module.name, "", run)


def _show_value(context: Context, module: str, port: str) -> None:
    """Select a module and put one of its values under the keys."""
    context.selection.reveal(module)
    context.selection.port_asked.emit(port)
