"""A parameter's rail: base value, reach of what moves it, and the value now."""

from __future__ import annotations

import random
import re
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRect, QRectF, QSignalBlocker, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QAbstractSlider, QApplication, QInputDialog, QMenu, QSizePolicy, QToolTip, QWidget

from dunefall.app.controls.menus import show_menu
from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import draw_text, outline
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.controls.valuefield import ValueField
from dunefall.base.errors import ParameterError
from dunefall.base.language import inline, tr
from dunefall.base.units import parse_range, parse_value
from dunefall.catalogue.declare import Param

__all__ = ["Rail"]

HEIGHT, TRACK_Y = 40, 29
FINE, COARSE = 0.1, 10.0
STEP = 0.01
PLACES = 1000
FINELY = Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier
GRIP, LEAST_REACH, WIDER = 6, 0.005, 1.1
"""Px beside an end of the reach in which it is taken hold of; the least share of the rail it is dragged to; a key's
step."""


_NAMES = re.compile(r"[,;]|^[A-Za-z]{2,} ")
"""Several values, or one with a name."""


def _no_line(text: str) -> dict[str, float]:
    raise ParameterError(tr("“{text}” is not a value", text=text))


class Rail(QAbstractSlider):
    """One parameter: drag, wheel, keys or typing set it; it shows what moves it. As a slider of Qt's it stands at its
    place on the rail, for screen readers, which set it as well.

    Attributes
    ----------
    parse_line : function of str to dict of str to float
        Reads several values with their names; whoever knows the module provides it.
    offered : bool
        It has the focus without having been asked for: its module is new.

    Signals
    -------
    moved (float)
        The user set another base value.
    line_typed (object)
        Several values of the module were typed, by parameter.
    settled ()
        A drag, a typed value or a key has ended: the next change becomes a separate undo step.
    link_asked ()
        "Move this…" was chosen from the menu.
    reach_scaled (float)
        The reach's end was dragged: what moves the value is to move it so many times as far.
    lock_asked (), movement_copied (), movement_pasted (), learn_asked ()
        Keep the value out of reach of chance; keep what moves it; let it be moved by what was kept, or by the next MIDI
        controller.
    """

    moved = Signal(float)
    line_typed = Signal(object)
    settled = Signal()
    link_asked = Signal()
    reach_scaled = Signal(float)
    lock_asked = Signal()
    movement_copied = Signal()
    movement_pasted = Signal()
    learn_asked = Signal()

    def __init__(
        self, param: Param, value: float, theme: Theme, tempo_bpm: float, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.param = param
        self._value, self._theme, self._tempo_bpm, self._locked = value, theme, tempo_bpm, False
        self._now: float | None = None
        self._reach: tuple[float, float] | None = None
        self._grabbed: tuple[float, float] | None = None
        self._grabbed_end: int | None = None
        self._field: ValueField | None = None
        self.offered = False
        self.parse_line: Callable[[str], dict[str, float]] = _no_line
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(param.name)
        self.setToolTip(f"{param.help or param.name} ({param.allowed})")
        self.setRange(0, len(param.choices) - 1 if param.choices else PLACES)
        self._describe()
        self.valueChanged.connect(self._set_place)
        own_keys(self, Qt.Key.Key_Delete, unless=lambda: self.offered)

    @property
    def value(self) -> float:  # type: ignore[override]
        """The base value."""
        return self._value

    @property
    def held(self) -> bool:
        """Whether the mouse holds it."""
        return self._grabbed is not None

    def set_value(self, value: float) -> None:
        """Show another base value; emits nothing."""
        if value != self._value:
            self._value = value
            self._describe()
            self.update()

    def set_locked(self, locked: bool) -> None:
        """Show that chance leaves the value alone."""
        self._locked = locked
        self._describe()
        self.update()

    def set_now(self, now: float | None) -> None:
        """Show the value now; None where nothing moves it."""
        if now != self._now:
            self._now = now
            self.update()

    def set_reach(self, reach: tuple[float, float] | None) -> None:
        """Show how far links can move it, in the parameter's unit before its hard range cuts it."""
        self._reach = reach
        self.update()

    def _describe(self) -> None:
        locked = [tr("locked against randomising")] if self._locked else []
        self.setAccessibleDescription("; ".join([self.param.format(self._value), self.param.allowed, *locked]))
        with QSignalBlocker(self):
            self.setValue(round(self.param.to_rail(self._value) * self.maximum()))

    def _set_place(self, place: int) -> None:
        """A screen reader has moved it: one undo step."""
        self.settled.emit()
        self._set(self.param.from_rail(place / self.maximum()))
        self.settled.emit()

    # -- painting -----------------------------------------------------------------------------------------------

    def _x(self, value: float) -> float:
        value = min(self.param.high, max(self.param.low, value))
        return 4 + self.param.to_rail(value) * (self.width() - 8)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Label, value, rail, reach, base and dot."""
        theme, param = self._theme, self.param
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.hasFocus():
            outline(painter, QRectF(self.rect()), theme.colour("text"), 2, 4)
        value = param.format(self._value)
        value_width = painter.fontMetrics().horizontalAdvance(value) + 24
        if self._field is None:
            draw_text(
                painter, QRectF(6, 2, self.width() - 12, 18), value, mono(13, 600), theme.colour("text"), right=True
            )
        name = tr("{name} · locked", name=param.name) if self._locked else param.name
        draw_text(painter, QRectF(6, 2, self.width() - 12 - value_width, 18), name, sans(13, 500), theme.colour("text"))
        name_width = painter.fontMetrics().horizontalAdvance(name)
        if self._now is not None:
            room = QRectF(14 + name_width, 3, max(0.0, self.width() - 26 - name_width - value_width), 18)
            draw_text(
                painter, room, tr("now {format}", format=param.format(self._now)), mono(11), theme.colour("text2")
            )
        painter.setPen(QPen(theme.colour("edge"), 2))
        painter.drawLine(4, TRACK_Y, self.width() - 4, TRACK_Y)
        self._draw_reach(painter)
        if param.choices:
            painter.setBrush(theme.colour("raised"))
            for index in range(len(param.choices)):
                painter.drawEllipse(QRectF(self._x(index) - 3, TRACK_Y - 3, 6, 6))
        painter.fillRect(QRectF(self._x(self._value) - 1.5, TRACK_Y - 7, 3, 14), theme.colour("text"))
        if self._now is not None:
            painter.setPen(QPen(theme.colour("raised"), 1.5))
            painter.setBrush(theme.colour("text"))
            painter.drawEllipse(QRectF(self._x(self._now) - 5, TRACK_Y - 5, 10, 10))
        painter.end()

    def _draw_reach(self, painter: QPainter) -> None:
        if self._reach is None:
            return
        low, high = self._reach
        band = QColor(self._theme.colour("control"))
        band.setAlpha(90)
        left, right = self._x(low), self._x(high)
        painter.fillRect(QRectF(left, TRACK_Y - 4, max(2.0, right - left), 8), band)
        for end in (left, right):
            painter.fillRect(QRectF(end - 0.75, TRACK_Y - 6, 1.5, 12), self._theme.colour("control"))
        painter.setPen(QPen(self._theme.colour("hot"), 2))
        if low < self.param.low - 1e-9:
            painter.drawLine(4, TRACK_Y - 6, 4, TRACK_Y + 6)
        if high > self.param.high * (1 + 1e-9):
            painter.drawLine(self.width() - 4, TRACK_Y - 6, self.width() - 4, TRACK_Y + 6)

    # -- changing -----------------------------------------------------------------------------------------------

    def _set(self, value: float) -> None:
        value = min(self.param.high, max(self.param.low, value))
        value = float(round(value)) if self.param.choices else value
        if value != self._value:
            self.set_value(value)
            self.moved.emit(value)

    def _step(self, steps: float, modifiers: Qt.KeyboardModifier) -> None:
        if self.param.choices:
            self._set(self._value + (1 if steps > 0 else -1))
            return
        size = STEP * (FINE if modifiers & FINELY else 1.0)
        self._set(self.param.from_rail(self.param.to_rail(self._value) + steps * size))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the value: dragging is relative."""
        self.offered = False
        if event.button() == Qt.MouseButton.LeftButton:
            self._grabbed_end = self._end_at(event.position())
            self._grabbed = (event.position().x(), self.param.to_rail(self._value))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the value, Shift or Ctrl fine; or an end of the reach."""
        if self._grabbed is None:
            over = self._end_at(event.position()) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)
        elif self._grabbed_end is not None:
            self._drag_reach(self._grabbed_end, event.position().x())
            return
        if self._grabbed is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        x, place = self._grabbed
        speed = FINE if event.modifiers() & FINELY else 1.0
        place += (event.position().x() - x) / max(1, self.width() - 8) * speed
        self._grabbed = (event.position().x(), place)
        self._set(self.param.from_rail(place))

    def _end_at(self, point: QPointF) -> int | None:
        """Which end of the reach is under the mouse, 0 or 1; None if the value itself is closer."""
        if self._reach is None or abs(point.y() - TRACK_Y) > 8:
            return None
        ends, base = [self._x(end) for end in self._reach], self._x(self._value)
        near = min((0, 1), key=lambda k: abs(point.x() - ends[k]))
        distance = abs(point.x() - ends[near])
        return near if distance <= GRIP and distance < abs(point.x() - base) else None

    def _drag_reach(self, end: int, x: float) -> None:
        """Move one end of the reach to a position; it stays on its own side of the value."""
        if self._reach is None:
            return
        param = self.param
        base, was = param.to_domain(self._value), param.to_domain(self._reach[end])
        to = param.to_domain(param.from_rail((x - 4) / max(1, self.width() - 8)))
        least = LEAST_REACH * (param.domain[1] - param.domain[0])
        distance = max(abs(to - base), least) if (to > base) == (was > base) else least
        if was != base:
            self.reach_scaled.emit(distance / abs(was - base))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The drag has ended."""
        self._grabbed = self._grabbed_end = None
        self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """The default; on the value, typing."""
        if event.position().y() < 20 and event.position().x() > self.width() * 0.6:
            self.edit()
        else:
            self.reset()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Step, if the rail has the focus; otherwise the inspector scrolls."""
        if self.hasFocus():
            self._step(event.angleDelta().y() / 120.0, event.modifiers())
            event.accept()
        else:
            event.ignore()

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Whoever comes by Tab has asked for it."""
        if event.reason() in (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason):
            self.offered = False
        super().focusInEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows step, with Alt they scale the reach, Home and End go to the ends, Backspace resets, a digit or Enter
        starts typing."""
        key, modifiers = event.key(), event.modifiers()
        steps = {Qt.Key.Key_Right: 1.0, Qt.Key.Key_Left: -1.0, Qt.Key.Key_Up: 1.0, Qt.Key.Key_Down: -1.0,
                 Qt.Key.Key_PageUp: COARSE, Qt.Key.Key_PageDown: -COARSE}  # fmt: skip
        ends = {Qt.Key.Key_Home: self.param.low, Qt.Key.Key_End: self.param.high}
        if modifiers & Qt.KeyboardModifier.AltModifier and key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.reach_scaled.emit(WIDER if key == Qt.Key.Key_Up else 1 / WIDER)
            self.settled.emit()
        elif key in steps:
            self._step(steps[Qt.Key(key)], modifiers)
        elif key in ends:
            self._set(ends[Qt.Key(key)])
        elif key in (Qt.Key.Key_Backspace, Qt.Key.Key_Delete):
            self.reset()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit()
        elif event.text() and event.text() in "0123456789+-.−":
            self.edit(event.text())
        else:
            super().keyPressEvent(event)

    def reset(self) -> None:
        """Back to the declared default."""
        self.settled.emit()
        self._set(self.param.default)
        self.settled.emit()

    def randomise(self, low: float = 0.0, high: float = 1.0) -> None:
        """Any value of the rail, or of a part of it."""
        self.settled.emit()
        self._set(self.param.from_rail(random.uniform(low, high)))
        self.settled.emit()

    def _ask_randomise(self) -> None:
        """Any value between two that are typed."""
        param = self.param
        now = tr("{format} to {format_2}", format=param.format(param.low), format_2=param.format(param.high))
        text, good = QInputDialog.getText(
            self, tr("Randomise {name}", name=inline(param.name)), tr("From … to …"), text=now
        )
        if not good:
            return
        try:
            ends = parse_range(text, param.unit, tempo_bpm=self._tempo_bpm, such_as=now)
        except ParameterError as error:
            QToolTip.showText(self.mapToGlobal(self.rect().bottomLeft()), str(error), self)
            return
        self.randomise(*sorted(param.to_rail(min(max(end, param.low), param.high)) for end in ends))

    def edit(self, text: str = "") -> None:
        """Type a value in place of the shown one."""
        if self._field is not None:
            return
        self._field = ValueField(
            text or self.param.format(self._value), tr("Value of {name}", name=self.param.name), self
        )
        self._field.returnPressed.connect(self._typed)
        self._field.left.connect(self._end_edit)
        self._field.open(QRect(self.width() // 2, 0, self.width() // 2, 24), chosen=not text)

    def _typed(self) -> None:
        assert self._field is not None
        param, text = self.param, self._field.text()
        try:
            value = parse_value(text, param.unit, choices=param.choices, tempo_bpm=self._tempo_bpm)
            values = {param.id: param.typed(value, tr("this module"))}
        except ParameterError as error:
            try:
                values = self.parse_line(text)
            except ParameterError as line_error:
                worse = line_error if _NAMES.search(text) else error
                allowed = tr("{name} can be {allowed}.", name=param.name, allowed=param.allowed)
                self._field.refuse(allowed if worse.allowed == param.allowed else str(worse))
                return
        self._end_edit()
        self.settled.emit()
        own = values.pop(param.id, None)
        if values:
            self.line_typed.emit(values if own is None else {param.id: own, **values})
        elif own is not None:
            self._set(own)
        self.settled.emit()

    def _paste(self) -> None:
        """Take the clipboard's text as if it were typed."""
        self.edit(QApplication.clipboard().text().strip()[:60] or "?")
        self._typed()

    def _end_edit(self) -> None:
        """Put the field away."""
        field, self._field = self._field, None
        if field is not None:
            field.close_to(self)
            self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the field at the right."""
        if self._field is not None:
            self._field.setGeometry(self.width() // 2, 0, self.width() // 2, 24)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Open the menu."""
        show_menu(self.menu(), event.globalPos())

    def menu(self) -> QMenu:
        """Everything that can be done with the value."""
        menu = QMenu(self)
        menu.addAction(tr("Type a value…"), lambda: self.edit())
        menu.addAction(tr("Reset to {format}", format=self.param.format(self.param.default)), self.reset)
        menu.addAction(tr("Randomise"), lambda: self.randomise())
        if not self.param.choices:
            menu.addAction(tr("Randomise within…"), self._ask_randomise)
        lock = menu.addAction(tr("Locked against randomising"), self.lock_asked.emit)
        lock.setCheckable(True)
        lock.setChecked(self._locked)
        menu.addAction(tr("Copy the value"), lambda: QApplication.clipboard().setText(self.param.format(self._value)))
        menu.addAction(tr("Paste a value"), self._paste)
        menu.addSeparator()
        menu.addAction(tr("Move this…"), self.link_asked.emit)
        menu.addAction(tr("Learn a MIDI controller…"), self.learn_asked.emit)
        menu.addAction(tr("Copy its movement"), self.movement_copied.emit)
        menu.addAction(tr("Paste a movement"), self.movement_pasted.emit)
        return menu
