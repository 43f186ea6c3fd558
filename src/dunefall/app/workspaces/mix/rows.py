"""The rows of the mix under the hand: dragging, wheel, keys, mute and solo."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QPointF, QRect, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent

from dunefall.app.controls.live import TraceSource
from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.theme import Theme
from dunefall.app.controls.valuefield import ValueField
from dunefall.app.workspaces.mix.rowview import Row, RowView, Spot, param_of
from dunefall.app.workspaces.mix.ruler import (
    SEND_LOW_DB,
    WIDTH_W,
    db_at,
    gain_db,
    send_db_at,
    send_x,
    x_of_db,
)
from dunefall.base.errors import ParameterError
from dunefall.base.language import capital, tr
from dunefall.base.units import format_value, parse_value
from dunefall.patch.mixing import MOST_EFFECTS, effect_lanes, send_of
from dunefall.patch.model import Patch

__all__ = ["MixRows"]

FINE = 0.1
STEP_DB = 0.5
FIELD_W = 84


class MixRows(RowView):
    """All rows, painted; dragging, wheel and keys change them.

    Signals
    -------
    selected (str)
        A layer's output was selected.
    moved (dict), settled ()
        Values of some modules were moved; the movement ended. Rows of a group move together, with Alt alone.
    group_asked (str)
        The group of a layer was asked for.
    send_moved (str, str, float)
        A layer's send to a lane, in dB; at the lowest it is off.
    key_asked (str), key_dropped (str)
        "Duck by…" of a layer was asked for; its key was taken away.
    lane_asked (), order_asked (str, int)
        Another effect lane; a layer up or down.
    """

    selected = Signal(str)
    moved = Signal(dict)
    group_asked = Signal(str)
    settled = Signal()
    send_moved = Signal(str, str, float)
    key_asked = Signal(str)
    key_dropped = Signal(str)
    lane_asked = Signal()
    order_asked = Signal(str, int)

    def __init__(self, patch: Patch, traces: TraceSource, theme: Theme) -> None:
        super().__init__(patch, traces, theme)
        self._grab: tuple[Spot, float, float] | None = None
        self._touched: Spot | None = None
        self._field: ValueField | None = None
        alone = Qt.KeyboardModifier.AltModifier
        own_keys(self, Qt.Key.Key_M, Qt.Key.Key_S, Qt.Key.Key_G, alone | Qt.Key.Key_Left, alone | Qt.Key.Key_Right)

    def select(self, module: str) -> None:
        """Show which layer is selected; what is typed is its level, until something else of it is touched."""
        before = self._selection
        super().select(module)
        self._touched = self._touched if self._selection == before else None

    # -- changing -----------------------------------------------------------------------------------------------

    def _spot_at(self, point: QPointF) -> tuple[Row, Spot | None] | None:
        for row in self._rows:
            if row.y <= point.y() <= row.y + row.height:
                return row, next((spot for spot in row.spots if spot.box.contains(point)), None)
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Select a row; take hold of what is under the mouse."""
        point, found = event.position(), self._spot_at(event.position())
        if found is None:
            if point.y() >= self._add_y and len(effect_lanes(self._patch)) < MOST_EFFECTS:
                self.lane_asked.emit()
            return
        row, spot = found
        self.selected.emit(row.module.id)
        if event.button() == Qt.MouseButton.RightButton:
            if spot is not None and spot.kind == "key":
                self.key_dropped.emit(row.layer.id)
            elif not row.layer.effects:
                self.group_asked.emit(row.layer.id)
            return
        if spot is None:
            return
        if spot.kind == "mute":
            self.toggle(row, "mute")
        elif spot.kind == "solo":
            self.solo(row, event.modifiers())
        elif spot.kind == "key":
            self.key_asked.emit(row.layer.id)
        else:
            self._grab, self._touched = (spot, point.x(), self._place(row, spot)), spot

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag what was taken; Shift or Ctrl fine."""
        if self._grab is None:
            found = self._spot_at(event.position())
            self._hover = found[1] if found else None
            self.setToolTip(self._hover.tip if self._hover else "")
            return
        spot, x, place = self._grab
        finely = Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier
        speed = FINE if event.modifiers() & finely else 1.0
        place += (event.position().x() - x) * speed
        self._grab = (spot, event.position().x(), place)
        self._set(spot, place, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The drag has ended."""
        if self._grab is not None:
            self._grab = None
            self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Back to the default: level and width as declared, a send off."""
        row, spot = self._spot_at(event.position()) or (None, None)
        if row is None or spot is None:
            return
        if spot.kind == "send":
            self.send_moved.emit(row.layer.id, spot.lane, SEND_LOW_DB)
        elif spot.kind in ("level", "width"):
            name = "level_db" if spot.kind == "level" else "width"
            self.moved.emit({spot.module: {name: param_of(row.module, name).default}})
        self.settled.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """The wheel moves what is under the mouse by a step, if the rows have the focus; else the page scrolls."""
        found = self._spot_at(event.position())
        row, spot = found or (None, None)
        if not self.hasFocus() or row is None or spot is None or spot.kind not in ("level", "width", "send"):
            event.ignore()
            return
        steps = 1 if event.angleDelta().y() > 0 else -1
        if spot.kind == "level":
            self._move_level(row, STEP_DB * steps, alone=_alt(event))
        else:
            self._set(spot, self._place(row, spot) + steps * 1.2, False)
        self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and down choose a row; left and right its level; Alt moves the row; M and S; a digit or Enter types."""
        key, names = event.key(), [row.layer.id for row in self._rows]
        here = names.index(self._selection) if self._selection in names else -1
        row = self._rows[here] if here >= 0 else None
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self._rows:
            by = -1 if key == Qt.Key.Key_Up else 1
            if event.modifiers() & Qt.KeyboardModifier.AltModifier and row:
                self.order_asked.emit(row.layer.id, by)
            else:
                self.selected.emit(self._rows[max(0, min(len(names) - 1, here + by))].module.id)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and row:
            fine = FINE if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            step = (STEP_DB if key == Qt.Key.Key_Right else -STEP_DB) * fine
            self._move_level(row, step, alone=_alt(event))
            self.settled.emit()
        elif row and (key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) or (event.text() or "?") in "0123456789-−"):
            self.edit(row, event.text().strip())
        elif key == Qt.Key.Key_M and row:
            self.toggle(row, "mute")
        elif key == Qt.Key.Key_G and row and not row.layer.effects:
            self.group_asked.emit(row.layer.id)
        elif key == Qt.Key.Key_S and row:
            self.solo(row, event.modifiers())
        else:
            super().keyPressEvent(event)

    def edit(self, row: Row, begun: str = "") -> None:
        """Type the level of a row, or its send that was touched last, in its place."""
        if self._field is not None:
            return
        touched = self._touched if self._touched and self._touched.module == row.module.id else None
        spot = touched or next(spot for spot in row.spots if spot.kind == "level")
        name = tr("{kind} of {name}", kind=capital(tr(spot.kind)), name=row.layer.name)
        self._field = ValueField(begun or self._text_of(row, spot), name, self)
        self._field.returnPressed.connect(partial(self._typed, row, spot))
        self._field.left.connect(self._end_edit)
        box = QRect(round(spot.box.right()) - FIELD_W, round(spot.box.top()), FIELD_W, 24)
        self._field.open(box, chosen=not begun)

    def _text_of(self, row: Row, spot: Spot) -> str:
        if spot.kind == "width":
            return param_of(row.module, "width").format(self._value(row.module, "width"))
        if spot.kind == "level":
            return format_value(self._value(row.module, "level_db"), "db")
        link = send_of(self._patch, row.layer, self._patch.layer(spot.lane))
        return format_value(gain_db(link.amount), "db") if link else tr("off")

    def _typed(self, row: Row, spot: Spot) -> None:
        assert self._field is not None
        text = self._field.text().strip()
        try:
            if spot.kind == "send":
                level = SEND_LOW_DB if text.lower() in ("off", tr("off").lower()) else parse_value(text, "db")
                if not SEND_LOW_DB <= level <= 0.0:
                    lowest = format_value(SEND_LOW_DB, "db")
                    raise ParameterError(tr("a send can be {lowest} to 0 dB, or off", lowest=lowest))
                self.send_moved.emit(row.layer.id, spot.lane, level)
            else:
                param = param_of(row.module, "level_db" if spot.kind == "level" else "width")
                value = param.typed(parse_value(text, param.unit), row.layer.name)
                if spot.kind == "level":
                    self._move_level(row, value - self._value(row.module, "level_db"), alone=False)
                else:
                    self.moved.emit({row.module.id: {"width": value}})
        except ParameterError as error:
            self._field.refuse(str(error))
            return
        self._end_edit()
        self.settled.emit()

    def _end_edit(self) -> None:
        """Put the field away."""
        field, self._field = self._field, None
        if field is not None:
            field.close_to(self)

    def _together(self, row: Row) -> list[Row]:
        """The rows that move with one: those of its group."""
        alike = [other for other in self._rows if row.layer.group and other.layer.group == row.layer.group]
        return alike or [row]

    def toggle(self, row: Row, param: str) -> None:
        """Mute on or off, of the whole group."""
        on = 0.0 if self._value(row.module, param) else 1.0
        self.moved.emit({other.module.id: {param: on} for other in self._together(row)})
        self.settled.emit()

    def solo(self, row: Row, modifiers: Qt.KeyboardModifier) -> None:
        """Solo on or off, of the whole group; Alt leaves the others faintly, Ctrl ends all other solos."""
        values: dict[str, dict[str, float]] = {}
        own = [other.module.id for other in self._together(row)]
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            soloed = (other.module.id for other in self._rows if self._value(other.module, "solo"))
            values = {module: {"solo": 0.0} for module in soloed if module not in own}
        on = 2.0 if modifiers & Qt.KeyboardModifier.AltModifier else 1.0
        values |= {module: {"solo": 0.0 if self._value(row.module, "solo") else on} for module in own}
        self.moved.emit(values)
        self.settled.emit()

    def _move_level(self, row: Row, by: float, *, alone: bool) -> None:
        """Move a row's level, and by as much those of its group."""
        values = {}
        for other in [row] if alone else self._together(row):
            param = param_of(other.module, "level_db")
            level = min(max(self._value(other.module, "level_db") + by, param.low), param.high)
            values[other.module.id] = {"level_db": round(level, 2)}
        self.moved.emit(values)

    def _place(self, row: Row, spot: Spot) -> float:
        """The px position of whatever is being dragged."""
        if spot.kind == "level":
            return x_of_db(self._value(row.module, "level_db"))
        if spot.kind == "width":
            return self._value(row.module, "width") / 1.2 * WIDTH_W / 2
        link = send_of(self._patch, row.layer, self._patch.layer(spot.lane))
        return send_x(gain_db(link.amount)) if link else 0.0

    def _set(self, spot: Spot, place: float, alt: bool) -> None:
        row = next(row for row in self._rows if row.module.id == spot.module)
        if spot.kind == "level":
            self._move_level(row, db_at(place) - self._value(row.module, "level_db"), alone=alt)
        elif spot.kind == "width":
            self.moved.emit({spot.module: {"width": float(np.clip(place / (WIDTH_W / 2) * 1.2, 0.0, 1.2))}})
        else:
            self.send_moved.emit(row.layer.id, spot.lane, send_db_at(place))


def _alt(event: QKeyEvent | QWheelEvent) -> bool:
    return bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
