"""The takes of a patch: the one that is played, those that are kept, and those that were left in this session."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.controls.menus import show_menu
from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.theme import sans
from dunefall.base.language import tr, tr_count
from dunefall.base.words import time_told
from dunefall.patch.take import Take

__all__ = ["PLAYED", "Row", "TakesBox"]

ROW = Qt.ItemDataRole.UserRole
PLAYED = tr("Being played")


@dataclass(frozen=True)
class Row:
    """A take in the list.

    Attributes
    ----------
    name : str
    take : Take
    kept : bool
        Whether the patch keeps it.
    heard : bool
        Whether it is what is heard now.
    """

    name: str
    take: Take
    kept: bool
    heard: bool

    @property
    def told(self) -> str:
        """As in the list."""
        end = self.take.entries[-1].at / self.take.rate_hz if self.take.entries else 0.0
        count = tr_count("{count} entry", "{count} entries", len(self.take.entries))
        until = tr("{count}, to {end}", count=count, end=time_told(end)) if end else count
        return f"{self.name}\u2002{until}"


class TakeList(QListWidget):
    """Takes.

    Signals
    -------
    action_asked (str, object)
        ``hear``, ``keep``, ``compare``, ``rename``, ``save`` or ``remove``, and a Row.
    """

    action_asked = Signal(str, object)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Takes"))
        self.setToolTip(tr("Click or Enter: hear it from its start. F2: rename. Delete: remove"))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemClicked.connect(lambda item: self.action_asked.emit("hear", item.data(ROW)))
        own_keys(self, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Delete, Qt.Key.Key_F2)

    @property
    def chosen(self) -> Row | None:
        """The one that is selected."""
        item = self.currentItem()
        found = item.data(ROW) if item is not None else None
        return found if isinstance(found, Row) else None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter hears, F2 renames, Delete removes."""
        actions = {
            Qt.Key.Key_Return: "hear", Qt.Key.Key_Enter: "hear", Qt.Key.Key_F2: "rename", Qt.Key.Key_Delete: "remove",
        }  # fmt: skip
        action, row = actions.get(Qt.Key(event.key())), self.chosen
        if action is not None and row is not None and (row.kept or action == "hear"):
            self.action_asked.emit(action, row)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with a take."""
        row = self.chosen
        if row is None:
            return
        menu = QMenu(self)
        offered = [("hear", tr("Hear it")), ("save", tr("Save it as a file…"))]
        if not row.kept:
            offered.insert(1, ("keep", tr("Keep it")))
        if not row.heard:
            offered.append(("compare", tr("Compare with what is played…")))
        if row.kept:
            offered += [("rename", tr("Rename…")), ("remove", tr("Remove"))]
        for action, text in offered:
            menu.addAction(text, partial(self.action_asked.emit, action, row))
        show_menu(menu, event.globalPos())


class TakesBox(QWidget):
    """The list, with buttons that keep what is played and bring in a file.

    Signals
    -------
    keep_asked (), file_asked ()
        Keep what is played; add a take from a file.
    """

    keep_asked = Signal()
    file_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 12, 8)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.setSpacing(4)
        title = QLabel(tr("Takes"))
        title.setFont(sans(14, 600))
        self.keep, self.file = QPushButton(tr("Keep")), QPushButton(tr("Open…"))
        self.keep.setToolTip(tr("Keep what is played, with the patch"))
        self.file.setToolTip(tr("Add a take from a file"))
        self.keep.clicked.connect(self.keep_asked)
        self.file.clicked.connect(self.file_asked)
        head.addWidget(title, 1)
        for button in (self.keep, self.file):
            button.setStyleSheet("padding: 2px 8px")
            head.addWidget(button)
        column.addLayout(head)
        self.list = TakeList()
        column.addWidget(self.list, 1)
        self._shown: tuple[Row, ...] = ()

    def show_rows(self, rows: Sequence[Row]) -> None:
        """Show these takes; the first one is what is played."""
        if tuple(rows) == self._shown:
            return
        self._shown, place = tuple(rows), self.list.currentRow()
        self.list.clear()
        for row in rows:
            item = QListWidgetItem(("\u25b8 " if row.heard else "\u2003") + row.told)
            item.setData(ROW, row)
            self.list.addItem(item)
        self.list.setCurrentRow(min(place, len(rows) - 1))
