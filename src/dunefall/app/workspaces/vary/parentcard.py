"""The card of the parent: what all variations on the board came from."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import draw_text, outline
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.workspaces.vary.pictures import draw_course, draw_spectrogram
from dunefall.base.language import tr
from dunefall.vary.looks import Look

__all__ = ["ParentCard"]

HEIGHT, SIDE_W = 92, 118


class ParentCard(QWidget):
    """The parent.

    Signals
    -------
    play_asked (float)
        From which share on.
    """

    play_asked = Signal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme, self._name, self._origin, self._look, self._place = theme, "", "", None, -1.0
        self.setFixedHeight(HEIGHT)
        self.setMinimumWidth(260)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setObjectName("parent")
        self.setAccessibleName(tr("Parent"))
        self.setToolTip(tr("What all variations on the board came from. A click in the picture plays from there."))
        own_keys(self, Qt.Key.Key_P)

    _look: Look | None

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.update()

    def show_parent(self, name: str, origin: str, look: Look | None) -> None:
        """Show this one."""
        self._name, self._origin, self._look = name, origin, look
        self.setAccessibleDescription(f"{name}, {origin}".replace("\n", ", "))
        self.update()

    def show_place(self, place: float) -> None:
        """How far it has played, 0..1; below 0: it does not play."""
        if place != self._place:
            self._place = place
            self.update()

    def _picture(self) -> QRectF:
        return QRectF(8, 8, self.width() - SIDE_W - 22, HEIGHT - 16)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click in the picture plays from there."""
        self.setFocus()
        box = self._picture()
        if box.contains(event.position()):
            self.play_asked.emit((event.position().x() - box.x()) / box.width())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """P plays, or stops."""
        if event.key() == Qt.Key.Key_P:
            self.play_asked.emit(0.0)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """The focus is shown."""
        super().focusInEvent(event)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Picture, name, where it came from, loudness."""
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        outline(painter, QRectF(self.rect()), theme.colour("text" if self.hasFocus() else "edge"), 2, 6)
        picture = self._picture()
        x = picture.right() + 8
        draw_text(painter, QRectF(x, 8, 52, 18), tr("Parent"), sans(13, 600), theme.colour("text"))
        draw_text(
            painter, QRectF(x + 50, 8, SIDE_W - 52, 18), self._name, mono(12, 600), theme.colour("text"), right=True
        )
        for k, line in enumerate(self._origin.split("\n")):
            draw_text(painter, QRectF(x, 26 + 14 * k, SIDE_W, 14), line, sans(11), theme.colour("text2"))
        if self._look is None:
            draw_text(painter, picture, tr("rendering…"), sans(12), theme.colour("text2"), centre=True)
        else:
            draw_spectrogram(painter, picture, self._look, theme)
            course = QRectF(x, 57, SIDE_W, 26)
            draw_course(painter, course, self._look, theme)
            if self._look.trouble:
                draw_text(painter, course, self._look.trouble, sans(11, 600), theme.colour("text"))
        if self._place >= 0:
            painter.setPen(QPen(theme.colour("text"), 2))
            at = picture.x() + self._place * picture.width()
            painter.drawLine(int(at), int(picture.y()), int(at), int(picture.bottom()))
        painter.end()
