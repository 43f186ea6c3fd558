"""Fields that show two series at once: a way in the plane, recorded by hand, and a grid of notes."""

from __future__ import annotations

import time

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import card, draw_text, outline
from dunefall.app.controls.theme import Theme, mono
from dunefall.base.language import tr
from dunefall.base.units import note_name
from dunefall.catalogue.declare import ModuleSpec
from dunefall.patch.model import Module

__all__ = ["GridField", "PathField", "PlaneField"]

HEIGHT, EDGE, FOOT = 220, 6, 18
SHORTEST_S = 0.15
POINTS_PER_S = 30.0
COLUMNS = 8


class PlaneField(QWidget):
    """What both fields share: a framed square, the numbers of two series."""

    drawn = Signal(object)
    settled = Signal()

    def __init__(self, spec: ModuleSpec, theme: Theme) -> None:
        super().__init__()
        self._spec, self._theme, self._module = spec, theme, Module("", spec.id, "")
        self._first, self._second = spec.series[0], spec.series[1]
        self._place: float | None = None
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        own_keys(self, Qt.Key.Key_Delete)

    @property
    def numbers(self) -> tuple[tuple[float, ...], tuple[float, ...]]:
        """Both series as they are."""
        given = self._module.series
        first, second = self._first, self._second
        return given.get(first.id, first.default), given.get(second.id, second.default)

    def show_module(self, module: Module) -> None:
        """Show a module's numbers."""
        if module != self._module:
            self._module = module
            self._describe()
            self.update()

    def show_place(self, place: float | None) -> None:
        """Mark the place that is played now."""
        if place != self._place:
            self._place = place
            self.update()

    def _describe(self) -> None:
        """Tell what is chosen to those who cannot see it."""

    @property
    def _box(self) -> QRectF:
        return QRectF(EDGE, EDGE, self.width() - 2 * EDGE, HEIGHT - 2 * EDGE - FOOT)

    def _foot(self, painter: QPainter, text: str) -> None:
        foot = QRectF(EDGE, HEIGHT - FOOT - 3, self.width() - 2 * EDGE, FOOT)
        draw_text(painter, foot, text, mono(10.5), self._theme.colour("text2"))


class PathField(PlaneField):
    """Records a movement of the hand while the mouse is pressed; the movement and how long it took become the gesture.

    Signals
    -------
    drawn (object), timed (float), settled ()
        Both series by id; its seconds; the movement has ended.
    """

    timed = Signal(float)

    def __init__(self, spec: ModuleSpec, theme: Theme) -> None:
        super().__init__(spec, theme)
        self._moves: list[tuple[float, float, float]] = []
        self.setAccessibleName(tr("Recorded gesture"))
        self.setToolTip(tr("Press and move the mouse: the movement and its speed are recorded until you release"))

    def _to_plane(self, at: QPointF) -> tuple[float, float]:
        x = 2.0 * (at.x() - self._box.left()) / self._box.width() - 1.0
        y = 1.0 - 2.0 * (at.y() - self._box.top()) / self._box.height()
        return min(max(x, -1.0), 1.0), min(max(y, -1.0), 1.0)

    def _from_plane(self, x: float, y: float) -> QPointF:
        box = self._box
        return QPointF(box.left() + 0.5 * (x + 1.0) * box.width(), box.top() + 0.5 * (1.0 - y) * box.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        """Axes, the way, where it is now."""
        painter = QPainter(self)
        card(painter, self, self._theme)
        painter.setPen(QPen(self._theme.colour("line"), 1))
        middle = self._box.center()
        painter.drawLine(QPointF(self._box.left(), middle.y()), QPointF(self._box.right(), middle.y()))
        painter.drawLine(QPointF(middle.x(), self._box.top()), QPointF(middle.x(), self._box.bottom()))
        across, up = self.numbers
        if self._moves:
            across, up = tuple(x for _, x, _ in self._moves), tuple(y for _, _, y in self._moves)
        painter.setPen(QPen(self._theme.colour("control"), 1.75))
        painter.drawPolyline(QPolygonF([self._from_plane(x, y) for x, y in zip(across, up, strict=True)]))
        if self._place is not None and not self._moves:
            at = self._place * (len(across) - 1)
            places = np.arange(len(across))
            here = self._from_plane(float(np.interp(at, places, across)), float(np.interp(at, places, up)))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self._theme.colour("text"))
            painter.drawEllipse(here, 4.5, 4.5)
        self._foot(painter, tr("recording: release to finish") if self._moves else tr("press and move to record again"))
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to record."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._moves = [(time.monotonic(), *self._to_plane(event.position()))]

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Record where the hand is, and when."""
        if self._moves:
            self._moves.append((time.monotonic(), *self._to_plane(event.position())))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The movement at even times becomes the gesture; a mere click changes nothing."""
        moves, self._moves = self._moves, []
        self.update()
        if len(moves) < 3 or moves[-1][0] - moves[0][0] < SHORTEST_S:
            return
        times = np.array([at for at, _, _ in moves]) - moves[0][0]
        count = int(min(max(times[-1] * POINTS_PER_S, 8), self._first.most))
        even = np.linspace(0.0, times[-1], count)
        paths = [np.interp(even, times, [move[k] for move in moves]).round(4) for k in (1, 2)]
        self.drawn.emit({self._first.id: tuple(paths[0].tolist()), self._second.id: tuple(paths[1].tolist())})
        self.timed.emit(float(times[-1]))
        self.settled.emit()


