"""The dialog behind "Move this…": all outputs, searched by name, each with its live trace."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QModelIndex, QObject, QPersistentModelIndex, QRect, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QIcon, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
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

from dunefall.app.build.canvasview import TraceSource
from dunefall.app.painting import TraceImage, draw_text
from dunefall.app.theme import Theme, sans
from dunefall.catalogue import spec_of
from dunefall.patch.model import Patch, Place

__all__ = ["LinkDialog"]

ROW_H = 36
TRACE_W = 120
_PLACE = Qt.ItemDataRole.UserRole
_ROLE = Qt.ItemDataRole.UserRole + 1
_LAYER = Qt.ItemDataRole.UserRole + 2


class _Row(QStyledItemDelegate):
    """Paints an output: name, layer, and its live trace."""

    def __init__(self, traces: TraceSource, theme: Theme, parent: QObject) -> None:
        super().__init__(parent)
        self._traces, self._theme, self._image = traces, theme, TraceImage()

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(200, ROW_H)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        box: QRect = option.rect  # type: ignore[attr-defined]
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        theme, role = self._theme, index.data(_ROLE)
        if chosen:
            painter.fillRect(box, theme.colour("line"))
        text_box = QRectF(box.x() + 8, box.y() + 2, box.width() - TRACE_W - 32, 18)
        draw_text(painter, text_box, index.data(), sans(13, 500), theme.colour("text"))
        below = f"{index.data(_LAYER)} · {role}"
        draw_text(painter, text_box.translated(0, 16), below, sans(11), theme.colour("text" if chosen else "text2"))
        place: Place = index.data(_PLACE)
        bins = self._traces.trace(place.module, place.port)
        if bins is not None:
            self._image.clear(TRACE_W, ROW_H - 8, painter.device().devicePixelRatioF())
            low = 0.0 if role == "gate" else -1.0
            self._image.trace(QRect(0, 0, TRACE_W, ROW_H - 8), bins[-400:], role, theme.colour(role), low=low)
            painter.save()
            painter.translate(box.right() - TRACE_W - 8, box.y() + 4)
            self._image.draw(painter)
            painter.restore()


class LinkDialog(QDialog):
    """Choose an output; ``chosen`` holds it after the dialog was accepted.

    Parameters
    ----------
    first : bool
        Each module once, by its first output: a module is looked for.
    """

    def __init__(
        self,
        patch: Patch,
        title: str,
        traces: TraceSource,
        theme: Theme,
        parent: QWidget | None = None,
        *,
        first: bool = False,
    ) -> None:
        super().__init__(parent)
        self.chosen: Place | None = None
        self._patch, self._first = patch, first
        self.setWindowTitle(title)
        self.resize(460, 480)
        column = QVBoxLayout(self)
        heading = QLabel(title)
        heading.setFont(sans(14, 600))
        column.addWidget(heading)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Type a name, a layer or a kind")
        self.search.setAccessibleName("Search outputs")
        self.search.textChanged.connect(self._fill)
        self.search.installEventFilter(self)
        column.addWidget(self.search)
        self.list = QListWidget()
        self.list.setAccessibleName("Outputs")
        self.list.setItemDelegate(_Row(traces, theme, self.list))
        self.list.itemActivated.connect(self._take)
        column.addWidget(self.list, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.button(QDialogButtonBox.StandardButton.Ok).setText("Show" if first else "Link")
        for button in buttons.buttons():
            button.setIcon(QIcon())
        buttons.accepted.connect(self._take)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.list.viewport().update)
        self._timer.start(66)
        self._fill("")

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Up and down in the search field move through the list."""
        if (
            watched is self.search
            and isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down)
        ):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
            return True
        return super().eventFilter(watched, event)

    def _fill(self, text: str) -> None:
        """List what fits all words; names that hold them come before kinds and layers that do."""
        words = text.lower().split()
        found = [row for row in self._outputs() if all(word in row[1] for word in words)]
        found.sort(key=lambda row: not all(word in row[0].lower() for word in words))
        self.list.clear()
        for name, _, place, role, layer in found:
            item = QListWidgetItem(name)
            for key, value in ((_PLACE, place), (_ROLE, role), (_LAYER, layer)):
                item.setData(key, value)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _outputs(self) -> list[tuple[str, str, Place, str, str]]:
        """All outputs: name, the text that is searched, place, role, layer."""
        rows: list[tuple[str, str, Place, str, str]] = []
        for layer in self._patch.layers:
            for module in layer.modules:
                spec = spec_of(module.type)
                if spec is None:
                    continue
                outputs = spec.outputs[:1] if self._first else spec.outputs
                for output in outputs:
                    name = module.name if len(outputs) == 1 else f"{module.name}: {output.name}"
                    searched = f"{name} {layer.name} {output.role} {spec.name} {' '.join(spec.words)}".lower()
                    rows.append((name, searched, Place(module.id, output.id), output.role, layer.name))
        return rows

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.chosen = item.data(_PLACE)
            self.accept()
