"""What the plots of the Survey workspace look like: spectrogram, loudness, layers, stretches alike."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QImage, QPainter, QPainterPath, QPen

from dunefall.app.controls.painting import TraceImage, draw_text
from dunefall.app.controls.shades import shades
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.workspaces.survey.axis import Axis
from dunefall.survey.courses import LayerCourse
from dunefall.survey.findings import STEP_BINS, View
from dunefall.survey.likeness import WINDOW_S, Alike
from dunefall.survey.listening import HIGHEST_HZ, LOWEST_HZ
from dunefall.survey.outlook import Outlook
from dunefall.survey.pyramid import stretches_of
from dunefall.survey.stretch import STRETCH

__all__ = [
    "draw_alike",
    "draw_layer",
    "draw_loudness",
    "draw_scale",
    "draw_spectrogram",
    "draw_unknown",
    "loudness_span",
]

LEVEL_LOW_DB = -54.0
TICK_APART, BAND = 3, 0.6
MARKED_HZ = ((100.0, "100 Hz"), (1000.0, "1 k"), (10_000.0, "10 k"))
GAMMA = 2.0
"""What is quiet stays pale."""


def _bins(axis: Axis, outlook: Outlook, box: QRectF) -> tuple[float, float, int]:
    """Which bins a box shows, and in how many columns."""
    return outlook.bins_of(axis.first), outlook.bins_of(axis.last), max(1, round(box.width()))


def draw_spectrogram(painter: QPainter, box: QRectF, outlook: Outlook, axis: Axis, theme: Theme) -> None:
    """Levels by frequency, even in octaves, with marks at the left."""
    seen = outlook.bands.view(*_bins(axis, outlook, box))
    shade = (255.0 * (seen.astype(np.float32) / 255.0) ** GAMMA).astype(np.uint8)
    pixels = np.ascontiguousarray(shades(theme.card, theme.audio, theme.text)[shade].T[::-1])
    rows, columns = pixels.shape
    image = QImage(pixels.data, columns, rows, columns * 4, QImage.Format.Format_RGB32)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(box, image)
    painter.restore()
    for hz, text in MARKED_HZ:
        share = np.log(hz / LOWEST_HZ) / np.log(HIGHEST_HZ / LOWEST_HZ)
        y = box.bottom() - share * box.height()
        draw_text(painter, QRectF(box.x() - 78, y - 8, 62, 16), text, mono(11), theme.colour("text2"), right=True)


def loudness_span(view: View, target: tuple[float, float] | None) -> tuple[float, float]:
    """The lowest and highest loudness that the plot shows, in LUFS: what there is, and the target."""
    heard = view.short_term[view.short_term > -70.0]
    low, high = (float(np.percentile(heard, 2)), float(heard.max())) if len(heard) else (-40.0, -10.0)
    if target is not None:
        low, high = min(low, target[0]), max(high, target[1])
    low, high = 5.0 * np.floor((low - 2.0) / 5.0), 5.0 * np.ceil((high + 2.0) / 5.0)
    return max(float(low), -70.0), max(float(high), float(low) + 15.0)


def draw_loudness(
    painter: QPainter, box: QRectF, view: View, axis: Axis, theme: Theme, target: tuple[float, float] | None
) -> None:
    """Short-term loudness as a line, its scale at the left, the target as a band."""
    low, high = loudness_span(view, target)

    def y(lufs: float) -> float:
        return box.bottom() - (min(max(lufs, low), high) - low) / (high - low) * box.height()

    for lufs in np.arange(low, high + 0.1, 10.0 if high - low > 20 else 5.0):
        place = QRectF(box.x() - 66, y(float(lufs)) - 8, 50, 16)
        if box.top() - 2 <= place.center().y() <= box.bottom() + 2:
            text = f"{lufs:.0f}".replace("-", "\u2212")
            draw_text(painter, place, text, mono(11), theme.colour("text2"), right=True)
    if target is not None:
        band = theme.colour("line")
        band.setAlphaF(0.62)
        painter.fillRect(QRectF(box.x(), y(target[1]), box.width(), y(target[0]) - y(target[1])), band)
        painter.setPen(QPen(theme.colour("edge"), 1, Qt.PenStyle.DashLine))
        for lufs in target:
            painter.drawLine(QLineF(box.x(), y(lufs), box.right(), y(lufs)))
    course = view.short_term
    if not len(course):
        return
    columns = np.arange(round(box.width()))
    bins = view.bins_of(1.0) * (axis.first + (columns + 0.5) / max(box.width(), 1) * axis.span) - view.first_bin
    at = np.floor(bins / STEP_BINS).astype(int)
    known = np.flatnonzero((at >= 0) & (at < len(course)))
    if not len(known):
        return
    values = np.repeat(course[at[known]].astype(np.float32)[:, None], 2, axis=1)
    line = TraceImage()
    line.clear(len(known), round(box.height()), painter.device().devicePixelRatioF())
    whole = QRect(0, 0, len(known), round(box.height()))
    line.trace(whole, np.clip(values, low, high), "control", theme.colour("audio"), low=low, high=high, stroke=1.5)
    painter.save()
    painter.translate(box.topLeft() + QPointF(float(known[0]), 0.0))
    line.draw(painter)
    painter.restore()


def draw_cover(painter: QPainter, box: QRectF, cover: NDArray[np.float64], colour: QColor) -> None:
    """A picture of one colour, of which each pixel shows a share [shape=(rows, columns)]."""
    parts = [colour.red(), colour.green(), colour.blue(), 255]
    red, green, blue, alpha = (np.round(part * cover).astype(np.uint32) for part in parts)
    pixels = np.ascontiguousarray(alpha << 24 | red << 16 | green << 8 | blue)
    rows, columns = pixels.shape
    painter.drawImage(box, QImage(pixels.data, columns, rows, columns * 4, QImage.Format.Format_ARGB32_Premultiplied))


def _share(level: NDArray[np.float64]) -> NDArray[np.float64]:
    """Of the room that a level takes, in dB."""
    return np.clip(1.0 - 20.0 * np.log10(np.maximum(level, 1e-6)) / LEVEL_LOW_DB, 0.0, 1.0)


def _band(height: float, triggered: bool) -> tuple[float, float]:
    """Half the room for a layer's level, and its middle: there is room for triggers below."""
    return (0.30 if triggered else 0.46) * height, (0.36 if triggered else 0.5) * height