class GridField(PlaneField):
    """A grid of notes: click for a hit or a rest, wheel or arrows for the note."""

    def __init__(self, spec: ModuleSpec, theme: Theme) -> None:
        super().__init__(spec, theme)
        self._chosen = (0, 0)
        self.setAccessibleName(tr("Grid of notes"))
        self.setToolTip(
            tr("Click: hit or rest. Wheel, Page Up and Page Down: change the note. Arrows: move between cells.")
        )

    @property
    def _size(self) -> tuple[int, int]:
        values = [self._module.params.get(name, self._spec.param(name).default) for name in ("columns", "rows")]
        return max(1, round(values[0])), max(1, round(values[1]))

    def _cell(self, column: int, row: int) -> QRectF:
        columns, rows = self._size
        wide, tall = self._box.width() / columns, self._box.height() / rows
        box = QRectF(self._box.left() + column * wide, self._box.bottom() - (row + 1) * tall, wide, tall)
        return box.adjusted(1.5, 1.5, -1.5, -1.5)

    def _under(self, at: QPointF) -> tuple[int, int]:
        columns, rows = self._size
        column = int((at.x() - self._box.left()) / self._box.width() * columns)
        row = int((self._box.bottom() - at.y()) / self._box.height() * rows)
        return min(max(column, 0), columns - 1), min(max(row, 0), rows - 1)

    def _describe(self) -> None:
        notes, hits = self.numbers
        at = self._chosen[1] * COLUMNS + self._chosen[0]
        state = tr("hit") if hits[at] >= 0.5 else tr("rest")
        self.setAccessibleDescription(tr("column {chosen}, row {chosen_2}: {note_name}, {state}",
                                         chosen=self._chosen[0] + 1, chosen_2=self._chosen[1] + 1,
                                         note_name=note_name(notes[at]), state=state))  # fmt: skip

    def paintEvent(self, event: QPaintEvent) -> None:
        """The fields: filled where there is a hit; the one that plays in ink."""
        painter = QPainter(self)
        card(painter, self, self._theme)
        notes, hits = self.numbers
        columns, rows = self._size
        playing = -1 if self._place is None else round(self._place * COLUMNS * COLUMNS)
        for row in range(rows):
            for column in range(columns):
                at, box = row * COLUMNS + column, self._cell(column, row)
                hit = hits[at] >= 0.5
                colour = self._theme.colour("text" if at == playing else "pitch")
                if hit or at == playing:
                    painter.setPen(Qt.PenStyle.NoPen)
                    painter.setBrush(colour)
                    painter.drawRoundedRect(box, 3, 3)
                outline(painter, box, self._theme.colour("line"), 1, 3)
                if (column, row) == self._chosen and self.hasFocus():
                    outline(painter, box, self._theme.colour("text"), 2, 3)
                ink = self._theme.colour("on_accent" if hit or at == playing else "text2")
                draw_text(painter, box, note_name(notes[at]), mono(10.5), ink, centre=True)
        self._foot(painter, self.accessibleDescription())
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A rest becomes a hit, a hit a rest."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._choose(*self._under(event.position()))
            self._toggle()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Another note for the field below the mouse."""
        self._choose(*self._under(event.position()))
        self._move(1.0 if event.angleDelta().y() > 0 else -1.0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from field to field, Page up and down change the note, Return the hit."""
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        if event.key() in steps:
            across, up = steps[Qt.Key(event.key())]
            columns, rows = self._size
            self._choose((self._chosen[0] + across) % columns, (self._chosen[1] + up) % rows)
        elif event.key() in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self._move(1.0 if event.key() == Qt.Key.Key_PageUp else -1.0)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._toggle()
        else:
            super().keyPressEvent(event)

    def _choose(self, column: int, row: int) -> None:
        self._chosen = (column, row)
        self._describe()
        self.update()

    def _toggle(self) -> None:
        at = self._chosen[1] * COLUMNS + self._chosen[0]
        hits = list(self.numbers[1])
        hits[at] = 0.0 if hits[at] >= 0.5 else 1.0
        self._give(self._second.id, hits)

    def _move(self, by: float) -> None:
        at = self._chosen[1] * COLUMNS + self._chosen[0]
        notes = list(self.numbers[0])
        notes[at] = min(max(notes[at] + by, self._first.low), self._first.high)
        self._give(self._first.id, notes)

    def _give(self, series: str, values: list[float]) -> None:
        self.drawn.emit({series: tuple(values)})
        self.settled.emit()
