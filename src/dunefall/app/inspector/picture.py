"""What a module does, as a picture: its response, its wave, its file or its frames, to be dragged where that helps."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from dunefall.app.controls.painting import TraceImage, card, draw_text, outline
from dunefall.app.controls.theme import Theme, mono
from dunefall.base.language import decimal, inline, tr
from dunefall.base.words import listed
from dunefall.catalogue.declare import ModuleSpec, Param
from dunefall.compiler.sounds import Sound, prepared
from dunefall.dsp.wavetables import FRAME_SIZE, OFFSETS, SIZES
from dunefall.patch.model import Module
from dunefall.render.portrait import HIGHEST_HZ, LOWEST_HZ, Portrait

__all__ = ["Picture"]

HEIGHT, EDGE, FOOT = 132, 8, 18
FLOOR_DB, TOP_DB = -48.0, 18.0
FEW = 2000
"""Samples up to which each is a point of its own."""
OVER_HZ = {"response": "response", "spectrum": "partials"}
DECADES = (100.0, 1000.0, 10000.0)
GRABS = 10
"""Pixels within which a cursor is taken."""
SHOWN_LEVEL, MOST_FRAMES = 3, 16
SLANT = 0.45
"""How far back the frames of a table lean."""
SHOWN_RATE = 48000.0
MOST_READ = 1500
"""Samples that are looked at for each pixel column of a file's picture: long files take no longer than short ones."""


def _flat(curve: NDArray[np.float64]) -> NDArray[np.float32]:
    """A curve as a trace: as high as low in each column."""
    return np.repeat(curve.astype(np.float32)[:, np.newaxis], 2, axis=1)


def _course(curve: NDArray[np.float64], role: str, columns: int) -> tuple[NDArray[np.float32], float, float]:
    """A course as lowest and highest values of so many columns at most, and the span in which it is drawn."""
    high = max(float(np.abs(curve).max()), 1e-6) if role != "gate" else 1.0
    low = -high if role in ("audio", "control") and curve.min() < 0 else float(min(curve.min(), 0.0))
    if len(curve) < FEW:
        return _flat(curve), low, high
    starts = np.linspace(0, len(curve), columns, endpoint=False).astype(np.int64)
    bins = np.stack([np.minimum.reduceat(curve, starts), np.maximum.reduceat(curve, starts)], axis=1)
    return bins.astype(np.float32), low, high


