"""Moments that are marked: hear, rename, remove."""

from __future__ import annotations

from collections.abc import Sequence

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
from dunefall.base.language import tr
from dunefall.base.words import time_told
from dunefall.patch.model import Moment

__all__ = ["MomentList", "MomentsBox"]

MOMENT = Qt.ItemDataRole.UserRole


class MomentList(QListWidget):
    """Moments in order of time.

    Signals
    -------
    hear_asked (object), rename_asked (object), remove_asked (object)
        A Moment.
    """

    hear_asked = Signal(object)
    rename_asked = Signal(object)
    remove_asked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Moments"))
        self.setToolTip(tr("Click or Enter: hear it. F2: rename. Delete: remove"))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemClicked.connect(lambda item: self.hear_asked.emit(item.data(MOMENT)))
        own_keys(self, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Delete, Qt.Key.Key_F2)

    @property
    def chosen(self) -> Moment | None:
        """The one that is selected."""
        item = self.currentItem()
        found = item.data(MOMENT) if item is not None else None
        return found if isinstance(found, Moment) else None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter hears, F2 renames, Delete removes."""
        signals = {
            Qt.Key.Key_Return: self.hear_asked, Qt.Key.Key_Enter: self.hear_asked, Qt.Key.Key_F2: self.rename_asked,
            Qt.Key.Key_Delete: self.remove_asked,
        }  # fmt: skip
        signal = signals.get(Qt.Key(event.key()))
        if signal is not None and self.chosen is not None:
            signal.emit(self.chosen)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with a moment."""
        moment = self.chosen
        if moment is None:
            return
        menu = QMenu(self)
        menu.addAction(tr("Hear"), lambda: self.hear_asked.emit(moment))
        menu.addAction(tr("Rename…"), lambda: self.rename_asked.emit(moment))
        menu.addAction(tr("Remove"), lambda: self.remove_asked.emit(moment))
        show_menu(menu, event.globalPos())


class MomentsBox(QWidget):
    """The moments of a patch, and a button that marks another.

    Signals
    -------
    mark_asked ()
        Mark what is heard now, or the range.
    """

    mark_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 12, 8)
        column.setSpacing(4)
        head = QHBoxLayout()
        title = QLabel(tr("Moments"))
        title.setFont(sans(14, 600))
        self.mark = QPushButton(tr("Mark now"))
        self.mark.setStyleSheet("padding: 2px 8px")
        self.mark.clicked.connect(self.mark_asked)
        head.addWidget(title, 1)
        head.addWidget(self.mark)
        column.addLayout(head)
        self.list = MomentList()
        self.nothing = QLabel(tr("Nothing is marked yet."))
        self.nothing.setProperty("quiet", True)
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.nothing, 1)
        column.addWidget(self.list, 1)
        self._shown: tuple[Moment, ...] | None = None
        self.show_moments(())

    def show_moments(self, moments: Sequence[Moment]) -> None:
        """Show them, in order of time."""
        if tuple(moments) == self._shown:
            return
        self._shown, row = tuple(moments), self.list.currentRow()
        self.list.clear()
        for moment in moments:
            until = f"\u2013{time_told(moment.until_s)}" if moment.until_s else ""
            item = QListWidgetItem(f"{time_told(moment.at_s)}{until}  {moment.name}")
            item.setData(MOMENT, moment)
            self.list.addItem(item)
        self.list.setCurrentRow(min(row, len(moments) - 1))
        self.list.setVisible(bool(moments))
        self.nothing.setVisible(not moments)
