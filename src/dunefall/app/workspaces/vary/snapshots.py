"""The list of snapshots: each with a small picture; Enter or a click brings one back."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem

from dunefall.app.controls.painting import draw_text, outline
from dunefall.app.controls.rowlist import ROW, RowList
from dunefall.app.controls.theme import Theme, sans
from dunefall.app.workspaces.vary.pictures import draw_spectrogram
from dunefall.base.language import tr
from dunefall.patch.family import State
from dunefall.vary.looks import Look

__all__ = ["SnapshotList"]

ROW_H = 52
PICTURE = (52, 38)


class _Painter(QStyledItemDelegate):
    """A row: picture, name, when."""

    def __init__(self, rows: SnapshotList) -> None:
        super().__init__(rows)
        self._rows = rows

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: object) -> None:
        """One snapshot."""
        state: State = index.data(ROW)  # type: ignore[attr-defined]
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
        return QSize(100, ROW_H)


def _offered(state: State) -> list[tuple[str, str]]:
    return [
        ("recall", tr("Recall")), ("compare", tr("Compare with the patch")), ("rename", tr("Rename…")),
        ("renew", tr("Replace with the patch as it is now")), ("up", tr("Move up")), ("down", tr("Move down")),
        ("remove", tr("Remove")),
    ]  # fmt: skip


class SnapshotList(RowList):
    """Snapshots in rows, each of which can be asked to ``recall``, ``compare``, ``rename``, ``renew`` or ``remove`` a
    State, or to move it ``up`` or ``down``."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(tr("Snapshots"), _offered)
        self.theme, self.now = theme, ""
        self._states: tuple[State, ...] = ()
        self.look_of: Callable[[State], Look | None] = lambda state: None
        self.about: Callable[[State], str] = lambda state: state.made
        self.setItemDelegate(_Painter(self))
        self.setObjectName("snapshots")
        self.setStyleSheet("QListWidget { background: transparent; border: none; padding: 0; }")

    def show_states(self, states: tuple[State, ...], now: str) -> None:
        """Show these; the one that the patch was last is in bold."""
        if now == self.now and list(map(id, states)) == list(map(id, self._states)):
            return  # most edits keep nothing
        self._states, self.now, chosen = states, now, self.chosen
        self.blockSignals(True)
        self.clear()
        for state in states:
            tip = tr("{name}: {about}\nEnter or a click brings it back.", name=state.name, about=self.about(state))
            self.add_row(state, state.name, tip)
        if chosen is not None:
            self.setCurrentRow(self.row_of(chosen.id))
        self.blockSignals(False)

    def row_of(self, state_id: str) -> int:
        """The row of a state; -1 if it is not shown."""
        return next((k for k in range(self.count()) if self.row_at(k).id == state_id), -1)
