"""Spectrograms and courses of loudness, as they are painted on cards and rows."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPen, QPolygonF

from dunefall.app.controls.shades import shades
from dunefall.app.controls.theme import Theme
from dunefall.vary.looks import Look

__all__ = ["draw_course", "draw_spectrogram"]

QUIETEST, LOUDEST = -54.0, -10.0
"""Loudness at the lower and the upper edge of a course, in LUFS."""


def draw_spectrogram(painter: QPainter, box: QRectF, look: Look, theme: Theme, strength: float = 1.0) -> None:
    """Draw the spectrogram of a look into a box."""
    pixels = np.ascontiguousarray(shades(theme.card, theme.audio, theme.text)[look.picture])
    rows, columns = pixels.shape
    image = QImage(pixels.data, columns, rows, columns * 4, QImage.Format.Format_RGB32)
    painter.save()
    painter.setOpacity(strength)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(box, image)
    painter.restore()


def _line(course: NDArray[np.float64], box: QRectF) -> QPolygonF:
    share = np.clip((course - QUIETEST) / (LOUDEST - QUIETEST), 0.0, 1.0)
    step = box.width() / max(len(course) - 1, 1)
    return QPolygonF(
        [QPointF(box.x() + k * step, box.bottom() - y * box.height()) for k, y in enumerate(share.tolist())]
    )


def draw_course(
    painter: QPainter, box: QRectF, look: Look, theme: Theme, parent: Look | None = None, strength: float = 1.0
) -> None:
    """Draw the course of loudness of a look, and its parent's dotted."""
    painter.save()
    painter.setOpacity(strength)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    line = _line(look.course, box)
    fill = theme.colour("audio")
    fill.setAlphaF(0.22)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(fill)
    painter.drawPolygon(QPolygonF([box.bottomLeft(), *line, box.bottomRight()]))  # type: ignore[misc]
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if parent is not None:
        painter.setPen(QPen(theme.colour("text2"), 1, Qt.PenStyle.DotLine))
        painter.drawPolyline(_line(parent.course, box))
    painter.setPen(QPen(theme.colour("audio"), 1.5))
    painter.drawPolyline(line)
    painter.restore()
