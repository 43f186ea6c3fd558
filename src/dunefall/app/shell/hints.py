"""The first start's five hints: each points at a real control, and none comes back once dismissed."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPoint, QRect, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen, QPolygon
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dunefall.app.controls.theme import Theme, sans
from dunefall.app.model.workspace import Hint
from dunefall.app.shell.header import Header
from dunefall.base.language import tr

__all__ = ["Hints", "header_hints"]

WIDTH, GAP, TIP = 300, 14, 9


class Hints(QWidget):
    """A box beside a thing, one hint after the other.

    Signals
    -------
    ended ()
        All were seen, or they were waved away.
    """

    ended = Signal()

    def __init__(self, hints: Sequence[Hint], theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._hints, self._theme, self._at, self._window = hints, theme, 0, parent
        self._tip = QPoint()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Hint"))
        column = QVBoxLayout(self)
        column.setContentsMargins(GAP + TIP, GAP + TIP, GAP + TIP, GAP + TIP)
        self.words, self._count = QLabel(), QLabel()
        self.words.setWordWrap(True)
        self.words.setFont(sans(13))
        self.words.setFixedWidth(WIDTH)
        column.addWidget(self.words)
        line = QHBoxLayout()
        self.next, self.enough = QPushButton(tr("Next")), QPushButton(tr("No more hints"))
        self.next.clicked.connect(self.go_on)
        self.enough.clicked.connect(self.end)
        line.addWidget(self._count)
        line.addStretch(1)
        line.addWidget(self.enough)
        line.addWidget(self.next)
        column.addLayout(line)
        self._show()

    def _show(self) -> None:
        hint = self._hints[self._at]
        self.words.setText(hint.text)
        self.setAccessibleDescription(hint.text)
        self._count.setText(tr("{at} of {count}", at=self._at + 1, count=len(self._hints)))
        last = self._at == len(self._hints) - 1
        self.next.setText(tr("Done") if last else tr("Next"))
        self.enough.setVisible(not last)
        self.adjustSize()
        part = hint.part()
        self._stand_beside(QRect(hint.widget.mapTo(self._window, part.topLeft()), part.size()))
        self.show()
        self.raise_()
        self.next.setFocus()

    def _stand_beside(self, thing: QRect) -> None:
        """To the right of the thing, or to the left where there is no room."""
        room, right = self._window.width(), thing.right() + 1
        x = right if right + self.width() <= room else max(0, thing.left() - self.width())
        y = min(max(0, thing.center().y() - self.height() // 2), self._window.height() - self.height())
        self.move(x, y)
        self._tip = QPoint(0 if x == right else self.width() - 1, thing.center().y() - y)
        self._tip.setY(min(max(self._tip.y(), 24), self.height() - 24))
        self.update()

    def go_on(self) -> None:
        """The next hint; after the last one they end."""
        self._at += 1
        if self._at == len(self._hints):
            self.end()
        else:
            self._show()

    def end(self) -> None:
        """No more hints, ever."""
        self.hide()
        self.ended.emit()
        self.deleteLater()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape waves them away."""
        if event.key() == Qt.Key.Key_Escape:
            self.end()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        """The box, and its tip at the thing."""
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("text"), 1.5))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(self.rect().adjusted(TIP, TIP, -TIP, -TIP), 6, 6)
        inward = TIP + 2 if self._tip.x() == 0 else -TIP - 2
        base = self._tip.x() + inward
        painter.setBrush(theme.colour("text"))
        painter.drawPolygon(QPolygon([self._tip, QPoint(base, self._tip.y() - 8), QPoint(base, self._tip.y() + 8)]))
        painter.end()


def header_hints(header: Header) -> tuple[Hint, ...]:
    """The last two: another seed, and where everything else is."""
    return (
        Hint(tr("Another seed: everything random comes out differently. Undo brings the old one back, exactly."),
             header.reroll, header.reroll.rect),
        Hint(tr("Ctrl+S saves the patch, Ctrl+Shift+R renders a file of it. The menus above have everything else, with "
                "its keys; Ctrl+K finds any of it."), header.title, header.title.rect),
    )  # fmt: skip
