"""The field in which a value of a rail or of a link is typed, in its place."""

from __future__ import annotations

from PySide6.QtCore import QRect, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLineEdit, QToolTip, QWidget

from dunefall.app.controls.theme import numerals

__all__ = ["ValueField"]


class ValueField(QLineEdit):
    """The value while it is typed. Neither Enter nor Escape reaches its owner, which would open the field again.

    Signals
    -------
    left ()
        Escape, or the focus went elsewhere: what was typed is given up.
    """

    left = Signal()

    def __init__(self, text: str, name: str, owner: QWidget) -> None:
        super().__init__(text, owner)
        numerals(self, 13)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setAccessibleName(name)

    def open(self, box: QRect, *, chosen: bool) -> None:
        """Show it in a box with the keys; what stands in it is ``chosen``, so that typing replaces it."""
        self.setGeometry(box)
        if chosen:
            self.selectAll()
        self.show()
        self.setFocus()

    def refuse(self, why: str) -> None:
        """What was typed cannot be taken: show that, and why; it stays to be mended."""
        self.setProperty("wrong", True)
        self.style().polish(self)
        self.setToolTip(why)
        QToolTip.showText(self.mapToGlobal(self.rect().bottomLeft()), why, self)

    def close_to(self, owner: QWidget) -> None:
        """Put it away; the keys go to its owner, so that the next letter is a command."""
        if self.hasFocus():
            owner.setFocus()
        self.blockSignals(True)
        self.hide()
        self.deleteLater()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape gives it up."""
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)
            event.accept()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """What was typed is given up when the focus goes elsewhere."""
        super().focusOutEvent(event)
        self.left.emit()
