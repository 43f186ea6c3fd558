"""Keys on the screen: two octaves for the mouse, lower on a key is louder; and for the computer's keys."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QHideEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from dunefall.app.controls.painting import draw_text, outline
from dunefall.app.controls.theme import Theme, mono
from dunefall.base.language import tr
from dunefall.base.units import note_name

__all__ = ["ScreenKeys"]

HEIGHT = 84
FIRST, OCTAVES = 48, 2
WHITES = (0, 2, 4, 5, 7, 9, 11)
BLACKS = {1: 0, 3: 1, 6: 3, 8: 4, 10: 5}
"""Black keys, and the white one of the octave to whose right each stands."""
BLACK_TALL, BLACK_WIDE = 0.58, 0.62
SOFTEST, FORCE_STEP = 0.1, 0.1
LETTERS = {letter: k for k, letter in enumerate("ZSXDCVGBHNJM")} | {
    letter: 12 + k for k, letter in enumerate("Q2W3ER5T6Y7U")
}
"""Keys of the computer, as they lie, and semitones above the lowest note (common practice)."""


class ScreenKeys(QWidget):
    """A small keyboard.

    Signals
    -------
    played (float, float)
        Note and velocity, 0 when it is let go.
    """

    played = Signal(float, float)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._down = theme, -1
        self._held: dict[int, float] = {}
        self._octave, self._force = 0, 0.8
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("Keys on the screen"))
        self.setToolTip(
            tr(
                "Play with the mouse, lower on a key is louder; or, once clicked, with the two lower and the two upper "
                "rows of letters. Left and right: another octave, up and down: louder and softer"
            )
        )

    def _boxes(self) -> list[tuple[int, QRectF]]:
        """Keys and their places, black ones last: they overlap the white ones."""
        wide = self.width() / (7 * OCTAVES)
        whites, blacks = [], []
        for octave in range(OCTAVES):
            left, note = octave * 7 * wide, FIRST + 12 * octave
            whites += [(note + key, QRectF(left + k * wide, 0, wide, HEIGHT)) for k, key in enumerate(WHITES)]
            for key, after in BLACKS.items():
                x = left + (after + 1 - BLACK_WIDE / 2) * wide
                blacks.append((note + key, QRectF(x, 0, BLACK_WIDE * wide, BLACK_TALL * HEIGHT)))
        return whites + blacks

    def _under(self, at: QPointF) -> tuple[int, float]:
        """Key below the mouse (-1: none), and how hard it is struck."""
        for note, box in reversed(self._boxes()):
            if box.contains(at):
                return note, min(max((at.y() - box.top()) / box.height(), SOFTEST), 1.0)
        return -1, 0.0

    def paintEvent(self, event: QPaintEvent) -> None:
        """White and black keys; the one that is down in violet, the colour of pitches."""
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for note, box in self._boxes():
            black = note % 12 in BLACKS
            painter.setPen(Qt.PenStyle.NoPen)
            down = note == self._down or note in self._held.values()
            painter.setBrush(theme.colour("pitch" if down else "edge" if black else "card"))
            painter.drawRoundedRect(box.adjusted(0.5, 0, -0.5, -1), 2, 2)
            outline(painter, box.adjusted(0.5, 0, -0.5, -1), theme.colour("edge"), 1, 2)
            if note % 12 == 0:
                foot = QRectF(box.left(), HEIGHT - 18, box.width(), 16)
                draw_text(painter, foot, note_name(note), mono(9.5), theme.colour("text2"), centre=True)
        if self.hasFocus():
            outline(painter, QRectF(self.rect()), theme.colour("text"), 2, 4)
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Press a key."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._press(*self._under(event.position()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Slide to another key."""
        note, force = self._under(event.position())
        if self._down >= 0 and note != self._down:
            self._let_go()
            self._press(note, force)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        self._let_go()

    def event(self, event: QEvent) -> bool:
        """While it has the focus, letters are notes and no commands."""
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and self._step(event) is not None
        ):
            event.accept()
            return True
        return super().event(event)

    @staticmethod
    def _step(event: QKeyEvent) -> int | None:
        """The semitones above the lowest note that a computer key plays."""
        plain = event.modifiers() == Qt.KeyboardModifier.NoModifier
        return LETTERS.get(chr(event.key())) if plain and event.key() < 128 else None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Letters play; arrows choose the octave and the force."""
        step, key = self._step(event), Qt.Key(event.key())
        octaves = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        forces = {Qt.Key.Key_Up: FORCE_STEP, Qt.Key.Key_Down: -FORCE_STEP}
        if event.isAutoRepeat():
            return
        if step is not None:
            note = float(min(max(FIRST + 12 * self._octave + step, 0), 127))
            self._held[event.key()] = note
            self.played.emit(note, self._force)
            self.update()
        elif key in octaves:
            self._octave = min(max(self._octave + octaves[key], -4), 4)
        elif key in forces:
            self._force = min(max(self._force + forces[key], SOFTEST), 1.0)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """Let it go."""
        if not event.isAutoRepeat() and event.key() in self._held:
            self.played.emit(self._held.pop(event.key()), 0.0)
            self.update()
        else:
            super().keyReleaseEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """No key stays down on a keyboard that does not hear the key go up."""
        self._let_all_go()
        super().focusOutEvent(event)

    def _let_all_go(self) -> None:
        self._let_go()
        while self._held:
            self.played.emit(self._held.popitem()[1], 0.0)
        self.update()

    def hideEvent(self, event: QHideEvent) -> None:
        """Releases every held key when the keyboard goes away."""
        self._let_all_go()
        super().hideEvent(event)

    def _press(self, note: int, force: float) -> None:
        if note >= 0:
            self._down = note
            self.played.emit(float(note), force)
            self.update()

    def _let_go(self) -> None:
        if self._down >= 0:
            self.played.emit(float(self._down), 0.0)
            self._down = -1
            self.update()
