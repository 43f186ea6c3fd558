"""A square with a snapshot in each corner: what lies between is a blend of all four."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QDialog, QGridLayout, QWidget

from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import outline
from dunefall.app.controls.theme import Theme
from dunefall.base.language import tr
from dunefall.patch.family import State

__all__ = ["Pad", "SquareDialog"]

SIZE, MARGIN, STEP = 260, 12, 0.02
CORNERS = (tr("upper left"), tr("upper right"), tr("lower left"), tr("lower right"))


class Pad(QWidget):
    """A point in a square, dragged or moved by the arrow keys.

    Signals
    -------
    moved (float, float, bool)
        How far to the right and down, 0..1, and whether the movement has ended.
    """

    moved = Signal(float, float, bool)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme, self.x_share, self.y_share = theme, 0.0, 0.0
        self.setFixedSize(SIZE, SIZE)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Place among four snapshots"))
        own_keys(self, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down)

    def place(self, x: float, y: float, ended: bool) -> None:
        """Go there."""
        self.x_share, self.y_share = min(1.0, max(0.0, x)), min(1.0, max(0.0, y))
        self.setAccessibleDescription(tr("{x_share:.0f} % to the right, {y_share:.0f} % down",
                                         x_share=100 * self.x_share, y_share=100 * self.y_share))  # fmt: skip
        self.update()
        self.moved.emit(self.x_share, self.y_share, ended)

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(MARGIN, MARGIN, -MARGIN, -MARGIN)

    def _go_to(self, at: QPointF, ended: bool) -> None:
        box = self._box()
        self.place((at.x() - box.x()) / box.width(), (at.y() - box.y()) / box.height(), ended)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """It goes where it is pressed."""
        self.setFocus()
        self._go_to(event.position(), False)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """It follows the pointer."""
        self._go_to(event.position(), False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """One drag is one undo step."""
        self._go_to(event.position(), True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrow keys move it by a small step."""
        steps = {Qt.Key.Key_Left: (-STEP, 0.0), Qt.Key.Key_Right: (STEP, 0.0),
                 Qt.Key.Key_Up: (0.0, -STEP), Qt.Key.Key_Down: (0.0, STEP)}  # fmt: skip
        if event.key() in steps:
            right, down = steps[Qt.Key(event.key())]
            self.place(self.x_share + right, self.y_share + down, True)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """The focus is shown."""
        super().focusInEvent(event)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """The square, lines through the point, the point."""
        painter, theme, box = QPainter(self), self._theme, self._box()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(box, theme.colour("card"))
        outline(painter, box, theme.colour("text" if self.hasFocus() else "edge"), 2 if self.hasFocus() else 1, 2)
        x, y = box.x() + self.x_share * box.width(), box.y() + self.y_share * box.height()
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(QPointF(box.x(), y), QPointF(box.right(), y))
        painter.drawLine(QPointF(x, box.y()), QPointF(x, box.bottom()))
        painter.setPen(QPen(theme.colour("card"), 2))
        painter.setBrush(theme.colour("text"))
        painter.drawEllipse(QPointF(x, y), 8, 8)
        painter.end()


class SquareDialog(QDialog):
    """Four snapshots and a point among them.

    Signals
    -------
    moved (object, float, float, bool)
        Ids of the snapshots of the upper left, upper right, lower left and lower right corner; where the point is; and
        whether its movement has ended.
    """

    moved = Signal(object, float, float, bool)

    def __init__(self, states: tuple[State, ...], theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Blend four snapshots"))
        grid = QGridLayout(self)
        self.pad = Pad(theme)
        self.corners: list[QComboBox] = []
        for k, name in enumerate(CORNERS):
            box = QComboBox()
            box.setAccessibleName(tr("Snapshot of the {name} corner", name=name))
            for state in states:
                box.addItem(state.name, state.id)
            box.setCurrentIndex(min(k, box.count() - 1))
            box.currentIndexChanged.connect(lambda _: self._tell(self.pad.x_share, self.pad.y_share, True))
            grid.addWidget(box, 0 if k < 2 else 2, k % 2)
            self.corners.append(box)
        grid.addWidget(self.pad, 1, 0, 1, 2, Qt.AlignmentFlag.AlignCenter)
        self.pad.moved.connect(self._tell)

    def _tell(self, x: float, y: float, ended: bool) -> None:
        self.moved.emit(tuple(str(box.currentData()) for box in self.corners), x, y, ended)
