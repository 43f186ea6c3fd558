"""What the dialogs share in which something is searched by typing: a field, a list that it narrows, two buttons."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QModelIndex, QObject, QPersistentModelIndex, QRect, QSize, Qt
from PySide6.QtGui import QColor, QIcon, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.controls.accessible import announce
from dunefall.app.controls.theme import Theme, sans
from dunefall.base.language import capital, tr

__all__ = ["SearchDialog", "SearchRow"]


class SearchRow(QStyledItemDelegate):
    """Paints an entry of the list, ``row_h`` px high; ``draw`` paints what is in it."""

    row_h = 36

    def __init__(self, theme: Theme, parent: QObject) -> None:
        super().__init__(parent)
        self._theme = theme

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        """The ground of the chosen entry, then what is in it."""
        box: QRect = option.rect  # type: ignore[attr-defined]
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        if chosen:
            painter.fillRect(box, self._theme.colour("line"))
        self.draw(painter, box, index, self._theme.colour("text" if chosen else "text2"))

    def draw(self, painter: QPainter, box: QRect, index: QModelIndex | QPersistentModelIndex, quiet: QColor) -> None:
        """Paint an entry into its box; ``quiet`` is the ink for secondary text."""
        raise NotImplementedError

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        """As high as every row."""
        return QSize(200, self.row_h)


class SearchDialog(QDialog):
    """Type, choose by the arrows, and take by Enter.

    Attributes
    ----------
    search, list : QLineEdit, QListWidget
        The field, and what fits it; ``fill`` puts it there.
    column, foot : QVBoxLayout, QHBoxLayout
        For what a dialog adds: above the buttons, and beside them.
    """

    def __init__(self, title: str, hint: str, what: str, accept: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.column, self.foot = QVBoxLayout(self), QHBoxLayout()
        heading = QLabel(title)
        heading.setFont(sans(14, 600))
        self.search, self.list = QLineEdit(), QListWidget()
        self.search.setPlaceholderText(hint)
        self.search.setAccessibleName(tr("Search {what}", what=what))
        self.search.textChanged.connect(self.fill)
        self.search.installEventFilter(self)
        self.list.setAccessibleName(capital(what))
        self.list.setUniformItemSizes(True)
        self.list.itemActivated.connect(self.take)
        self.list.currentItemChanged.connect(self._say)
        self.column.addWidget(heading)
        self.column.addWidget(self.search)
        self.column.addWidget(self.list, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.button(QDialogButtonBox.StandardButton.Ok).setText(accept)
        for button in buttons.buttons():
            button.setIcon(QIcon())
        buttons.accepted.connect(self.take)
        buttons.rejected.connect(self.reject)
        self.foot.addStretch(1)
        self.foot.addWidget(buttons)
        self.column.addLayout(self.foot)

    def _say(self, item: QListWidgetItem | None) -> None:
        """What is chosen while the keys are in the search field."""
        if item is not None:
            more = item.data(Qt.ItemDataRole.AccessibleDescriptionRole)
            announce(self.search, f"{item.text()}, {more}" if more else item.text())

    def fill(self, text: str) -> None:
        """Put what fits a text into the list."""
        raise NotImplementedError

    def take(self) -> None:
        """Accept what is chosen, if something is."""
        raise NotImplementedError

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Up, down and the page keys in the search field move through the list."""
        if watched is self.search and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            row = max(1, self.list.sizeHintForRow(0))
            page = max(1, self.list.height() // row - 1)
            steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_PageUp: -page, Qt.Key.Key_PageDown: page}
            step = steps.get(Qt.Key(event.key()), 0)
            if step:
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
                return True
        return super().eventFilter(watched, event)
