"""One card of the board: a variation with its picture, loudness, words, and what can be done with it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import draw_text, outline, text_width
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.workspaces.vary.pictures import draw_course, draw_spectrogram
from dunefall.base.language import decimal, tr
from dunefall.patch.family import DISCARDED, KEPT, State
from dunefall.vary.looks import Look

__all__ = ["CARD_H", "CARD_W", "Card", "Shown"]

CARD_W, CARD_H, SIDE = 180, 174, 6
PICTURE, COURSE, WORDS_Y = QRectF(SIDE, 25, 168, 66), QRectF(SIDE, 94, 168, 24), 120
FAINT = 0.45


@dataclass(frozen=True)
class Shown:
    """What a card shows.

    Attributes
    ----------
    state : State
    look, parent : Look or None
        Not there yet: it is being made.
    words : str
        How it differs from its parent.
    change : str
        How much, as ``22 % change``.
    kinds : str
        Which kinds of values changed.
    heard : bool
    place : float
        How far it has played, 0..1; below 0: it does not play.
    """

    state: State
    look: Look | None = None
    parent: Look | None = None
    words: str = ""
    change: str = ""
    kinds: str = ""
    heard: bool = False
    place: float = -1.0

    @property
    def told(self) -> str:
        """Its state in a word."""
        if self.state.mark:
            return tr("kept") if self.state.mark == KEPT else tr("discarded")
        return tr("playing") if self.place >= 0 else tr("heard") if self.heard else tr("new")


class Card(QWidget):
    """A variation.

    Signals
    -------
    play_asked (object, float)
        Its state, and from which share on.
    mark_asked (object, str)
        Its state, and the mark.
    parent_asked (object)
        Its state: make it the parent.
    chosen (object)
        Its state has the focus.
    next_asked ()
        Play the next one that was not heard.
    step_asked (object, int, int)
        Its state: the focus should go so many columns and rows.
    """

    play_asked = Signal(object, float)
    mark_asked = Signal(object, str)
    parent_asked = Signal(object)
    chosen = Signal(object)
    next_asked = Signal()
    step_asked = Signal(object, int, int)

    def __init__(self, shown: Shown, theme: Theme) -> None:
        super().__init__()
        self.shown, self._theme = shown, theme
        self.setFixedHeight(CARD_H)
        self.setMinimumWidth(CARD_W - 16)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        column = QVBoxLayout(self)
        column.setContentsMargins(SIDE, 0, SIDE, 6)
        column.addStretch(1)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.left = QPushButton()
        self.left.setProperty("plain", True)
        self.left.setFixedHeight(24)
        self.left.clicked.connect(self._left)
        row.addWidget(self.left)
        row.addStretch(1)
        self.play, self.keep, self.discard = QPushButton("▶"), QPushButton("✓"), QPushButton("✕")
        for button, name in ((self.play, tr("Play")), (self.keep, tr("Keep")), (self.discard, tr("Discard"))):
            button.setFixedSize(26, 24)
            button.setStyleSheet("padding: 0; border-radius: 4px;")
            button.setAccessibleName(name)
            button.setToolTip(name)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            row.addWidget(button)
        self.keep.setCheckable(True)
        self.play.clicked.connect(lambda: self.play_asked.emit(self.shown.state, 0.0))
        self.keep.clicked.connect(lambda: self.mark_asked.emit(self.shown.state, KEPT))
        self.discard.clicked.connect(lambda: self.mark_asked.emit(self.shown.state, DISCARDED))
        column.addLayout(row)
        keys = (Qt.Key.Key_K, Qt.Key.Key_X, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Left, Qt.Key.Key_Right)
        own_keys(self, *keys, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_P, Qt.Key.Key_N)
        self.show_state(shown)

    def show_state(self, shown: Shown) -> None:
        """Show this from now on."""
        self.shown, state = shown, shown.state
        self.setObjectName(f"card {state.id}")
        discarded = state.mark == DISCARDED
        for button in (self.play, self.keep, self.discard):
            button.setVisible(not discarded)
        self.play.setText("■" if shown.place >= 0 else "▶")
        self.play.setEnabled(shown.look is not None and bool(shown.look.path))
        self.keep.setChecked(state.mark == KEPT)
        self.left.setText(tr("Bring back") if discarded else tr("Make parent") if state.mark == KEPT else "")
        self.left.setVisible(bool(self.left.text()))
        self.left.setFont(sans(12, 600))
        trouble = shown.look.trouble if shown.look else ""
        told = [
            state.title,
            shown.told,
            shown.words,
            shown.change,
            tr("changed: {kinds}", kinds=shown.kinds) if shown.kinds else "",
            trouble,
        ]
        self.setAccessibleName(tr("Variation {title}", title=state.title))
        self.setAccessibleDescription(", ".join(part for part in told[1:] if part))
        self.setToolTip("\n".join(part for part in (shown.words, told[4], trouble) if part))
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.update()

    def _left(self) -> None:
        if self.shown.state.mark == DISCARDED:
            self.mark_asked.emit(self.shown.state, DISCARDED)
        else:
            self.parent_asked.emit(self.shown.state)

    def picture_box(self) -> QRectF:
        """Where the spectrogram is."""
        return QRectF(PICTURE.x(), PICTURE.y(), self.width() - 2 * SIDE, PICTURE.height())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click in the picture plays from there."""
        self.setFocus()
        box = self.picture_box().united(self._course_box())
        look = self.shown.look
        if box.contains(event.position()) and look is not None and look.path and self.shown.state.mark != DISCARDED:
            self.play_asked.emit(self.shown.state, (event.position().x() - box.x()) / box.width())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Twice on what is not the picture: it becomes the parent."""
        if not self.picture_box().united(self._course_box()).contains(event.position()):
            self.parent_asked.emit(self.shown.state)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """K keeps, X discards, Enter makes it the parent, P plays, N the next one, arrows go to another card."""
        key, state = event.key(), self.shown.state
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if key in (Qt.Key.Key_K, Qt.Key.Key_X):
            self.mark_asked.emit(state, KEPT if key == Qt.Key.Key_K else DISCARDED)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.parent_asked.emit(state)
        elif key == Qt.Key.Key_P:
            self.play_asked.emit(state, 0.0)
        elif key == Qt.Key.Key_N:
            self.next_asked.emit()
        elif key in steps:
            self.step_asked.emit(state, *steps[Qt.Key(key)])
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """What has the focus is compared with the parent."""
        super().focusInEvent(event)
        self.chosen.emit(self.shown.state)
        self.update()

    def _course_box(self) -> QRectF:
        return QRectF(COURSE.x(), COURSE.y(), self.width() - 2 * SIDE, COURSE.height())

    # -- painting ---------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Frame, head, picture, loudness, words."""
        painter, theme, shown = QPainter(self), self._theme, self.shown
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        discarded, playing = shown.state.mark == DISCARDED, shown.place >= 0
        frame = QRectF(self.rect())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("card" if shown.state.mark == KEPT or playing else "raised"))
        painter.drawRoundedRect(frame, 6, 6)
        strong = playing or shown.state.mark == KEPT
        edge = "text" if strong else "edge" if discarded else "line"
        outline(painter, frame, theme.colour(edge), 2 if playing else 1, 6, dashed=discarded)
        if self.hasFocus():
            outline(painter, frame.adjusted(2, 2, -2, -2), theme.colour("text"), 1.5, 5, dashed=True)
        draw_text(painter, QRectF(SIDE + 2, 4, 90, 18), shown.state.title, mono(12, 600), theme.colour("text"))
        self._chip(painter, shown.told)
        self._pictures(painter, FAINT if discarded else 1.0)
        font = QFont(sans(13, 600))
        font.setStrikeOut(discarded)
        trouble = shown.look.trouble if shown.look else ""
        words = QRectF(SIDE + 2, WORDS_Y, self.width() - 2 * SIDE - 4, 20)
        draw_text(painter, words, trouble or shown.words, font, theme.colour("text2" if discarded else "text"))
        if shown.state.mark == "":
            foot = (
                decimal(f"{shown.place * shown.look.seconds:.1f} / {shown.look.seconds:.0f} s")
                if playing and shown.look
                else shown.change
            )
            draw_text(painter, QRectF(SIDE + 2, CARD_H - 30, 76, 22), foot, sans(12), theme.colour("text2"))
        painter.end()

    def _chip(self, painter: QPainter, told: str) -> None:
        """The state at the right of the head."""
        theme, font = self._theme, sans(11, 600 if told in (KEPT, "playing") else 400)
        text = {KEPT: tr("✓ kept"), DISCARDED: tr("✕ discarded"), "playing": tr("▶ playing")}.get(told, told)
        width = text_width(text, font) + 14
        box = QRectF(self.width() - SIDE - width, 4, width, 18)
        if told == "playing":
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("text"))
            painter.drawRoundedRect(box, 9, 9)
        elif told in (KEPT, "new"):
            outline(painter, box, theme.colour("text" if told == KEPT else "edge"), 1, 9, dashed=told == "new")
        draw_text(painter, box, text, font, theme.colour("on_accent" if told == "playing" else "text"), centre=True)

    def _pictures(self, painter: QPainter, strength: float) -> None:
        theme, shown = self._theme, self.shown
        picture, course = self.picture_box(), self._course_box()
        painter.fillRect(picture, theme.colour("card"))
        if shown.look is None:
            draw_text(painter, picture, tr("rendering…"), sans(12), theme.colour("text2"), centre=True)
            return
        draw_spectrogram(painter, picture, shown.look, theme, strength)
        draw_course(painter, course, shown.look, theme, shown.parent, strength)
        if shown.place >= 0:
            x = picture.x() + shown.place * picture.width()
            painter.setPen(QPen(theme.colour("text"), 2))
            painter.drawLine(int(x), int(picture.y()), int(x), int(course.bottom()))
