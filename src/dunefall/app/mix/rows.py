"""The rows of the mix under the hand: dragging, wheel, keys, mute and solo."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent

from dunefall.app.build.canvas import TraceSource
from dunefall.app.mix.rowview import Row, RowView, Spot, param_of
from dunefall.app.mix.ruler import WIDTH_W, db_at, gain_db, send_db_at, send_x, x_of_db
from dunefall.app.theme import Theme
from dunefall.patch.mixing import MOST_EFFECTS, effect_lanes, send_of
from dunefall.patch.model import Patch

__all__ = ["MixRows"]

FINE, COARSE = 0.1, 4.0
STEP_DB = 0.5


class MixRows(RowView):
    """All rows, painted; dragging, wheel and keys change them.

    Signals
    -------
    selected (str)
        A layer's output was selected.
    moved (str, dict), settled ()
        Values of a module were moved; the movement ended.
    send_moved (str, str, float)
        A layer's send to a lane, in dB; at the lowest it is off.
    key_asked (str), key_dropped (str)
        "Duck by…" of a layer was asked for; its key was taken away.
    lane_asked (), order_asked (str, int)
        Another effect lane; a layer up or down.
    """

    selected = Signal(str)
    moved = Signal(str, dict)
    settled = Signal()
    send_moved = Signal(str, str, float)
    key_asked = Signal(str)
    key_dropped = Signal(str)
    lane_asked = Signal()
    order_asked = Signal(str, int)

    def __init__(self, patch: Patch, traces: TraceSource, theme: Theme) -> None:
        super().__init__(patch, traces, theme)
        self._grab: tuple[Spot, float, float] | None = None

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
        if spot is None:
            return
        if event.button() == Qt.MouseButton.RightButton:
            if spot.kind == "key":
                self.key_dropped.emit(row.layer.id)
            return
        if spot.kind == "mute":
            self.toggle(row.module.id, "mute")
        elif spot.kind == "solo":
            self.solo(row.module.id, event.modifiers())
        elif spot.kind == "key":
            self.key_asked.emit(row.layer.id)
        else:
            self._grab = (spot, point.x(), self._place(row, spot))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag what was taken; Shift fine, Ctrl coarse."""
        if self._grab is None:
            found = self._spot_at(event.position())
            self._hover = found[1] if found else None
            self.setToolTip(self._hover.tip if self._hover else "")
            return
        spot, x, place = self._grab
        speed = FINE if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        speed *= COARSE if event.modifiers() & Qt.KeyboardModifier.ControlModifier else 1.0
        place += (event.position().x() - x) * speed
        self._grab = (spot, event.position().x(), place)
        self._set(spot, place, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The drag has ended."""
        if self._grab is not None:
            self._grab = None
            self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Back to the default."""
        found = self._spot_at(event.position())
        if found and found[1] and found[1].kind in ("level", "width"):
            name = "level_db" if found[1].kind == "level" else "width"
            self.moved.emit(found[1].module, {name: 0.0 if name == "level_db" else 1.0})
            self.settled.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """The wheel moves what is under the mouse by a step."""
        found = self._spot_at(event.position())
        row, spot = found or (None, None)
        if row is None or spot is None or spot.kind not in ("level", "width", "send"):
            event.ignore()
            return
        steps = 1 if event.angleDelta().y() > 0 else -1
        if spot.kind == "level":
            self._move_level(row, STEP_DB * steps)
        else:
            self._set(spot, self._place(row, spot) + steps * 1.2, False)
        self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and down choose a row; left and right its level; Alt moves the row; M and S."""
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
            self._move_level(row, (STEP_DB if key == Qt.Key.Key_Right else -STEP_DB) * fine)
            self.settled.emit()
        elif key == Qt.Key.Key_M and row:
            self.toggle(row.module.id, "mute")
        elif key == Qt.Key.Key_S and row:
            self.solo(row.module.id, event.modifiers())
        else:
            super().keyPressEvent(event)

    def toggle(self, module: str, param: str) -> None:
        """Mute on or off."""
        found = self._patch.module(module)
        self.moved.emit(module, {param: 0.0 if self._value(found, param) else 1.0})
        self.settled.emit()

    def solo(self, module: str, modifiers: Qt.KeyboardModifier) -> None:
        """Solo on or off; Alt leaves the others faintly, Ctrl ends all other solos."""
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            for row in self._rows:
                if row.module.id != module and self._value(row.module, "solo"):
                    self.moved.emit(row.module.id, {"solo": 0.0})
        on = 2.0 if modifiers & Qt.KeyboardModifier.AltModifier else 1.0
        self.moved.emit(module, {"solo": 0.0 if self._value(self._patch.module(module), "solo") else on})
        self.settled.emit()

    def _move_level(self, row: Row, by: float) -> None:
        param = param_of(row.module, "level_db")
        level = min(max(self._value(row.module, "level_db") + by, param.low), param.high)
        self.moved.emit(row.module.id, {"level_db": round(level, 2)})

    def _place(self, row: Row, spot: Spot) -> float:
        """Where what was taken stands, in px."""
        if spot.kind == "level":
            return x_of_db(self._value(row.module, "level_db"))
        if spot.kind == "width":
            return self._value(row.module, "width") / 1.2 * WIDTH_W / 2
        link = send_of(self._patch, row.layer, self._patch.layer(spot.lane))
        return send_x(gain_db(link.amount)) if link else 0.0

    def _set(self, spot: Spot, place: float, alt: bool) -> None:
        if spot.kind == "level":
            self.moved.emit(spot.module, {"level_db": round(db_at(place), 2)})
        elif spot.kind == "width":
            self.moved.emit(spot.module, {"width": float(np.clip(place / (WIDTH_W / 2) * 1.2, 0.0, 1.2))})
        else:
            layer = self._patch.layer_of(spot.module)
            self.send_moved.emit(layer.id, spot.lane, send_db_at(place))
