"""Events per minute of each layer: mean, and the least and most of any minute, on a logarithmic rail."""

from __future__ import annotations

import math

from PySide6.QtCore import QLineF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from dunefall.app.controls.accessible import PaintedPart
from dunefall.app.controls.painting import draw_text
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.base.language import decimal, tr
from dunefall.survey.numbers import LayerNumbers, Numbers

__all__ = ["EventsBox"]

ROW, HEAD = 26, 40
LEAST, MOST = 0.5, 400.0
NAME_W, FIGURE_W, SPAN_W = 92, 40, 54


def _share(per_minute: float) -> float:
    return min(max(math.log(max(per_minute, LEAST) / LEAST) / math.log(MOST / LEAST), 0.0), 1.0)


class EventsBox(QWidget):
    """A row for each layer."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._numbers: Numbers | None = None
        self.setAccessibleName(tr("Events per minute"))
        self.setToolTip(
            tr("How often something begins in a layer: the mean, and the least and most in any whole minute")
        )

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.update()

    def show_numbers(self, numbers: Numbers) -> None:
        """Show what was counted."""
        self._numbers = numbers
        self.setFixedHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        """As high as there are layers."""
        return QSize(280, HEAD + ROW * len(self._rows))

    @property
    def _rows(self) -> tuple[LayerNumbers, ...]:
        return self._numbers.layers if self._numbers else ()

    def painted_parts(self) -> list[PaintedPart]:
        """Each layer with its figures."""
        width = self.width()
        return [
            PaintedPart(row.name, _told(row), QRect(0, HEAD + ROW * k, width, ROW)) for k, row in enumerate(self._rows)
        ]

    def paintEvent(self, event: QPaintEvent) -> None:
        """Head and rows."""
        painter, theme = QPainter(self), self._theme
        right = self.width() - 12.0
        quiet = theme.colour("text2")
        draw_text(painter, QRectF(16, 8, 150, 20), tr("Events per minute"), sans(14, 600), theme.colour("text"))
        draw_text(painter, QRectF(right - SPAN_W, 8, SPAN_W, 20), tr("span"), sans(11), quiet, right=True)
        mean = QRectF(right - SPAN_W - FIGURE_W - 4, 8, FIGURE_W, 20)
        draw_text(painter, mean, tr("mean"), sans(11), quiet, right=True)
        for k, row in enumerate(self._rows):
            self._draw_row(painter, row, HEAD + ROW * k, right)
        painter.end()

    def _draw_row(self, painter: QPainter, row: LayerNumbers, y: float, right: float) -> None:
        theme = self._theme
        draw_text(painter, QRectF(16, y, NAME_W - 18, ROW), row.name, sans(12, 500), theme.colour("text"))
        if not row.triggered:
            told = (
                tr("no triggers, always on")
                if row.heard > 0.99
                else tr("no triggers, heard {heard:.0f} %", heard=100 * row.heard)
            )
            draw_text(
                painter, QRectF(NAME_W, y, right - NAME_W, ROW), told, sans(11), theme.colour("text2"), right=True
            )
            return
        left, width = float(NAME_W), right - SPAN_W - FIGURE_W - 12 - NAME_W
        middle = y + ROW / 2
        painter.setPen(QPen(theme.colour("edge"), 1.5))
        painter.drawLine(QLineF(left, middle, left + width, middle))
        band = theme.colour("gate")
        band.setAlphaF(0.45)
        first, last = left + width * _share(row.least), left + width * _share(row.most)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.fillRect(QRectF(first, middle - 3, max(last - first, 2), 6), band)
        painter.fillRect(QRectF(left + width * _share(row.per_minute) - 1, middle - 6, 2.5, 12), theme.colour("text"))
        figure = decimal(f"{row.per_minute:.0f}") if row.per_minute >= 100 else decimal(f"{row.per_minute:.1f}")
        draw_text(painter, QRectF(right - SPAN_W - FIGURE_W - 4, y, FIGURE_W, ROW), figure, mono(12),
                  theme.colour("text"), right=True)  # fmt: skip
        span = "fixed" if row.least == row.most else f"{row.least}\u2013{row.most}"
        draw_text(painter, QRectF(right - SPAN_W, y, SPAN_W, ROW), span, mono(11), theme.colour("text2"), right=True)


def _told(row: LayerNumbers) -> str:
    if not row.triggered:
        return tr("no triggers, heard {heard:.0f} % of the time", heard=100 * row.heard)
    return tr("{per_minute:.1f} a minute, {least} to {most} in any minute, heard {heard:.0f} %",
              per_minute=row.per_minute, least=row.least, most=row.most, heard=100 * row.heard)  # fmt: skip