class Picture(QWidget):
    """The picture of one module.

    Signals
    -------
    moved (object)
        Parameters were dragged to values: a dict.
    settled ()
        The drag has ended.
    """

    moved = Signal(object)
    settled = Signal()

    def __init__(self, spec: ModuleSpec, module: Module, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._spec, self._module, self._theme = spec, module, theme
        self._values: dict[str, float] = {param.id: param.default for param in spec.params}
        self._portrait: Portrait | None = None
        self._back: QPixmap | None = None
        self._image = TraceImage()
        self._grab: tuple[QPointF, dict[str, float]] | None = None
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("Picture of {name}", name=module.name))
        names = [inline(self._param(name).name) for name in (*spec.handle, *spec.cursors) if name]
        self.setToolTip(tr("Drag for {names}", names=listed(names)) if names else tr("What it does at these values"))
        if names:
            self.setCursor(Qt.CursorShape.SizeAllCursor)

    @property
    def own(self) -> bool:
        """Whether the picture is made from the module's sound alone, without a portrait."""
        return bool(self._spec.sound in ("file", "table") or self._spec.network)

    def show_values(self, module: Module, values: dict[str, float]) -> None:
        """Show the values of now, of parameters by id."""
        if module.sound != self._module.sound:
            self._back = None
        if values != self._values or module != self._module:
            self._module, self._values = module, values
            self.update()

    def show_portrait(self, portrait: Portrait) -> None:
        """Show these curves."""
        if portrait is not self._portrait:
            self._portrait = portrait
            self.update()

    # -- painting -----------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Frame, curves, cursors."""
        painter = QPainter(self)
        card(painter, self, self._theme)
        if self._spec.sound == "table":
            self._paint_table(painter)
        elif self._spec.sound == "file":
            self._paint_file(painter)
        elif self._spec.network is not None:
            self._paint_network(painter, *self._spec.network(self._values))
        elif self._portrait is not None:
            self._paint_portrait(painter, self._portrait)
        else:
            self._foot(painter, tr("drawing its picture…"), "")
        painter.end()

    @property
    def _box(self) -> QRectF:
        return QRectF(EDGE, EDGE, self.width() - 2 * EDGE, HEIGHT - 2 * EDGE - FOOT)

    def _foot(self, painter: QPainter, left: str, right: str) -> None:
        foot = QRectF(EDGE, HEIGHT - FOOT - 4, self.width() - 2 * EDGE, FOOT)
        colour = self._theme.colour("text2")
        draw_text(painter, foot.adjusted(0, 0, -80, 0), left, mono(10.5), colour)
        draw_text(painter, foot, right, mono(10.5), colour, right=True)

    def _paint_portrait(self, painter: QPainter, portrait: Portrait) -> None:
        roles, box = {output.id: output.role for output in self._spec.outputs}, self._box.toRect()
        shown = next(iter(portrait.curves))
        self._image.clear(self.width(), HEIGHT, self.devicePixelRatioF())
        for port, curve in portrait.curves.items():
            role, alpha = roles[port], 1.0 if port == shown else 0.3
            if portrait.kind in OVER_HZ:
                bins, low, high, form = _flat(np.clip(curve, FLOOR_DB, TOP_DB)), FLOOR_DB, TOP_DB, "control"
            else:
                bins, low, high = _course(curve, role, int(self._box.width() / 2))
                form = "control" if role == "audio" else role
            self._image.trace(box, bins, form, self._theme.colour(role), low=low, high=high, alpha=alpha)
        self._image.draw(painter)
        if portrait.kind in OVER_HZ:
            self._paint_decades(painter)
            self._foot(
                painter,
                tr("{OVER_HZ}, 20 Hz to 20 kHz", OVER_HZ=OVER_HZ[portrait.kind]),
                tr("{FLOOR_DB:.0f} to {TOP_DB:+.0f} dB", FLOOR_DB=FLOOR_DB, TOP_DB=TOP_DB),
            )
        else:
            span = float(portrait.across[-1])
            self._foot(
                painter,
                "wave" if span < 1 else "course",
                tr("{span:.0f} ms", span=1000 * span) if span < 1 else f"{span:.0f} s",
            )

    def _paint_decades(self, painter: QPainter) -> None:
        painter.setPen(QPen(self._theme.colour("line"), 1))
        for hz in DECADES:
            x = self._x_of_hz(hz)
            painter.drawLine(QPointF(x, self._box.top()), QPointF(x, self._box.bottom()))
        y = self._y_of_db(0.0)
        painter.drawLine(QPointF(self._box.left(), y), QPointF(self._box.right(), y))

    def _x_of_hz(self, hz: float) -> float:
        return float(self._box.left() + self._box.width() * np.log(hz / LOWEST_HZ) / np.log(HIGHEST_HZ / LOWEST_HZ))

    def _y_of_db(self, db: float) -> float:
        share = (min(max(db, FLOOR_DB), TOP_DB) - FLOOR_DB) / (TOP_DB - FLOOR_DB)
        return self._box.bottom() - share * self._box.height()

    def _line(self, painter: QPainter, line: QPolygonF, colour: QColor) -> None:
        painter.setPen(QPen(colour, 1.75))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(line)

    def _paint_network(self, painter: QPainter, names: str, strengths: NDArray[np.float64]) -> None:
        """A field of squares: who (left) acts on whom (above), as full as strong; below, who is heard."""
        cell = self._box.height() / (len(strengths) + 1)
        left = self._box.left() + 0.5 * (self._box.width() - (len(names) + 1) * cell)
        for row in range(-1, len(strengths)):
            y = self._box.top() + (row + 1) * cell
            label = "" if row < 0 else names[row] if row < len(names) else "heard"
            draw_text(painter, QRectF(left - 60, y, 60 + cell - 8, cell), label, mono(11), self._theme.colour("text2"),
                      right=True)  # fmt: skip
            for column, name in enumerate(names):
                box = QRectF(left + (column + 1) * cell, y, cell, cell)
                if row < 0:
                    draw_text(painter, box, name, mono(11), self._theme.colour("text2"), centre=True)
                    continue
                outline(painter, box.adjusted(1.5, 1.5, -1.5, -1.5), self._theme.colour("line"), 1, 3)
                full = float(np.clip(strengths[row, column], 0.0, 1.0)) ** 0.5 * (cell - 5) / 2
                if full > 0:
                    middle = box.center()
                    painter.fillRect(
                        QRectF(middle.x() - full, middle.y() - full, 2 * full, 2 * full), self._theme.colour("audio")
                    )
        self._foot(painter, self._face(), tr("which operator modulates which"))

    def _face(self) -> str:
        """The main value in words."""
        param = self._spec.shown_face(self._values) or self._spec.params[0]
        value = self._values.get(param.id, param.default)
        return param.format(round(value) if param.choices else value)

    # -- sounds -------------------------------------------------------------------------------------------------

    def _still(self) -> QPixmap:
        """What does not move, drawn once."""
        scale = self.devicePixelRatioF()
        if self._back is None or self._back.width() != round(self.width() * scale):
            self._back = QPixmap(round(self.width() * scale), round(HEIGHT * scale))
            self._back.setDevicePixelRatio(scale)
            self._back.fill(Qt.GlobalColor.transparent)
            painter = QPainter(self._back)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            if self._spec.sound == "file":
                self._draw_wave(painter)
            else:
                for k in range(self._frames[1]):
                    colour = self._theme.colour("audio")
                    colour.setAlphaF(0.35)
                    self._line(painter, self._frame(k), colour)
            painter.end()
        return self._back

    def _sound(self) -> Sound:
        return prepared(self._spec, self._module, SHOWN_RATE)

    def _draw_wave(self, painter: QPainter) -> None:
        sound = self._sound()
        frames = len(sound.samples) // sound.rows
        columns = int(self._box.width())
        colour, middle = self._theme.colour("audio"), self._box.center().y()
        painter.setPen(QPen(colour, 1))
        if not frames:
            return
        spans = []
        for k in range(columns):
            first = k * frames // columns
            piece = sound.samples[first : first + max(1, min(frames // columns, MOST_READ))]
            spans.append((float(piece.min()), float(piece.max())))
        high = max(max(abs(low), abs(top)) for low, top in spans) or 1.0
        for k, (low, top) in enumerate(spans):
            x, reach = self._box.left() + k + 0.5, 0.5 * self._box.height() / high
            painter.drawLine(QPointF(x, middle - top * reach - 0.4), QPointF(x, middle - low * reach + 0.4))

    def _paint_file(self, painter: QPainter) -> None:
        painter.drawPixmap(0, 0, self._still())
        sound = self._sound()
        frames = len(sound.samples) // sound.rows
        if not frames:
            text, colour = tr("The file is missing: choose another one"), self._theme.colour("hot")
            draw_text(painter, self._box, text, mono(11), colour, centre=True)
            return
        for name in self._spec.cursors:
            x = self._box.left() + self._box.width() * self._values.get(name, 0.0)
            painter.setPen(QPen(self._theme.colour("text"), 2))
            painter.drawLine(QPointF(x, EDGE), QPointF(x, HEIGHT - EDGE - FOOT))
        kind = "stereo" if sound.rows == 2 else "mono"
        self._foot(
            painter,
            tr("{kind}, {rate_hz:g} kHz", kind=kind, rate_hz=sound.rate_hz / 1000),
            decimal(f"{frames / sound.rate_hz:.2f} s"),
        )

    @property
    def _frames(self) -> tuple[int, int]:
        """First frame of the table in the sound, and how many of its frames are drawn."""
        sound = self._sound()
        if not len(sound.samples):
            return 0, 0
        tables = len(sound.samples) // (FRAME_SIZE * sound.rows)
        table = min(round(self._values.get("table", 0.0)), tables - 1)
        return table * sound.rows, min(sound.rows, MOST_FRAMES)

    def _frame(self, k: float) -> QPolygonF:
        """A frame between the first, in front, and the last, at the back."""
        sound = self._sound()
        first, count = self._frames
        place = first + k * (sound.rows - 1) / max(count - 1, 1)
        low = int(place)
        size = SIZES[SHOWN_LEVEL]
        begin = FRAME_SIZE * low + OFFSETS[SHOWN_LEVEL]
        cycle = np.asarray(sound.samples[begin : begin + size : 4], np.float64)
        if place > low:
            after = begin + FRAME_SIZE
            cycle = cycle + (place - low) * (sound.samples[after : after + size : 4] - cycle)
        depth = k / max(count - 1, 1)
        lean = SLANT * self._box.height()
        width = self._box.width() - lean
        left, base = self._box.left() + depth * lean, self._box.bottom() - 20 - depth * lean
        xs = left + width * np.arange(len(cycle)) / (len(cycle) - 1)
        return QPolygonF([QPointF(x, base - 24 * y) for x, y in zip(xs, cycle, strict=True)])

    def _paint_table(self, painter: QPainter) -> None:
        if not self._frames[1]:
            return
        painter.drawPixmap(0, 0, self._still())
        place = self._values.get("position", 0.0) * (self._frames[1] - 1)
        painter.setPen(QPen(self._theme.colour("text"), 2.25))
        painter.drawPolyline(self._frame(place))
        name = self._param("table").format(round(self._values.get("table", 0.0)))
        self._foot(painter, tr("own file") if self._module.sound else name, f"{self._values.get('position', 0.0):.0%}")

    # -- dragging -----------------------------------------------------------------------------------------------

    def _param(self, name: str) -> Param:
        return self._spec.param(name)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the picture's handle, or the nearest cursor."""
        names = [name for name in self._spec.handle if name]
        at = event.position()
        if self._spec.cursors:
            share = (at.x() - self._box.left()) / self._box.width()
            names = [min(self._spec.cursors, key=lambda name: abs(self._base(name) - share))]
        if event.button() == Qt.MouseButton.LeftButton and names:
            self._grab = (at, {name: self._param(name).to_rail(self._base(name)) for name in names})
            self.mouseMoveEvent(event)

    def _base(self, name: str) -> float:
        return self._module.params.get(name, self._param(name).default)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move what was taken: a cursor to the mouse, a cutoff to its frequency, all else as far as the mouse goes."""
        if self._grab is None:
            return
        start, places = self._grab
        at, box, values = event.position(), self._box, {}
        for name, place in places.items():
            param = self._param(name)
            if name in self._spec.cursors:
                value = param.from_rail((at.x() - box.left()) / box.width())
            elif name == self._spec.handle[0] and param.unit == "hz" and self._spec.shows_as == "response":
                share = min(max((at.x() - box.left()) / box.width(), 0.0), 1.0)
                value = min(max(LOWEST_HZ * (HIGHEST_HZ / LOWEST_HZ) ** share, param.low), param.high)
            elif name == self._spec.handle[0]:
                value = param.from_rail(place + (at.x() - start.x()) / box.width())
            else:
                value = param.from_rail(place - (at.y() - start.y()) / box.height())
            values[name] = value
        self.moved.emit(values)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The drag has ended."""
        if self._grab is not None:
            self._grab = None
            self.settled.emit()
