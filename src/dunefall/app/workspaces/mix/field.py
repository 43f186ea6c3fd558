"""The field seen from above: every layer a mark that moves live, with the trail of where it was."""

from __future__ import annotations

import math
from collections import deque
from typing import Protocol

from PySide6.QtCore import QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from dunefall.app.controls.accessible import PaintedPart, tell_focus
from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import draw_text, text_width
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.workspaces.mix.ruler import gain_db
from dunefall.app.workspaces.mix.wayhandles import WayHandles
from dunefall.base.language import tr
from dunefall.base.layouts import layout_of
from dunefall.catalogue import spec_of
from dunefall.patch.mixing import Way, mixed_layers
from dunefall.patch.model import Layer, Patch

__all__ = ["Field", "place_of", "point_of"]

FARTHEST_M, NEAREST_M, BENT_M = 20.0, 0.5, 1.2
RINGS_M = (2, 5, 10, 20)
RING_ANGLES = (64, 52, 40, 76, 28, -64, -52, -40, -28, 100, -100, 16, -16, 140, -140)
"""Where on its ring a distance may be written, in degrees; the first that is free."""
SPEAKERS_M = 3.2
MARK, GRAB = 8.0, 14.0
TRAIL = 80
"""Places that are remembered: 20 s of four a second."""
TURN_DEG, FARTHER = 1.0, 1.05
DRAWN_TURN_DEG, DRAWN_FARTHER, DRAWN_S = 15.0, 1.25, 0.25
"""What one arrow adds to a loop that is drawn by keys."""
_TURNS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
_MOVES = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}
_ENDS = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape)
LISTENER_UP = 0.8
"""How far down the listener stands, as a share of the height: most things are in front."""


class Live(Protocol):
    """Where the values of now come from."""

    def value_now(self, module: str, port: str) -> float | None:
        """Present value of a parameter with everything that moves it, or None."""

    def trace(self, module: str, port: str = "") -> object:
        """Last bins of an output."""


def point_of(angle_deg: float, distance_m: float, radius: float) -> QPointF:
    """A place in px from the listener, who looks up; ``radius`` is where 20 m are."""
    away = radius * math.log1p(distance_m / BENT_M) / math.log1p(FARTHEST_M / BENT_M)
    angle = math.radians(angle_deg)
    return QPointF(away * math.sin(angle), -away * math.cos(angle))


def place_of(point: QPointF, radius: float) -> tuple[float, float]:
    """Inverse of ``point_of``: angle in degrees, distance in m within what a layer may have."""
    away = math.hypot(point.x(), point.y()) / radius * math.log1p(FARTHEST_M / BENT_M)
    distance = BENT_M * math.expm1(min(away, 5.0))
    return math.degrees(math.atan2(point.x(), -point.y())), min(max(distance, NEAREST_M), 40.0)


