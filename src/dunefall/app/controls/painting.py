"""Small helpers for painting text, pills and live traces."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter, QPen
from PySide6.QtWidgets import QWidget

from dunefall.app.controls.theme import Theme
from dunefall.dsp.strokes import KIND_AUDIO, KIND_CONTROL, KIND_GATE, KIND_PITCH, draw_trace

__all__ = ["KINDS", "TraceImage", "card", "draw_text", "elided", "outline", "text_width"]

KINDS = {"audio": KIND_AUDIO, "control": KIND_CONTROL, "gate": KIND_GATE, "pitch": KIND_PITCH}


_metrics: dict[str, QFontMetricsF] = {}


def _metrics_of(font: QFont) -> QFontMetricsF:
    key = font.key()
    if key not in _metrics:
        _metrics[key] = QFontMetricsF(font)
    return _metrics[key]


def text_width(text: str, font: QFont) -> float:
    """Width of a text in px."""
    return _metrics_of(font).horizontalAdvance(text)


def elided(text: str, font: QFont, room: float) -> str:
    """The text, or its beginning with an ellipsis where the room is too small."""
    _metrics_of(font)
    return _elided(text, font.key(), room)


@lru_cache(maxsize=4096)
def _elided(text: str, font: str, room: float) -> str:
    return _metrics[font].elidedText(text, Qt.TextElideMode.ElideRight, room)


def draw_text(
    painter: QPainter, box: QRectF, text: str, font: QFont, colour: QColor, *, right: bool = False, centre: bool = False
) -> None:
    """Draw one line of text in a box, cut with an ellipsis if it is too long."""
    painter.setFont(font)
    painter.setPen(colour)
    side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
    side = Qt.AlignmentFlag.AlignHCenter if centre else side
    painter.drawText(box, int(side | Qt.AlignmentFlag.AlignVCenter), elided(text, font, box.width() + 0.5))


class TraceImage:
    """A transparent picture of a widget's size into whose memory traces are drawn."""

    def __init__(self) -> None:
        self._pixels: NDArray[np.uint32] = np.zeros((1, 1), np.uint32)
        self._scale = 1.0

    def clear(self, width: int, height: int, scale: float) -> None:
        """Make it this large (in px of the widget, ``scale`` device pixels each) and empty."""
        shape = (max(1, round(height * scale)), max(1, round(width * scale)))
        if self._pixels.shape != shape:
            self._pixels = np.zeros(shape, np.uint32)
        else:
            self._pixels.fill(0)
        self._scale = scale

    def trace(
        self,
        box: QRect,
        bins: NDArray[np.float32],
        role: str,
        colour: QColor,
        *,
        low: float = -1.0,
        high: float = 1.0,
        alpha: float = 1.0,
        stroke: float = 1.75,
    ) -> None:
        """Draw one trace into a box of the widget."""
        s = self._scale
        draw_trace(
            self._pixels, round(box.x() * s), round(box.y() * s), max(1, round(box.width() * s)),
            max(2, round(box.height() * s)), bins, KINDS[role], float(low), float(high), colour.rgb() & 0xFFFFFF,
            float(alpha), float(stroke * s),
        )  # fmt: skip

    def draw(self, painter: QPainter) -> None:
        """Put the picture over what the painter has drawn."""
        rows, columns = self._pixels.shape
        image = QImage(self._pixels.data, columns, rows, columns * 4, QImage.Format.Format_ARGB32_Premultiplied)
        image.setDevicePixelRatio(self._scale)
        painter.drawImage(0, 0, image)


def card(painter: QPainter, widget: QWidget, theme: Theme) -> None:
    """The ground of a field: a rounded card, framed in ink while the widget has the focus."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("card"))
    painter.drawRoundedRect(QRectF(widget.rect()), 6, 6)
    focus = widget.hasFocus()
    outline(painter, QRectF(widget.rect()), theme.colour("text" if focus else "line"), 2 if focus else 1, 6)


def outline(
    painter: QPainter, box: QRectF, colour: QColor, width: float, radius: float, *, dashed: bool = False
) -> None:
    """Draw a rounded frame inside its box."""
    pen = QPen(colour, width)
    if dashed:
        pen.setStyle(Qt.PenStyle.DashLine)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    half = width / 2
    painter.drawRoundedRect(box.adjusted(half, half, -half, -half), radius, radius)
