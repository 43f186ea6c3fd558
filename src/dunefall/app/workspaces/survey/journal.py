"""What was done by hand in the take, in lanes under the plots and on their axis: hear, move, mute, remove, copy."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QKeyCombination, QLineF, QPoint, QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QWidget

from dunefall.app.controls.accessible import PaintedPart, tell_focus
from dunefall.app.controls.menus import show_menu
from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import draw_text, outline, text_width
from dunefall.app.controls.theme import Theme, sans
from dunefall.app.workspaces.survey.axis import Axis
from dunefall.app.workspaces.survey.plot import DRAG_PX, HEAD_W, LEFT, STEPS
from dunefall.base.language import tr, tr_count
from dunefall.base.words import time_told
from dunefall.session.lanes import Lane, Mark

__all__ = ["ROW", "JournalLanes"]

Times = NDArray[np.float64]
ROW, NEAR_PX, TICK_W, BOX_W = 26, 7.0, 2.0, 7.0


class JournalLanes(QWidget):
    """The lanes, one for each thing that was moved by hand.

    Signals
    -------
    chosen_changed ()
        Another entry is chosen, or none.
    hear_asked (float)
        Hear from a time in seconds.
    move_asked (int, int), copy_asked (int, int)
        An entry, and the sample where it is to be.
    action_asked (str, int)
        ``hear``, ``change``, ``mute``, ``copy``, ``remove`` or ``show``, and the entry.
    """

    chosen_changed = Signal()
    hear_asked = Signal(float)
    move_asked = Signal(int, int)
    copy_asked = Signal(int, int)
    action_asked = Signal(str, int)

    def __init__(self, theme: Theme, axis: Axis) -> None:
        super().__init__()
        self._theme, self._axis = theme, axis
        self.lanes: Sequence[Lane] = ()
        self.rate_hz, self.playhead, self.chosen = 48000.0, 0.0, -1
        self._lane = self._top = 0
        self._courses: list[tuple[Times, Times, NDArray[np.bool_]]] = []
        self._picture: QPixmap | None = None
        self._drawn = (0.0, 0.0, 0.0)
        self._pressed: QPointF | None = None
        self._moved: float | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Done by hand"))
        self.setToolTip(tr("Click: choose an entry, or hear from there. Drag: move it; with Ctrl: copy it. "
                           "M: mute. Delete: remove. Wheel at the left: more lanes"))  # fmt: skip
        keys = (Qt.Key.Key_Delete, Qt.Key.Key_M, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Up, Qt.Key.Key_Down)
        moves = (QKeyCombination(Qt.KeyboardModifier.AltModifier, key) for key in (Qt.Key.Key_Left, Qt.Key.Key_Right))
        own_keys(self, *keys, *moves)

    # -- what is shown ----------------------------------------------------------------------------------------------

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.redraw()

    def show_lanes(self, lanes: Sequence[Lane], rate_hz: float) -> None:
        """Show these lanes; what was chosen stays chosen while it is there."""
        self.lanes, self.rate_hz = lanes, rate_hz
        if self._find(self.chosen) is None:
            self.choose(-1)
        self._top = max(0, min(self._top, len(lanes) - self.rows))
        self._lane = min(self._lane, max(len(lanes) - 1, 0))
        self._courses = [
            (
                np.array([mark.at for mark in lane.marks]) / rate_hz,
                np.array([np.nan if mark.share is None else mark.share for mark in lane.marks]),
                np.array([mark.muted for mark in lane.marks]),
            )
            for lane in lanes
        ]
        self.redraw()

    def redraw(self) -> None:
        """Draw the lanes anew."""
        self._picture = None
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """There is room for other lanes."""
        self._top = max(0, min(self._top, len(self.lanes) - self.rows))
        self.redraw()
        super().resizeEvent(event)

    def show_playhead(self, seconds: float) -> None:
        """The sound is here now."""
        before, self.playhead = self.playhead, seconds
        if abs(self._axis.x(before) - self._axis.x(seconds)) > 0.2:
            self.update()

    @property
    def rows(self) -> int:
        """How many lanes there is room for."""
        return max(1, self.height() // ROW)

    def choose(self, index: int) -> None:
        """Choose an entry; -1: none."""
        if index != self.chosen:
            self.chosen = index
            self.update()
            self.chosen_changed.emit()

    def _find(self, index: int) -> tuple[int, Mark] | None:
        """The lane and the mark of an entry: in the lane that has the keys, where it is in several."""
        order = sorted(range(len(self.lanes)), key=lambda k: k != self._lane)
        places = ((k, mark) for k in order for mark in self.lanes[k].marks if mark.number == index)
        return next(places, None) if index >= 0 else None

    def _x(self, mark: Mark) -> float:
        return self._axis.x(mark.at / self.rate_hz)

    def _box(self, row: int) -> QRectF:
        return QRectF(LEFT, row * ROW, self._axis.width, ROW)

    # -- painting ---------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """The lanes from a picture, then what moves."""
        ratio, theme = self.devicePixelRatioF(), self._theme
        part = self._axis.first, self._axis.last, self._axis.width
        if self._picture is None or part != self._drawn:
            self._drawn = part
            self._picture = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
            self._picture.setDevicePixelRatio(ratio)
            self._picture.fill(theme.colour("ground"))
            still = QPainter(self._picture)
            still.setRenderHint(QPainter.RenderHint.Antialiasing)
            still.setPen(QPen(theme.colour("line"), 1))
            still.setBrush(theme.colour("card"))
            still.drawRoundedRect(QRectF(8, 0.5, self.width() - 16, self.height() - 1), 6, 6)
            still.drawLine(QLineF(HEAD_W + 8, 0, HEAD_W + 8, self.height()))
            for row, lane in enumerate(self.lanes[self._top : self._top + self.rows]):
                self._draw_lane(still, self._box(row), lane, self._top + row)
            still.end()
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._picture)
        self._draw_chosen(painter)
        x = self._axis.x(self.playhead)
        if LEFT <= x <= LEFT + self._axis.width:
            painter.fillRect(QRectF(x - 0.9, 0, 1.8, self.height()), theme.colour("text"))
        if self.hasFocus():
            outline(painter, QRectF(self.rect()).adjusted(1, 0, -1, 0), theme.colour("text"), 2, 4)
        painter.end()

    def _draw_lane(self, painter: QPainter, box: QRectF, lane: Lane, number: int) -> None:
        theme = self._theme
        strong, quiet = theme.colour("text"), theme.colour("text2")
        if number == self._lane and self.hasFocus():
            painter.fillRect(QRectF(9, box.y(), HEAD_W - 2, box.height()), theme.colour("raised"))
        if box.bottom() < self.height() - 2:
            painter.fillRect(QRectF(9, box.bottom() - 1, self.width() - 18, 1), theme.colour("line"))
        width = min(text_width(lane.name, sans(12, 600)) + 5, 96 if lane.part else HEAD_W - 10)
        draw_text(painter, QRectF(16, box.y(), width, ROW), lane.name, sans(12, 600), strong)
        draw_text(painter, QRectF(16 + width, box.y(), HEAD_W - 10 - width, ROW), lane.part, sans(11), quiet)
        painter.save()
        painter.setClipRect(box)
        self._draw_course(painter, box, number)
        painter.restore()

    def _draw_course(self, painter: QPainter, box: QRectF, number: int) -> None:
        """The value from one entry to the next as steps, a tick for each entry; of those of one column of pixels the
        last one."""
        at, share, muted = self._courses[number]
        first, last = np.searchsorted(at, (self._axis.first, self._axis.last))
        part = slice(max(int(first) - 1, 0), int(last))
        x = LEFT + (at[part] - self._axis.first) / self._axis.span * self._axis.width
        shown = np.append(np.diff(np.floor(x)) != 0, True)
        x, share, muted = x[shown], share[part][shown], muted[part][shown]
        y = np.where(np.isnan(share), box.center().y(), box.bottom() - 5 - share * (box.height() - 10))
        held = ~muted & ~np.isnan(share)
        corners = [*zip(x[held], y[held], strict=True), (box.right(), None)]
        steps = []
        for (a, b), (c, d) in pairwise(corners):
            steps.append(QLineF(a, b, c, b))
            if d is not None:
                steps.append(QLineF(c, b, c, d))
        painter.setPen(QPen(self._theme.colour("edge"), 1.25))
        painter.drawLines(steps)
        painter.setPen(QPen(self._theme.colour("text"), TICK_W))
        painter.drawLines([QLineF(a, b - 5, a, b + 5) for a, b, off in zip(x, y, muted, strict=True) if not off])
        for a, b in zip(x[muted], y[muted], strict=True):
            outline(painter, QRectF(a - 3.5, b - 3.5, 7, 7), self._theme.colour("edge"), 1.25, 3.5)

    def _draw_chosen(self, painter: QPainter) -> None:
        """A frame around the entry, where it is or is carried to."""
        found = self._find(self.chosen)
        if found is None:
            return
        x, box = self._x(found[1]) + (self._moved or 0.0), self._box(found[0] - self._top)
        if LEFT - BOX_W <= x <= box.right() + BOX_W:
            frame = QRectF(x - BOX_W, box.y() + 2, 2 * BOX_W, box.height() - 5)
            outline(painter, frame, self._theme.colour("text"), 1.75, 4, dashed=self._moved is not None)

    # -- by mouse ---------------------------------------------------------------------------------------------------

    def _mark_at(self, point: QPointF) -> Mark | None:
        """The entry under the pointer, the nearest one."""
        number = self._top + int(point.y() // ROW)
        if not 0 <= number < len(self.lanes) or point.x() < LEFT - NEAR_PX:
            return None
        near = [mark for mark in self.lanes[number].marks if abs(self._x(mark) - point.x()) <= NEAR_PX]
        self._lane = number
        return min(near, key=lambda mark: abs(self._x(mark) - point.x())) if near else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose an entry, or begin to move it."""
        mark = self._mark_at(event.position())
        self.choose(mark.number if mark else -1)
        if event.button() == Qt.MouseButton.LeftButton and event.position().x() >= LEFT - NEAR_PX:
            self._pressed = event.position()
        self.redraw()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Carry the entry along."""
        if self._pressed is None or self.chosen < 0:
            return
        by = event.position().x() - self._pressed.x()
        if self._moved is not None or abs(by) > DRAG_PX:
            self._moved = by
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """It is here now, or a copy of it; without an entry, hear from there."""
        pressed, by = self._pressed, self._moved
        self._pressed = self._moved = None
        if pressed is None:
            return
        found = self._find(self.chosen)
        if found is None:
            self.hear_asked.emit(self._axis.seconds(pressed.x()))
        elif by is not None:
            copies = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
            self._ask_place(found[1], self._axis.seconds(self._x(found[1]) + by), copies=copies)
        self.update()

    def _ask_place(self, mark: Mark, seconds: float, *, copies: bool = False) -> None:
        (self.copy_asked if copies else self.move_asked).emit(mark.number, round(max(seconds, 0.0) * self.rate_hz))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with an entry."""
        at = event.globalPos()
        if event.reason() == QContextMenuEvent.Reason.Keyboard:
            found = self._find(self.chosen)
            at = self.mapToGlobal(QPoint(round(self._x(found[1])), (found[0] - self._top) * ROW)) if found else at
        elif mark := self._mark_at(QPointF(event.pos())):
            self.choose(mark.number)
        if self.chosen < 0:
            return
        menu, found = QMenu(self), self._find(self.chosen)
        muted = found is not None and found[1].muted
        for action, text in (
            ("hear", tr("Hear it")), ("change", tr("Change its value…")),
            ("mute", tr("Let it happen") if muted else tr("Mute")),
            ("copy", tr("Copy to the playhead")), ("remove", tr("Remove")), ("show", tr("Show its module in Build")),
        ):  # fmt: skip
            menu.addAction(text, partial(self.action_asked.emit, action, self.chosen))
        show_menu(menu, at)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """At the left: other lanes; else what the plots do with it."""
        if event.position().x() < LEFT:
            step = -1 if event.angleDelta().y() > 0 else 1
            self._top = max(0, min(self._top + step, len(self.lanes) - self.rows))
            self.redraw()
            event.accept()
        else:
            event.ignore()

    # -- by keys ----------------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows choose an entry or a lane, with Alt they move it; Enter hears it, M mutes, Delete removes."""
        key, alt = Qt.Key(event.key()), bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        actions = {
            Qt.Key.Key_Delete: "remove", Qt.Key.Key_M: "mute", Qt.Key.Key_Return: "hear", Qt.Key.Key_Enter: "hear",
        }  # fmt: skip
        found = self._find(self.chosen)
        if key in actions and found is not None:
            self.action_asked.emit(actions[key], self.chosen)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and alt and found is not None:
            by = self._axis.span / STEPS * (-1 if key == Qt.Key.Key_Left else 1)
            self._ask_place(found[1], found[1].at / self.rate_hz + by)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and not alt:
            self._go(-1 if key == Qt.Key.Key_Left else 1)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.lanes:
            self._lane = min(max(self._lane + (1 if key == Qt.Key.Key_Down else -1), 0), len(self.lanes) - 1)
            self._top = min(max(self._top, self._lane - self.rows + 1), self._lane)
            self._go(0)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """The lane that has the keys is marked."""
        self.redraw()
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """No lane is marked."""
        self.redraw()
        super().focusOutEvent(event)

    def _go(self, by: int) -> None:
        """Choose another entry of the lane that has the keys: the next, the one before, or the nearest."""
        marks = self.lanes[self._lane].marks if self.lanes else []
        if not marks:
            return
        found = self._find(self.chosen)
        if found is not None and found[0] == self._lane and by:
            place = min(max(marks.index(found[1]) + by, 0), len(marks) - 1)
        else:
            at = found[1].at if found is not None else self.playhead * self.rate_hz
            place = min(range(len(marks)), key=lambda k: abs(marks[k].at - at))
        self._axis.reveal(marks[place].at / self.rate_hz)
        self.choose(marks[place].number)
        self.redraw()
        tell_focus(self)

    def painted_parts(self) -> list[PaintedPart]:
        """Each lane, and the entry that is chosen."""
        parts = []
        for row, lane in enumerate(self.lanes[self._top : self._top + self.rows]):
            name = f"{lane.name} {lane.part}".strip()
            box = QRect(8, row * ROW, self.width() - 16, ROW)
            parts.append(PaintedPart(name, tr_count("{count} entry", "{count} entries", len(lane.marks)), box))
        found = self._find(self.chosen)
        if found is not None and found[0] >= self._top:
            x, y = round(self._x(found[1])), (found[0] - self._top) * ROW
            when = time_told(found[1].at / self.rate_hz)
            told = tr("{name}, muted", name=when) if found[1].muted else when
            parts.append(PaintedPart(tr("Chosen entry"), told, QRect(x - 7, y, 14, ROW), chosen=True))
        return parts