class Field(QWidget):
    """The field; marks are dragged, or moved by arrows.

    Signals
    -------
    selected (str)
        A layer's output.
    moved (str, dict), settled ()
        A layer's place was moved; the movement ended.
    drawn (str, list)
        A loop of (seconds, angle, distance) was drawn for a layer.
    reshaped (str, dict)
        Handles of a loop were changed: the gesture that holds it, and its series.
    menu_asked (str)
        The menu of a mark.
    """

    selected = Signal(str)
    moved = Signal(str, dict)
    settled = Signal()
    drawn = Signal(str, list)
    reshaped = Signal(str, dict)
    menu_asked = Signal(str)

    def __init__(self, patch: Patch, live: Live, theme: Theme) -> None:
        super().__init__()
        self._patch, self._live, self._theme = patch, live, theme
        self._selection = ""
        self._trails: dict[str, deque[tuple[float, float]]] = {}
        self._ticks = 0
        self._grab = ""
        self._loop: list[tuple[float, float, float]] | None = None
        self.drawing = False
        self._on_handle = False
        self.handles = WayHandles(self._point)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        own_keys(self, Qt.Key.Key_Delete)
        own_keys(self, *_ENDS, unless=lambda: not self.drawing)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(200)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Field"))
        self.setToolTip(
            tr(
                "Drag a mark; Shift only its distance, Ctrl only its angle; arrows turn and move it. A loop's "
                "handles are "
                "dragged; double-click on its line adds one, Delete removes one. A loop is drawn by the mouse, or by "
                "arrows and Enter"
            )
        )

    # -- what is shown ------------------------------------------------------------------------------------------

    def set_patch(self, patch: Patch) -> None:
        """Show this patch."""
        self._patch = patch
        self._show_way()
        self.update()

    def _show_way(self) -> None:
        known = self._patch.has(self._selection)
        self.handles.show_way(Way.of(self._patch, self._patch.module(self._selection)) if known else None)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.update()

    def select(self, module: str) -> None:
        """Show which layer is selected, by any of its modules."""
        layer = next((x for x in mixed_layers(self._patch) if any(m.id == module for m in x.modules)), None)
        self._selection = layer.output_id if layer else ""
        self._show_way()
        self.setAccessibleDescription(self.told)
        self.update()
        tell_focus(self)

    def animate(self) -> None:
        """Show the places of now."""
        self._ticks += 1
        if self._ticks % 4 == 0:
            for layer in mixed_layers(self._patch):
                self._trails.setdefault(layer.output_id, deque(maxlen=TRAIL)).append(self.place(layer.output_id))
        self.update()

    def painted_parts(self) -> list[PaintedPart]:
        """The marks, for screen readers."""
        parts = []
        for layer in mixed_layers(self._patch):
            at = self._point(self.place(layer.output_id)).toPoint()
            box = QRect(at.x() - 12, at.y() - 12, 24, 24)
            parts.append(
                PaintedPart(layer.name, self._place_told(layer.output_id), box, layer.output_id == self._selection)
            )
        return parts

    @property
    def told(self) -> str:
        """Where the selected layer is, in words."""
        return self._place_told(self._selection) if self._selection else tr("Select a mark or a row")

    def _place_told(self, module: str) -> str:
        angle, distance = self.place(module)
        if abs(angle) < 1:
            return tr("{distance:.1f} m  ahead", distance=distance)
        if angle > 0:
            return tr("{distance:.1f} m  {angle:.0f}° right", distance=distance, angle=angle)
        return tr("{distance:.1f} m  {angle:.0f}° left", distance=distance, angle=-angle)

    def place(self, module: str) -> tuple[float, float]:
        """Angle and distance of a layer's output now."""
        return self._now(module, "angle_deg"), self._now(module, "distance_m")

    def _now(self, module: str, param: str) -> float:
        spec, now = spec_of("output"), self._live.value_now(module, param)
        assert spec is not None
        declared = spec.param(param)
        if now is None or now == 0.0:
            now = self._patch.module(module).params.get(param, declared.default)
        return min(max(now, declared.low), declared.high)  # while programs change, it may be another value's

    def moved_by(self, module: str) -> str:
        """Name of what moves a layer's place, or nothing."""
        for port in ("angle_deg", "distance_m"):
            for link in self._patch.links_into(module, port):
                return self._patch.module(link.source.module).name
        return ""

    @property
    def _middle(self) -> QPointF:
        return QPointF(self.width() / 2, self.height() * LISTENER_UP)

    @property
    def _radius(self) -> float:
        return min(self.height() * LISTENER_UP * 0.93, self.width() * 0.6)

    def _point(self, place: tuple[float, float]) -> QPointF:
        return self._middle + point_of(*place, self._radius)

    # -- painting -----------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Rings, loudspeakers, listener, trails, marks."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self._theme
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("ground"))
        painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        painter.setClipRect(self.rect())
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for ring in RINGS_M:
            away = -point_of(0, ring, self._radius).y()
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawEllipse(self._middle, away, away)
        for speaker in layout_of(self._patch.layout).speakers:
            if math.isnan(speaker.angle_deg):
                continue
            name, at = speaker.short, self._middle + point_of(speaker.angle_deg, SPEAKERS_M, self._radius)
            painter.setPen(QPen(theme.colour("edge"), 1))
            painter.drawRect(QRectF(at.x() - 5, at.y() - 4, 10, 8))
            draw_text(
                painter, QRectF(at.x() - 10, at.y() + 5, 20, 14), name, mono(11), theme.colour("text2"), centre=True
            )
        for ring, box in self.ring_boxes().items():
            draw_text(painter, box, f"{ring} m", mono(11, 400), theme.colour("text2"), right=True)
        painter.setPen(QPen(theme.colour("text"), 2))
        painter.setBrush(theme.colour("card"))
        painter.drawEllipse(self._middle, 7, 7)
        box = QRectF(self._middle.x() - 40, self._middle.y() + 10, 80, 16)
        draw_text(painter, box, tr("you"), sans(12), theme.colour("text2"), centre=True)
        self.handles.paint(painter, theme)
        for layer in mixed_layers(self._patch):
            self._paint_mark(painter, layer)
        if self._loop:
            painter.setPen(QPen(theme.colour("control"), 2, Qt.PenStyle.DashLine))
            points = [self._point((angle, distance)) for _, angle, distance in self._loop]
            painter.drawPolyline(points)
        painter.end()

    def ring_boxes(self) -> dict[int, QRectF]:
        """Where the distance of each ring is written: on the ring, within the field, beside marks and their names; a
        ring that has no such place goes without."""
        taken, boxes = [self._mark_box(layer) for layer in mixed_layers(self._patch)], dict[int, QRectF]()
        inside = QRectF(self.rect()).adjusted(2, 2, -2, -2)
        for ring in RINGS_M:
            for angle in RING_ANGLES:
                at = self._middle + point_of(angle, ring, self._radius)
                box = QRectF(at.x() - 38, at.y() - 8, 36, 16)
                if inside.contains(box) and not any(box.intersects(other) for other in (*taken, *boxes.values())):
                    boxes[ring] = box
                    break
        return boxes

    def _mark_box(self, layer: Layer) -> QRectF:
        """A mark and its name."""
        at, name = self._point(self.place(layer.output_id)), layer.name
        width = text_width(name, sans(12, 600))
        left = at.x() - MARK if at.x() + 18 + width < self.width() else at.x() - 14 - width
        return QRectF(left, at.y() - MARK, width + 14 + MARK, 2 * MARK)

    def _paint_mark(self, painter: QPainter, layer: Layer) -> None:
        theme, module = self._theme, layer.output_id
        trail = list(self._trails.get(module, ()))
        for k in range(1, len(trail)):
            colour = theme.colour("audio")
            colour.setAlphaF(0.45 * k / len(trail))
            painter.setPen(QPen(colour, 2))
            painter.drawLine(self._point(trail[k - 1]), self._point(trail[k]))
        at, chosen = self._point(self.place(module)), module == self._selection
        muted = bool(self._patch.module(module).params.get("mute", 0.0))
        radius = min(max(5.0, 8.0 + (self._loudness(module) + 24) / 6), MARK)
        if chosen:
            painter.setPen(QPen(theme.colour("text"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(at, radius + 4, radius + 4)
        pen = QPen(theme.colour("edge"), 1, Qt.PenStyle.DashLine) if muted else QPen(theme.colour("card"), 1)
        painter.setPen(pen)
        painter.setBrush(theme.colour("ground" if muted else "audio"))
        painter.drawEllipse(at, radius, radius)
        name, font = tr("{name}, muted", name=layer.name) if muted else layer.name, sans(12, 600 if chosen else 500)
        width = text_width(name, font)
        left = at.x() + 14 if at.x() + 18 + width < self.width() else at.x() - 14 - width
        draw_text(
            painter, QRectF(left, at.y() - 9, width + 4, 18), name, font, theme.colour("text2" if muted else "text")
        )

    def _loudness(self, module: str) -> float:
        bins = self._live.trace(module, "loudness")
        return gain_db(float(bins[-1, 1])) if bins is not None and len(bins) else -60.0  # type: ignore[index,arg-type]

    # -- changing -----------------------------------------------------------------------------------------------

    def _mark_at(self, point: QPointF) -> str:
        near = {
            layer.output_id: math.dist(
                (point.x(), point.y()), (at.x(), at.y())
            )
            for layer in mixed_layers(self._patch)
            for at in (self._point(self.place(layer.output_id)),)
        }  # fmt: skip
        found = min(near, key=lambda module: near[module], default="")
        return found if found and near[found] < GRAB else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a mark, or begin a loop."""
        if self.drawing and self._selection:
            self._loop = []
            self._draw_on(event)
            return
        if event.button() == Qt.MouseButton.LeftButton and self.handles.press(event.position()):
            self._on_handle = True
            self.update()
            return
        self._grab = self._mark_at(event.position())
        if self._grab:
            self.selected.emit(self._grab)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move the mark, or draw on."""
        if self._loop is not None:
            self._draw_on(event)
            return
        if self._on_handle:
            self._reshape(self.handles.moved(self._place_at(event.position())))
            return
        if not self._grab or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        angle, distance = self._place_at(event.position())
        values = {"angle_deg": round(angle, 1), "distance_m": round(distance, 2)}
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            del values["angle_deg"]
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            del values["distance_m"]
        self.moved.emit(self._grab, values)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The movement has ended; a loop is closed."""
        if self._loop is not None:
            self._end_loop()
        elif self._grab or self._on_handle:
            self._grab, self._on_handle = "", False
            self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """One more handle on the line of a loop."""
        if not self.handles.press(event.position()):
            self._reshape(self.handles.with_new(event.position(), self._place_at(event.position())))
            self.settled.emit()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """The menu of a mark, or of the selected one."""
        module = self._mark_at(QPointF(event.pos())) or self._selection
        if module:
            self.menu_asked.emit(module)

    def _reshape(self, series: dict[str, tuple[float, ...]] | None) -> None:
        if series is not None and self.handles.way is not None:
            self.reshaped.emit(self.handles.way.gesture, series)

    def _place_at(self, point: QPointF) -> tuple[float, float]:
        return place_of(point - self._middle, self._radius)

    def _draw_on(self, event: QMouseEvent) -> None:
        assert self._loop is not None
        angle, distance = self._place_at(event.position())
        self._loop.append((event.timestamp() / 1000, angle, distance))
        self.update()

    def _end_loop(self) -> None:
        loop, self._loop, self.drawing = self._loop or [], None, False
        if len(loop) >= 3:
            self.drawn.emit(self._selection, loop)
        self.update()

    def _draw_by_key(self, key: Qt.Key) -> None:
        """An arrow draws a loop on from the mark; Enter closes it, Esc gives it up."""
        if key in _ENDS:
            self._loop = None if key == Qt.Key.Key_Escape else self._loop
            self._end_loop()
            return
        loop = self._loop or [(0.0, *self.place(self._selection))]
        seconds, angle, distance = loop[-1]
        angle += DRAWN_TURN_DEG * _TURNS.get(key, 0)
        distance = min(max(distance * DRAWN_FARTHER ** _MOVES.get(key, 0), NEAREST_M), FARTHEST_M)
        self._loop = [*loop, (seconds + DRAWN_S, angle, distance)]
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right turn the selected mark, up and down move it away and near; or they draw a loop."""
        key = Qt.Key(event.key())
        if self.drawing and self._selection and key in (*_TURNS, *_MOVES, *_ENDS):
            self._draw_by_key(key)
            return
        if event.key() == Qt.Key.Key_Delete:
            if self.handles.chosen >= 0:
                self._reshape(self.handles.without())
                self.settled.emit()
            return
        if not self._selection or key not in (*_TURNS, *_MOVES):
            super().keyPressEvent(event)
            return
        params = self._patch.module(self._selection).params
        angle = params.get("angle_deg", 0.0) + TURN_DEG * _TURNS.get(key, 0)
        distance = params.get("distance_m", 1.0) * FARTHER ** _MOVES.get(key, 0)
        angle = angle - 360 if angle > 180 else angle + 360 if angle < -180 else angle
        self.moved.emit(self._selection, {"angle_deg": angle, "distance_m": min(max(distance, NEAREST_M), 40.0)})
        self.settled.emit()
