"""The master: level against a target of loudness, what the limiter did, and how loud it was."""

from __future__ import annotations

from collections import deque

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from dunefall.app.controls.painting import draw_text
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.workspaces.mix.mastercurve import MasterCurve
from dunefall.app.workspaces.mix.ruler import GRID_DB, NAME_X, RAIL_W, RAIL_X, VALUE_W, db_at, gain_db, x_of_db
from dunefall.base.language import decimal, tr, tr_count
from dunefall.base.units import format_value
from dunefall.base.words import listed
from dunefall.catalogue import spec_of
from dunefall.catalogue.paths import inserts_of
from dunefall.engine.shared import Status
from dunefall.patch.mixing import master_of
from dunefall.patch.model import Patch

__all__ = ["Master"]

HEIGHT, STRIP_H = 150, 54
PARTS, PART_GAP = 4, 14
KEPT = 600
"""Values of a course: 20 s at 30 a second, or 60 s at 10."""


def _text(value: float, unit: str) -> str:
    return (decimal(f"{value:.1f} {unit}") if value > -99 else f"−∞ {unit}").replace("-", "−")


class Master(QWidget):
    """The master's box.

    Signals
    -------
    moved (dict), settled ()
        Values of the master; the movement ended.
    selected ()
        It was clicked: its bands are in the inspector.
    insert_asked ()
        What is inserted on the whole mix is wanted.
    """

    moved = Signal(dict)
    settled = Signal()
    selected = Signal()
    insert_asked = Signal()

    def __init__(self, patch: Patch, theme: Theme) -> None:
        super().__init__()
        self._patch, self._theme = patch, theme
        self._short, self._momentary, self._whole, self._range = -120.0, -120.0, -120.0, 0.0
        self._loudest = -120.0
        self._true = -120.0
        self._limited: deque[float] = deque(maxlen=KEPT)
        self._loud: deque[float] = deque(maxlen=KEPT)
        self._ticks, self._grab = 0, ""
        self._last_x = 0.0
        self.setFixedHeight(HEIGHT)
        self.setAccessibleName(tr("Master"))
        self.setToolTip(tr("Drag the level, or the triangle of the target; click to see the bands in the inspector"))
        row = QHBoxLayout(self)
        row.setContentsMargins(590, 30, 12, 0)
        self.trim, self.inserts = QPushButton(tr("Trim")), QPushButton()
        for button in (self.trim, self.inserts):
            button.setFixedHeight(24)
            button.setStyleSheet("padding: 0 10px")
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        row.addStretch(1)
        self.inserts.clicked.connect(self.insert_asked)
        self._name_inserts()
        self.trim.setToolTip(
            tr("Moves the master's level so that the loudness of the whole programme so far meets the target")
        )
        self.trim.clicked.connect(self._trim_it)
        self.curve = MasterCurve(patch, theme)
        self.curve.setParent(self)
        self.curve.moved.connect(self.moved)
        self.curve.settled.connect(self.settled)

    def set_patch(self, patch: Patch) -> None:
        """Show this patch."""
        self._patch = patch
        self.curve.set_patch(patch)
        self._name_inserts()
        self.update()

    def _name_inserts(self) -> None:
        """What the whole mix goes through before the master, in its order."""
        names = [self._patch.module(module).name for module in inserts_of(self._patch)]
        self.inserts.setText(tr_count("{count} insert", "{count} inserts", len(names)) if names else tr("+ Insert…"))
        self.inserts.setToolTip(
            tr("The whole mix goes through {names}; click to choose one or to add "
               "another", names=listed(names)) if names
            else tr("Puts an effect on the whole mix, before the master")
        )  # fmt: skip

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.curve.set_theme(theme)
        self.update()

    def animate(self, status: object) -> None:
        """Show the loudness of now."""
        self._ticks += 1
        self._short, self._momentary = float(status[Status.LUFS]), float(status[Status.MOMENTARY])  # type: ignore[index]
        self._loudest = float(status[Status.LOUDEST])  # type: ignore[index]
        self._whole, self._range = float(status[Status.INTEGRATED]), float(status[Status.RANGE])  # type: ignore[index]
        self._true = gain_db(float(status[Status.TRUE_PEAK]))  # type: ignore[index]
        self._limited.append(gain_db(float(status[Status.REDUCTION])))  # type: ignore[index]
        if self._ticks % 3 == 0:
            self._loud.append(max(self._short, -120.0))
        away = self._whole - self.value("target_lufs")
        near = abs(away) < 0.3 or self._whole < -90
        self.trim.setEnabled(not near)
        self.trim.setText(tr("On target") if near else tr("Trim by {away:+.1f} dB", away=-away).replace("-", "−"))
        self.setAccessibleDescription(f"{_text(self._short, 'LUFS')}, {_text(self._true, 'dBTP')}")
        self.update()

    def value(self, param: str) -> float:
        """A value of the master, or what it would be."""
        spec, module = spec_of("master"), master_of(self._patch)
        assert spec is not None
        return (module.params if module else {}).get(param, spec.param(param).default)

    def _trim_it(self) -> None:
        level = self.value("level_db") + self.value("target_lufs") - self._whole
        self.moved.emit({"level_db": round(min(max(level, -96.0), 24.0), 1)})
        self.settled.emit()

    # -- painting -----------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """The strip, then the courses."""
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("edge"), 1))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), 4, 4)
        self._paint_strip(painter)
        top, height, width = STRIP_H + 18, HEIGHT - STRIP_H - 22, self._part_w
        lefts = [9 + k * (width + PART_GAP) for k in range(PARTS)]
        worst = min(self._limited, default=0.0)
        self._course(painter, QRectF(lefts[1], top, width, height), tr("Limiter, 20 s"), _text(worst, "dB"),
                     list(self._limited), -6.0, 0.0, "control", top_down=True)  # fmt: skip
        target = self.value("target_lufs")
        self._course(painter, QRectF(lefts[2], top, width, height), tr("Loudness, 60 s"),
                     tr("target {target:.0f}", target=target).replace("-", "−"), list(self._loud),
                     target - 18, target + 12, "audio",
                     line=target)  # fmt: skip
        self._paint_numbers(painter, QRectF(lefts[3], STRIP_H, width, HEIGHT - STRIP_H))
        painter.end()

    @property
    def _part_w(self) -> float:
        return (self.width() - 18 - (PARTS - 1) * PART_GAP) / PARTS

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The curve is the first of the parts below the strip."""
        self.curve.setGeometry(9, STRIP_H, round(self._part_w), HEIGHT - STRIP_H - 4)

    def _paint_strip(self, painter: QPainter) -> None:
        theme, middle = self._theme, 20.0
        draw_text(painter, QRectF(NAME_X, 6, 110, 18), tr("Master"), sans(13, 600), theme.colour("text"))
        painter.setPen(QPen(theme.colour("line"), 1))
        for db in GRID_DB:
            painter.drawLine(QPointF(RAIL_X + x_of_db(db), 7), QPointF(RAIL_X + x_of_db(db), 30))
        painter.setPen(QPen(theme.colour("edge"), 2))
        painter.drawLine(QPointF(RAIL_X, middle + 2), QPointF(RAIL_X + RAIL_W, middle + 2))
        faint = theme.colour("audio")
        faint.setAlphaF(0.5)
        painter.fillRect(QRectF(RAIL_X, middle - 7, x_of_db(self._true), 3), faint)
        painter.fillRect(QRectF(RAIL_X, middle - 4, x_of_db(self._short), 5), theme.colour("audio"))
        level, target = self.value("level_db"), self.value("target_lufs")
        painter.fillRect(QRectF(RAIL_X + x_of_db(level) - 1.5, middle - 11, 3, 24), theme.colour("text"))
        x = RAIL_X + x_of_db(target)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("text"))
        painter.drawPolygon(QPolygonF([QPointF(x, 25), QPointF(x - 5, 33), QPointF(x + 5, 33)]))
        box = QRectF(x + 8, 30, 120, 16)
        draw_text(
            painter,
            box,
            tr("target {target:.0f} LUFS", target=target).replace("-", "−"),
            mono(11, 400),
            theme.colour("text2"),
        )
        box = QRectF(RAIL_X + RAIL_W + 8, 11, VALUE_W, 18)
        draw_text(painter, box, format_value(level, "db"), mono(13, 600), theme.colour("text"), right=True)
        away = self._whole - target
        text = tr("silent") if self._whole < -90 else _off_target(away)
        draw_text(painter, QRectF(590, 8, self.width() - 600, 18), text, sans(13), theme.colour("text"))

    def _course(
        self, painter: QPainter, box: QRectF, name: str, right: str, values: list[float], low: float, high: float,
        kind: str, *, top_down: bool = False, line: float | None = None,
    ) -> None:  # fmt: skip
        theme = self._theme
        draw_text(painter, QRectF(box.x(), box.y() - 18, box.width(), 16), name, sans(12, 600), theme.colour("text"))
        draw_text(painter, QRectF(box.x(), box.y() - 18, box.width(), 16), right, mono(11, 400), theme.colour("text2"),
                  right=True)  # fmt: skip
        painter.fillRect(box, theme.colour("ground"))
        if line is not None:
            y = box.bottom() - (line - low) / (high - low) * box.height()
            painter.setPen(QPen(theme.colour("text"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        if len(values) < 2:
            return
        ys = [box.bottom() - min(max((v - low) / (high - low), 0.0), 1.0) * box.height() for v in values]
        xs = [box.right() - (len(values) - 1 - k) / (KEPT - 1) * box.width() for k in range(len(values))]
        base = box.top() if top_down else box.bottom()
        colour = theme.colour(kind)
        points = [QPointF(x, y) for x, y in zip(xs, ys, strict=True)]
        painter.setPen(QPen(colour, 1.5))
        painter.drawPolyline(points)
        colour.setAlphaF(0.25)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawPolygon(QPolygonF([QPointF(xs[0], base), *points, QPointF(xs[-1], base)]))

    def _paint_numbers(self, painter: QPainter, box: QRectF) -> None:
        theme = self._theme
        rows = (
            (tr("Momentary"), _text(self._momentary, "LUFS")), (tr("Loudest moment"), _text(self._loudest, "LUFS")),
            (tr("Short-term"), _text(self._short, "LUFS")),
            (tr("Since play began"), _text(self._whole, "LUFS")), (tr("Range"), _text(self._range, "LU")),
            (tr("True peak"), _text(self._true, "dBTP")),
        )  # fmt: skip
        step = (box.height() - 8) / len(rows)
        for k, (name, value) in enumerate(rows):
            line = QRectF(box.x(), box.y() + 2 + step * k, box.width(), step)
            draw_text(painter, line, name, sans(12), theme.colour("text2"))
            draw_text(painter, line, value, mono(12), theme.colour("text"), right=True)

    # -- changing -----------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the level or the target."""
        x, y = event.position().x(), event.position().y()
        self.selected.emit()
        if RAIL_X - 4 <= x <= RAIL_X + RAIL_W + 4 and y < STRIP_H:
            on_target = abs(x - RAIL_X - x_of_db(self.value("target_lufs"))) < 9 and y > 22
            self._grab, self._last_x = ("target_lufs" if on_target else "level_db"), x

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag; Shift fine."""
        if not self._grab:
            return
        x, value = event.position().x(), self.value(self._grab)
        slow = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        moved = db_at(x_of_db(value) + (x - self._last_x) * slow)
        self._last_x = x
        low, high = (-40.0, -6.0) if self._grab == "target_lufs" else (-96.0, 24.0)
        self.moved.emit({self._grab: round(min(max(moved, low), high), 2)})

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The drag has ended."""
        if self._grab:
            self._grab = ""
            self.settled.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Half a dB a step."""
        by = 0.5 if event.angleDelta().y() > 0 else -0.5
        self.moved.emit({"level_db": min(max(self.value("level_db") + by, -96.0), 24.0)})
        self.settled.emit()


def _off_target(away_lu: float) -> str:
    """How far the loudness is from its target."""
    if away_lu > 0:
        return tr("{lu:.1f} LU above target", lu=away_lu)
    return tr("{lu:.1f} LU below target", lu=-away_lu)
