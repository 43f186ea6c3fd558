"""The master's four bands as a curve, with a handle for each."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QWidget

from dunefall.app.controls.painting import draw_text
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.base.language import tr
from dunefall.base.units import format_value
from dunefall.catalogue import spec_of
from dunefall.dsp.equaliser import FLAT, HIGH, LOW, MIDDLE, band_levels_db
from dunefall.patch.mixing import master_of
from dunefall.patch.model import Patch

__all__ = ["MasterCurve"]

RATE, LOW_HZ, HIGH_HZ, REACH_DB = 48000.0, 20.0, 20000.0, 18.0
HEAD, HANDLE, GRAB = 18.0, 5.0, 12.0
STEP_OCTAVES, STEP_DB, STEP_Q = 1 / 12, 0.5, 1.1


class Band(NamedTuple):
    """A band by the names of its values; a shelf has no Q."""

    kind: int
    hz: str
    db: str
    q: str = ""


BANDS = (
    Band(LOW, "low_hz", "low_db"), Band(MIDDLE, "a_hz", "a_db", "a_q"),
    Band(MIDDLE, "b_hz", "b_db", "b_q"), Band(HIGH, "high_hz", "high_db"),
)  # fmt: skip


class MasterCurve(QWidget):
    """The curve; handles are dragged, or chosen by Tab and moved by arrows.

    Signals
    -------
    moved (dict), settled ()
        Values of the master; the movement ended.
    """

    moved = Signal(dict)
    settled = Signal()

    def __init__(self, patch: Patch, theme: Theme) -> None:
        super().__init__()
        self._patch, self._theme = patch, theme
        self._grab, self._chosen = -1, 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Bands of the master"))
        self.setToolTip(
            tr(
                "Drag a handle; the wheel makes a bell narrower; double-click makes its band flat. Keys: 1 to 4 "
                "choose a "
                "band, arrows move it, plus and minus its Q"
            )
        )

    def set_patch(self, patch: Patch) -> None:
        """Show this patch."""
        self._patch = patch
        self.setAccessibleDescription(self.told)
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.update()

    @property
    def told(self) -> str:
        """The chosen band in words."""
        band = BANDS[self._chosen]
        hz, db = format_value(self._value(band.hz), "hz"), format_value(self._value(band.db), "db")
        return f"{hz}  {db}" + (f"  Q {self._value(band.q):.1f}" if band.q else "")

    def _value(self, param: str) -> float:
        spec, module = spec_of("master"), master_of(self._patch)
        assert spec is not None
        return (module.params if module else {}).get(param, spec.param(param).default)

    # -- painting -----------------------------------------------------------------------------------------------

    def point_of(self, hz: float, db: float) -> QPointF:
        """Where a frequency and a level are, in px."""
        x = self.width() * math.log(hz / LOW_HZ) / math.log(HIGH_HZ / LOW_HZ)
        height = self.height() - HEAD
        return QPointF(x, HEAD + height / 2 * (1 - db / REACH_DB))

    def _handle(self, band: Band) -> QPointF:
        return self.point_of(self._value(band.hz), self._value(band.db))

    def paintEvent(self, event: QPaintEvent) -> None:
        """Ground, middle, curve, handles."""
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        head = QRectF(0, 0, self.width(), 16)
        draw_text(painter, head, tr("Bands"), sans(12, 600), theme.colour("text"))
        draw_text(painter, head, self.told, mono(11, 400), theme.colour("text2"), right=True)
        box = QRectF(0, HEAD, self.width(), self.height() - HEAD)
        painter.fillRect(box, theme.colour("ground"))
        painter.setClipRect(box)
        painter.setPen(QPen(theme.colour("line"), 1))
        for hz in (100.0, 1000.0, 10000.0):
            x = self.point_of(hz, 0.0).x()
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        middle = self.point_of(LOW_HZ, 0.0).y()
        painter.drawLine(QPointF(0, middle), QPointF(self.width(), middle))
        across = np.geomspace(LOW_HZ, HIGH_HZ, 96)
        total = np.zeros(len(across))
        for band in BANDS:
            q = self._value(band.q) if band.q else FLAT
            total += band_levels_db(band.kind, self._value(band.hz), self._value(band.db), q, across, RATE)
        points = [self.point_of(float(hz), float(db)) for hz, db in zip(across, total, strict=True)]
        faint = theme.colour("audio")
        faint.setAlphaF(0.25)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(faint)
        painter.drawPolygon(QPolygonF([QPointF(0, middle), *points, QPointF(self.width(), middle)]))
        painter.setPen(QPen(theme.colour("audio"), 1.5))
        painter.drawPolyline(points)
        for k, band in enumerate(BANDS):
            painter.setPen(QPen(theme.colour("text"), 2 if k == self._chosen and self.hasFocus() else 1))
            painter.setBrush(theme.colour("text" if k == self._chosen else "card"))
            painter.drawEllipse(self._handle(band), HANDLE, HANDLE)
        painter.end()

    # -- changing -----------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the nearest handle."""
        away = [math.dist(event.position().toTuple(), self._handle(band).toTuple()) for band in BANDS]
        if min(away) <= GRAB:
            self._grab = self._chosen = away.index(min(away))
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag it."""
        if self._grab >= 0:
            at = event.position()
            hz = LOW_HZ * (HIGH_HZ / LOW_HZ) ** (at.x() / self.width())
            db = REACH_DB * (1 - 2 * (at.y() - HEAD) / (self.height() - HEAD))
            self._set(self._grab, hz, db)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The drag has ended."""
        if self._grab >= 0:
            self._grab = -1
            self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """The band under the mouse does nothing."""
        self.mousePressEvent(event)
        if self._grab >= 0:
            self.moved.emit({BANDS[self._grab].db: 0.0})
            self.mouseReleaseEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Narrower or wider."""
        self._narrow(STEP_Q if event.angleDelta().y() > 0 else 1 / STEP_Q)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """1 to 4 choose a band, arrows move it, plus and minus change its Q."""
        key, band = event.key(), BANDS[self._chosen]
        octaves = {Qt.Key.Key_Left: -STEP_OCTAVES, Qt.Key.Key_Right: STEP_OCTAVES}.get(Qt.Key(key), 0.0)
        decibels = {Qt.Key.Key_Down: -STEP_DB, Qt.Key.Key_Up: STEP_DB}.get(Qt.Key(key), 0.0)
        if Qt.Key.Key_1 <= key <= Qt.Key.Key_4:
            self._chosen = key - Qt.Key.Key_1
            self.set_patch(self._patch)
        elif octaves or decibels:
            self._set(self._chosen, self._value(band.hz) * 2**octaves, self._value(band.db) + decibels)
            self.settled.emit()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            self._narrow(STEP_Q if key == Qt.Key.Key_Plus else 1 / STEP_Q)
        else:
            super().keyPressEvent(event)

    def _set(self, place: int, hz: float, db: float) -> None:
        """Move a band, not past its neighbours."""
        spec, band = spec_of("master"), BANDS[place]
        assert spec is not None
        hertz, decibels = spec.param(band.hz), spec.param(band.db)
        low = max(hertz.low, self._value(BANDS[place - 1].hz) if place else 0.0)
        high = min(hertz.high, self._value(BANDS[place + 1].hz) if place + 1 < len(BANDS) else HIGH_HZ)
        level = min(max(db, decibels.low), decibels.high)
        self.moved.emit({band.hz: round(min(max(hz, low), high), 1), band.db: round(level, 1)})

    def _narrow(self, by: float) -> None:
        spec, band = spec_of("master"), BANDS[self._chosen]
        assert spec is not None
        if band.q:
            declared = spec.param(band.q)
            q = min(max(self._value(band.q) * by, declared.low), declared.high)
            self.moved.emit({band.q: round(q, 2)})
            self.settled.emit()