def draw_layer(
    painter: QPainter, box: QRectF, course: LayerCourse, outlook: Outlook, axis: Axis, theme: Theme, triggered: bool
) -> None:
    """A layer's level as a band around its middle, its triggers as ticks below."""
    seen = _bins(axis, outlook, box)
    share = _share(course.level.view(*seen).astype(float))
    room, middle = _band(box.height(), triggered)
    ratio = painter.device().devicePixelRatioF()
    rows = (np.arange(round(box.height() * ratio)) + 0.5)[:, None] / ratio
    cover = np.clip(ratio * (share * room - np.abs(rows - middle)) + 0.5, 0.0, 1.0) * (share > 0.0)
    draw_cover(painter, box, cover * BAND, theme.colour("audio"))
    if triggered:
        _draw_triggers(painter, QRectF(box.x(), box.y() + 0.68 * box.height(), box.width(), 0.3 * box.height()),
                       course.triggers.view(*seen).astype(float), seen, theme)  # fmt: skip


def draw_outcome(
    painter: QPainter, box: QRectF, course: LayerCourse, outlook: Outlook, axis: Axis, theme: Theme, triggered: bool,
    by_db: float,
) -> None:  # fmt: skip
    """How a layer's level would be, louder or quieter by so much: a dashed outline."""
    level = course.level.view(*_bins(axis, outlook, box)).astype(float)
    share = _share(level * 10.0 ** (by_db / 20.0)).tolist()
    room, middle = _band(box.height(), triggered)
    painter.setPen(QPen(theme.colour("text"), 1, Qt.PenStyle.DashLine))
    for side in (-room, room):
        painter.drawPolyline([QPointF(box.x() + k, box.y() + middle + side * y) for k, y in enumerate(share)])


