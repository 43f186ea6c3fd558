"""The list of snapshots: each with a small picture; Enter or a click brings one back."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QPainter
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QMenu, QStyledItemDelegate, QStyleOptionViewItem

from dunefall.app.controls.menus import show_menu
from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import draw_text, outline
from dunefall.app.controls.theme import Theme, sans
from dunefall.app.workspaces.vary.pictures import draw_spectrogram
from dunefall.base.language import tr
from dunefall.patch.family import State
from dunefall.vary.looks import Look

__all__ = ["SnapshotList"]

ROW = 52
PICTURE = (52, 38)
STATE = Qt.ItemDataRole.UserRole


class _Painter(QStyledItemDelegate):
    """A row: picture, name, when."""

    def __init__(self, rows: SnapshotList) -> None:
        super().__init__(rows)
        self._rows = rows

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: object) -> None:
        """One snapshot."""
        state: State = index.data(STATE)  # type: ignore[attr-defined]
        box, theme = QRectF(option.rect), self._rows.theme  # type: ignore[attr-defined]
        row = self._rows.row_of(state.id)
        if row == self._rows.currentRow():
            painter.fillRect(box, theme.colour("card"))
            if self._rows.hasFocus():
                outline(painter, box.adjusted(1, 1, -1, -1), theme.colour("text"), 2, 4)
        picture = QRectF(box.x() + 6, box.y() + 7, *PICTURE)
        painter.fillRect(picture, theme.colour("card"))
        look = self._rows.look_of(state)
        if look is not None:
            draw_spectrogram(painter, picture, look, theme)
        outline(painter, picture, theme.colour("line"), 1, 2)
        x, width = picture.right() + 8, box.right() - picture.right() - 12
        bold = state.id == self._rows.now
        draw_text(
            painter, QRectF(x, box.y() + 8, width, 18), state.name, sans(13, 600 if bold else 500), theme.colour("text")
        )
        draw_text(painter, QRectF(x, box.y() + 27, width, 16), self._rows.about(state), sans(11), theme.colour("text2"))
        painter.setPen(theme.colour("line"))
        painter.drawLine(int(box.x()), int(box.bottom()), int(box.right()), int(box.bottom()))

    def sizeHint(self, option: QStyleOptionViewItem, index: object) -> QSize:  # type: ignore[override]
        """All rows are of one height."""
        return QSize(100, ROW)


class SnapshotList(QListWidget):
    """Snapshots in rows.

    Signals
    -------
    recall_asked (str), rename_asked (str), renew_asked (str), remove_asked (str), compare_asked (str)
        The id of a snapshot.
    move_asked (str, int)
        Its id, and by how many places.
    """

    recall_asked = Signal(str)
    rename_asked = Signal(str)
    renew_asked = Signal(str)
    remove_asked = Signal(str)
    compare_asked = Signal(str)
    move_asked = Signal(str, int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.now = theme, ""
        self._states: tuple[State, ...] = ()
        self.look_of: Callable[[State], Look | None] = lambda state: None
        self.about: Callable[[State], str] = lambda state: state.made
        self.setItemDelegate(_Painter(self))
        self.setAccessibleName(tr("Snapshots"))
        self.setObjectName("snapshots")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemClicked.connect(lambda item: self.recall_asked.emit(item.data(STATE).id))
        own_keys(self, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Delete, Qt.Key.Key_F2)
        for key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            own_keys(self, key)
        self.setStyleSheet("QListWidget { background: transparent; border: none; padding: 0; }")

    def show_states(self, states: tuple[State, ...], now: str) -> None:
        """Show these; the one that the patch was last is in bold."""
        if now == self.now and list(map(id, states)) == list(map(id, self._states)):
            return  # most edits keep nothing
        self._states, self.now, chosen = states, now, self.chosen
        self.blockSignals(True)
        self.clear()
        for state in states:
            item = QListWidgetItem(state.name)
            item.setData(STATE, state)
            item.setToolTip(
                tr("{name}: {about}\nEnter or a click brings it back.", name=state.name, about=self.about(state))
            )
            self.addItem(item)
            if state.id == chosen:
                self.setCurrentItem(item)
        self.blockSignals(False)

    def row_of(self, state_id: str) -> int:
        """The row of a state; -1 if it is not shown."""
        return next((k for k in range(self.count()) if self.item(k).data(STATE).id == state_id), -1)

    @property
    def chosen(self) -> str:
        """Id of the row with the focus, or ""."""
        item = self.currentItem()
        return str(item.data(STATE).id) if item is not None else ""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter recalls, F2 renames, Delete removes, Alt with up and down moves."""
        key, chosen = event.key(), self.chosen
        moves = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if chosen and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.recall_asked.emit(chosen)
        elif chosen and key == Qt.Key.Key_F2:
            self.rename_asked.emit(chosen)
        elif chosen and key == Qt.Key.Key_Delete:
            self.remove_asked.emit(chosen)
        elif chosen and key in moves and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.move_asked.emit(chosen, moves[Qt.Key(key)])
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with a snapshot."""
        item = self.itemAt(event.pos()) or self.currentItem()
        if item is None:
            return
        self.setCurrentItem(item)
        chosen, menu = self.chosen, QMenu(self)
        menu.addAction(tr("Recall"), lambda: self.recall_asked.emit(chosen))
        menu.addAction(tr("Compare with the patch"), lambda: self.compare_asked.emit(chosen))
        menu.addAction(tr("Rename…"), lambda: self.rename_asked.emit(chosen))
        menu.addAction(tr("Replace with the patch as it is now"), lambda: self.renew_asked.emit(chosen))
        menu.addAction(tr("Move up"), lambda: self.move_asked.emit(chosen, -1))
        menu.addAction(tr("Move down"), lambda: self.move_asked.emit(chosen, 1))
        menu.addAction(tr("Remove"), lambda: self.remove_asked.emit(chosen))
        show_menu(menu, event.globalPos())
