"""What Watch shows of a pinned signal besides its course: spectrum, spectrogram, tuner."""

from __future__ import annotations

import math
import time

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from dunefall.analysis.pitch import fundamental_hz
from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import draw_text, outline
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.base.language import tr
from dunefall.base.units import format_value

__all__ = ["Plot", "Spectrogram", "Spectrum", "Tuner"]

FFT, COLUMNS = 8192, 240
LOW_HZ, HIGH_HZ, TOP_DB, BOTTOM_DB = 20.0, 20000.0, 0.0, -96.0
GRAM_ROWS, GRAM_COLUMNS, GRAM_FFT = 96, 600, 4096
GRAM_SECONDS = 20.0
REFERENCE_HZ, REFERENCE_NOTE = 440.0, 69


def levels_db(
    samples: NDArray[np.float32], rate: float, size: int, edges_hz: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Level of a sine of full scale as 0 dB, the highest between each two edges; Hann window (textbook)."""
    x = np.zeros(size)
    x[-min(size, len(samples)) :] = samples[-size:]
    power = np.abs(np.fft.rfft(x * np.hanning(size))) * (4.0 / size)
    places = np.clip(np.round(edges_hz / rate * size).astype(int), 0, len(power) - 1)
    found = np.maximum.reduceat(power, places[:-1])
    return np.asarray(20 * np.log10(np.maximum(found, 1e-7)))


class Plot(QWidget):
    """A plot of one pinned signal: its title, and a cursor that says what is under the mouse.

    Signals
    -------
    removed ()
        The signal is no longer to be pinned.
    """

    kind = ""
    removed = Signal()

    def __init__(self, name: str, layer: str, role: str, theme: Theme) -> None:
        super().__init__()
        self._name, self._layer, self._role, self._theme = name, layer, role, theme
        self._cursor: QPointF | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        own_keys(self, Qt.Key.Key_Delete)
        self.setAccessibleName(tr("{kind} of {name}", kind=self.kind, name=name))

    @property
    def plot(self) -> QRect:
        """The part in which the signal is drawn."""
        return QRect(40, 22, self.width() - 48, self.height() - 40)

    def show_samples(self, samples: NDArray[np.float32], rate: float) -> None:
        """Take in the last samples."""
        raise NotImplementedError

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """The cursor follows."""
        self._cursor = event.position() if self.plot.contains(event.position().toPoint()) else None
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Delete takes the pin away."""
        if event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Show that the keys are here."""
        self.update()
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """The keys are elsewhere."""
        self.update()
        super().focusOutEvent(event)

    def leaveEvent(self, event: object) -> None:
        """No cursor any more."""
        self._cursor = None
        self.update()

    def _title(self, painter: QPainter, right: str) -> None:
        theme = self._theme
        title = QRectF(0, 0, self.width() - 8, 18)
        room = title.adjusted(0, 0, -150, 0)
        draw_text(painter, room, f"{self._layer} · {self._name}", sans(12, 600), theme.colour("text"))
        draw_text(painter, title, right, mono(12), theme.colour("text"), right=True)
        painter.fillRect(self.plot, theme.colour("ground"))
        if self.hasFocus():
            outline(painter, QRectF(self.plot), theme.colour("text"), 1.5, 3)

    def _across_hz(self, painter: QPainter) -> None:
        """Frequencies below the plot."""
        for hz in (100.0, 1000.0, 10000.0):
            x = self._x(hz)
            painter.setPen(QPen(self._theme.colour("line"), 1))
            painter.drawLine(QPointF(x, self.plot.top()), QPointF(x, self.plot.bottom()))
            box = QRectF(x - 35, self.plot.bottom() + 2, 70, 14)
            draw_text(painter, box, format_value(hz, "hz"), mono(11, 400), self._theme.colour("text2"), centre=True)

    def _x(self, hz: float) -> float:
        return self.plot.x() + self.plot.width() * math.log(hz / LOW_HZ) / math.log(HIGH_HZ / LOW_HZ)

    def _hz(self, x: float) -> float:
        share = (x - self.plot.x()) / max(1, self.plot.width())
        return float(LOW_HZ * (HIGH_HZ / LOW_HZ) ** share)


class Spectrum(Plot):
    """Level over frequency, with the highest of the last seconds as a thin line."""

    kind = tr("Spectrum")

    def __init__(self, name: str, layer: str, role: str, theme: Theme) -> None:
        super().__init__(name, layer, role, theme)
        self._edges = np.geomspace(LOW_HZ, HIGH_HZ, COLUMNS + 1)
        self.levels = np.full(COLUMNS, BOTTOM_DB)
        self.held = np.full(COLUMNS, BOTTOM_DB)
        self.kept: NDArray[np.float64] | None = None

    def show_samples(self, samples: NDArray[np.float32], rate: float) -> None:
        """Work out the spectrum of the last samples."""
        fresh = levels_db(samples, rate, FFT, self._edges)
        self.levels = np.maximum(fresh, self.levels - 3.0)
        self.held = np.maximum(fresh, self.held - 0.2)
        self.update()

    def keep(self, on: bool) -> None:
        """Hold the picture of now faintly behind what comes, or no longer."""
        self.kept = self.levels.copy() if on else None

    def paintEvent(self, event: QPaintEvent) -> None:
        """Grid, filled curve, held curve, cursor."""
        painter, theme, plot = QPainter(self), self._theme, self.plot
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        told = ""
        if self._cursor is not None:
            place = min(COLUMNS - 1, max(0, int((self._cursor.x() - plot.x()) / plot.width() * COLUMNS)))
            told = tr("{format_value}  {levels:.0f} dB", format_value=format_value(self._hz(self._cursor.x()), "hz"),
                      levels=self.levels[place]).replace("-", "−")  # fmt: skip
        self._title(painter, told)
        self._across_hz(painter)
        for db in (-24, -48, -72):
            y = self._y(db)
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            draw_text(painter, QRectF(0, y - 8, 34, 16), f"−{-db}", mono(11, 400), theme.colour("text2"), right=True)
        painter.setClipRect(plot)
        colour = theme.colour(self._role)
        if self.kept is not None:
            faint = theme.colour("edge")
            painter.setPen(QPen(faint, 1, Qt.PenStyle.DashLine))
            painter.drawPolyline(self._line(self.kept))
        painter.setPen(QPen(colour, 1))
        painter.drawPolyline(self._line(self.held))
        points = self._line(self.levels)
        colour.setAlphaF(0.45)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        ends = [QPointF(points[0].x(), plot.bottom()), QPointF(points[-1].x(), plot.bottom())]
        painter.drawPolygon(QPolygonF([ends[0], *points, ends[1]]))
        if self._cursor is not None:
            painter.setPen(QPen(theme.colour("text"), 1))
            painter.drawLine(QPointF(self._cursor.x(), plot.top()), QPointF(self._cursor.x(), plot.bottom()))
        painter.end()

    def _y(self, db: float) -> float:
        return self.plot.y() + self.plot.height() * (TOP_DB - db) / (TOP_DB - BOTTOM_DB)

    def _line(self, levels: NDArray[np.float64]) -> list[QPointF]:
        step = self.plot.width() / COLUMNS
        return [QPointF(self.plot.x() + (k + 0.5) * step, self._y(max(db, BOTTOM_DB))) for k, db in enumerate(levels)]


class Spectrogram(Plot):
    """Level over time and frequency: the darker, the louder."""

    kind = tr("Spectrogram")

    def __init__(self, name: str, layer: str, role: str, theme: Theme) -> None:
        super().__init__(name, layer, role, theme)
        self._edges = np.geomspace(LOW_HZ, HIGH_HZ, GRAM_ROWS + 1)
        self.levels = np.full((GRAM_ROWS, GRAM_COLUMNS), BOTTOM_DB)
        self._shown_at = time.monotonic()

    def show_samples(self, samples: NDArray[np.float32], rate: float) -> None:
        """More columns at the right: as many as the time since the last ones."""
        now = time.monotonic()
        count = min(int((now - self._shown_at) * GRAM_COLUMNS / GRAM_SECONDS), GRAM_COLUMNS)
        if count:
            self._shown_at += count * GRAM_SECONDS / GRAM_COLUMNS
            self.levels[:, :-count] = self.levels[:, count:].copy()
            self.levels[:, -count:] = levels_db(samples, rate, GRAM_FFT, self._edges)[:, None]
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """The picture, frequencies, time, cursor."""
        painter, theme, plot = QPainter(self), self._theme, self.plot
        told = ""
        if self._cursor is not None:
            share = 1 - min(max((self._cursor.x() - plot.x()) / max(plot.width(), 1), 0.0), 1.0)
            up = 1 - min(max((self._cursor.y() - plot.y()) / max(plot.height(), 1), 0.0), 1.0)
            hz = LOW_HZ * (HIGH_HZ / LOW_HZ) ** up
            row, column = int(up * (GRAM_ROWS - 1)), int((1 - share) * (GRAM_COLUMNS - 1))
            told = tr("−{GRAM_SECONDS:.1f} s  {format_value}  {levels:.0f} dB", GRAM_SECONDS=share * GRAM_SECONDS,
                      format_value=format_value(hz, "hz"), levels=self.levels[row, column])  # fmt: skip
        self._title(painter, told.replace("-", "−"))
        share_of = np.clip((self.levels[::-1] - BOTTOM_DB) / (TOP_DB - BOTTOM_DB), 0.0, 1.0)
        alpha = (255 * share_of**1.4).astype(np.uint32)
        ink = theme.colour(self._role)
        parts = [(alpha * part // 255) for part in (ink.red(), ink.green(), ink.blue())]
        pixels = np.ascontiguousarray(alpha << 24 | parts[0] << 16 | parts[1] << 8 | parts[2])
        image = QImage(pixels.data, GRAM_COLUMNS, GRAM_ROWS, GRAM_COLUMNS * 4,
                       QImage.Format.Format_ARGB32_Premultiplied)  # fmt: skip
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(plot, image)
        for hz in (100.0, 1000.0, 10000.0):
            y = plot.bottom() - plot.height() * math.log(hz / LOW_HZ) / math.log(HIGH_HZ / LOW_HZ)
            box = QRectF(0, y - 8, 36, 16)
            text = format_value(hz, "hz").replace(" Hz", "").replace(" kHz", "k")
            draw_text(painter, box, text, mono(11, 400), theme.colour("text2"), right=True)
        for place, text in ((0.0, f"−{GRAM_SECONDS:.0f} s"), (1.0, tr("now"))):
            x = plot.x() + plot.width() * place - 70 * place
            box = QRectF(x, plot.bottom() + 2, 70, 14)
            draw_text(painter, box, text, mono(11, 400), theme.colour("text2"), right=place == 1.0)
        painter.end()


class Tuner(Plot):
    """The note that sounds, and how far it is off.

    Signals
    -------
    asked (float)
        Where does this note come from?
    """

    kind = tr("Tuner")
    asked = Signal(float)

    def __init__(self, name: str, layer: str, role: str, theme: Theme) -> None:
        super().__init__(name, layer, role, theme)
        self.hz: float | None = None
        self._course: list[float] = []

    def show_samples(self, samples: NDArray[np.float32], rate: float) -> None:
        """Find the pitch; a pitch signal is a note already."""
        if self._role == "pitch":
            self.hz = REFERENCE_HZ * 2 ** ((float(samples[-1]) - REFERENCE_NOTE) / 12)
        else:
            self.hz = fundamental_hz(samples, rate)
        self._course = [*self._course, self.cents if self.hz else math.nan][-150:]
        self.setAccessibleDescription(self.told)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Ask for the step that makes the note."""
        if event.button() == Qt.MouseButton.LeftButton and self.hz:
            self.asked.emit(self.note)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter asks for the step that makes the note."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.hz:
            self.asked.emit(self.note)
        else:
            super().keyPressEvent(event)

    @property
    def note(self) -> float:
        """The note as a MIDI number with its fraction."""
        return REFERENCE_NOTE + 12 * math.log2((self.hz or REFERENCE_HZ) / REFERENCE_HZ)

    @property
    def cents(self) -> float:
        """Its distance from the nearest note."""
        return 100 * (self.note - round(self.note))

    @property
    def told(self) -> str:
        """Note, cents and frequency in words."""
        if self.hz is None:
            return tr("no pitch")
        name = format_value(float(round(self.note)), "note")
        return tr("{name} {cents:+.1f} ct, {format_value}", name=name, cents=self.cents,
                  format_value=format_value(self.hz, "hz")).replace("-", "−")  # fmt: skip

    def paintEvent(self, event: QPaintEvent) -> None:
        """The note large, the cents as a place between two neighbours, and their course."""
        painter, theme, plot = QPainter(self), self._theme, self.plot
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._title(painter, self.told if self.hz else "")
        name = format_value(float(round(self.note)), "note") if self.hz else tr("no pitch")
        big = QRectF(plot.x() + 10, plot.y(), 110, plot.height())
        draw_text(painter, big, name, sans(26 if self.hz else 16, 600), theme.colour("text" if self.hz else "text2"))
        left, right, middle = plot.x() + 120.0, plot.right() - 20.0, plot.y() + 30.0
        painter.setPen(QPen(theme.colour("edge"), 2))
        painter.drawLine(QPointF(left, middle), QPointF(right, middle))
        for cents in (-50, -25, 0, 25, 50):
            x = left + (right - left) * (cents + 50) / 100
            painter.drawLine(QPointF(x, middle - 5), QPointF(x, middle + 5))
            text = f"{cents:+d}".replace("-", "−") if cents else "0 ct"
            draw_text(painter, QRectF(x - 30, middle - 24, 60, 16), text, mono(11, 400), theme.colour("text2"),
                      centre=True)  # fmt: skip
        if self.hz:
            x = left + (right - left) * (self.cents + 50) / 100
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("text"))
            painter.drawEllipse(QPointF(x, middle), 6, 6)
        painter.setPen(QPen(theme.colour("pitch"), 1.75))
        low, step = plot.bottom() - 4.0, (right - left) / 150
        before: QPointF | None = None
        for k, off in enumerate(self._course):
            at = None if math.isnan(off) else QPointF(left + k * step, low - 22 - off * 0.4)
            if at is not None and before is not None:
                painter.drawLine(before, at)
            before = at
        painter.end()