def _draw_triggers(
    painter: QPainter, box: QRectF, count: NDArray[np.float64], seen: tuple[float, float, int], theme: Theme
) -> None:
    """A tick each while they are apart; bars of 2 px with their count as height where they are not."""
    colour = theme.colour("gate")
    if seen[2] > seen[1] - seen[0]:  # a bin is wider than a column: it is drawn once
        count = count * np.concatenate([[True], np.diff(np.linspace(*seen[:2], seen[2] + 1)[:-1].astype(int)) > 0])
    hits = np.flatnonzero(count)
    if not len(hits):
        return
    if len(count) / len(hits) >= TICK_APART and count.max() <= 2:
        for k in hits.tolist():
            painter.fillRect(QRectF(box.x() + k, box.y(), 1.5, box.height()), colour)
        return
    pairs = np.add.reduceat(count, np.arange(0, len(count), TICK_APART))
    most = max(float(pairs.max()), 1.0)
    for k, value in enumerate(pairs.tolist()):
        if value:
            high = box.height() * max(0.2, value / most)
            painter.fillRect(QRectF(box.x() + k * TICK_APART, box.bottom() - high, 2, high), colour)


def draw_unknown(painter: QPainter, box: QRectF, outlook: Outlook, axis: Axis, theme: Theme) -> None:
    """Hatch what is not looked at yet, with an edge at its beginning."""
    rate = outlook.take.rate_hz
    painter.save()
    painter.setClipRect(box)
    for first, last in stretches_of(~outlook.known):
        left, right = axis.x(first * STRETCH / rate), axis.x(min(last * STRETCH / rate, axis.total))
        if right <= box.x() or left >= box.right():
            continue
        area = QRectF(left, box.y(), right - left, box.height()).intersected(box)
        painter.fillRect(area, theme.colour("card"))
        painter.fillRect(area, QBrush(QColor(theme.line), Qt.BrushStyle.BDiagPattern))
        painter.setPen(QPen(theme.colour("edge"), 1))
        painter.drawLine(QLineF(area.x(), box.y(), area.x(), box.bottom()))
    painter.restore()


def draw_alike(
    painter: QPainter, box: QRectF, pairs: Sequence[Alike], axis: Axis, theme: Theme, chosen: int
) -> list[QPainterPath]:
    """Arcs from one stretch to the one that resembles it, darker the closer; gives their shapes."""
    painter.save()
    painter.setClipRect(box)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    shapes = []
    for k, pair in enumerate(pairs):
        path = _arc(box, axis.x(pair.first_s), axis.x(pair.first_s + WINDOW_S), axis.x(pair.second_s),
                    axis.x(pair.second_s + WINDOW_S))  # fmt: skip
        shapes.append(path)
        fill = theme.colour("text2")
        fill.setAlphaF(0.16 if pair.likeness < 0.5 else 0.3 if pair.likeness < 0.75 else 0.5)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.fillPath(path, fill)
        if k == chosen:
            painter.setPen(QPen(theme.colour("text"), 1.5))
            painter.drawPath(path)
    painter.restore()
    return shapes


def _arc(box: QRectF, a: float, b: float, c: float, d: float) -> QPainterPath:
    """From a stretch a..b to a stretch c..d."""
    path, floor = QPainterPath(), box.bottom()
    high = min(box.height() - 4.0, 0.5 * (d - a))
    inner = max(high - (b - a), 0.3 * high)
    path.moveTo(a, floor)
    path.cubicTo(QPointF(a, floor - 1.33 * high), QPointF(d, floor - 1.33 * high), QPointF(d, floor))
    path.lineTo(c, floor)
    path.cubicTo(QPointF(c, floor - 1.33 * inner), QPointF(b, floor - 1.33 * inner), QPointF(b, floor))
    path.closeSubpath()
    return path


def draw_scale(painter: QPainter, box: QRectF, theme: Theme) -> None:
    """What the colours of the spectrogram stand for."""
    steps = shades(theme.card, theme.audio, theme.text)
    for k in range(int(box.width())):
        share = 255.0 * (k / max(box.width() - 1, 1)) ** GAMMA
        painter.fillRect(QRectF(box.x() + k, box.y(), 1, box.height()), QColor.fromRgb(int(steps[int(share)])))
    font = sans(11)
    draw_text(painter, QRectF(box.x() - 34, box.y() - 4, 30, 16), "\u221290", font, theme.colour("text2"), right=True)
    draw_text(painter, QRectF(box.right() + 4, box.y() - 4, 40, 16), "0 dB", font, theme.colour("text2"))
