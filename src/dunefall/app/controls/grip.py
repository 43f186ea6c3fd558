"""A thin strip beside a part of a page; dragging it makes the part larger or smaller."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QEnterEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from dunefall.app.controls.theme import Theme
from dunefall.base.language import tr

__all__ = ["Grip"]

THICK, KEY_STEP = 6, 20


class Grip(QWidget):
    """Drag it, or use the arrow keys; a double-click goes back to the usual size.

    Parameters
    ----------
    upright : bool
        It stands left of the part; otherwise it lies above it.
    size : tuple of int
        Least, usual and largest size of the part, in px.

    Signals
    -------
    resized (int)
        The part is to be so many px wide or high.
    settled (int)
        The drag has ended at this size.
    """

    resized = Signal(int)
    settled = Signal(int)

    def __init__(self, name: str, *, upright: bool, size: tuple[int, int, int], theme: Theme) -> None:
        super().__init__()
        self._upright, self._size, self._theme = upright, size, theme
        self.now = size[1]
        self._grabbed: tuple[float, int] | None = None
        if upright:
            self.setFixedWidth(THICK)
        else:
            self.setFixedHeight(THICK)
        self.setCursor(Qt.CursorShape.SplitHCursor if upright else Qt.CursorShape.SplitVCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(tr("Size of {name}", name=name))
        self.setToolTip(tr("Drag to resize {name}; double-click: its usual size", name=name))

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.update()

    def resize_to(self, size: int) -> None:
        """Make the part so large, within its limits; 0 is its usual size."""
        least, usual, most = self._size
        self.now = min(max(size, least), most) if size else usual
        self.resized.emit(self.now)

    def _at(self, event: QMouseEvent) -> float:
        place = event.globalPosition()
        return place.x() if self._upright else place.y()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of it."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._grabbed = (self._at(event), self.now)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """The part grows as it is dragged away from it."""
        if self._grabbed is not None:
            start, size = self._grabbed
            self.resize_to(round(size - (self._at(event) - start)))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The drag has ended."""
        if self._grabbed is not None:
            self._grabbed = None
            self.settled.emit(self.now)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Its usual size."""
        self._grabbed = None
        self.resize_to(0)
        self.settled.emit(self.now)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """The arrows resize the part."""
        larger = Qt.Key.Key_Left if self._upright else Qt.Key.Key_Up
        smaller = Qt.Key.Key_Right if self._upright else Qt.Key.Key_Down
        step = {larger: KEY_STEP, smaller: -KEY_STEP}.get(Qt.Key(event.key()), 0)
        if step:
            self.resize_to(self.now + step)
            self.settled.emit(self.now)
        else:
            super().keyPressEvent(event)

    def enterEvent(self, event: QEnterEvent) -> None:
        """It shows itself under the mouse."""
        self.update()
        super().enterEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        """A short line in its middle."""
        painter = QPainter(self)
        strong = self.hasFocus() or self.underMouse()
        colour = self._theme.colour("text2" if strong else "line")
        middle = self.rect().center()
        half = 14
        if self._upright:
            painter.fillRect(middle.x(), middle.y() - half, 2, 2 * half, colour)
        else:
            painter.fillRect(middle.x() - half, middle.y(), 2 * half, 2, colour)
        painter.end()
