"""A small picture of a patch for the desktop: its layers, with a mark for each module in the colour of its signal."""

from __future__ import annotations

import json
from functools import cache

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPen

from dunefall.app.controls.theme import NOON, Theme
from dunefall.patch.library import DATA
from dunefall.patch.model import Layer, Patch

__all__ = ["draw_thumbnail"]

MARGIN, GAP, ROUND = 0.05, 0.3, 0.12
"""Of the picture's size; between layers, of a layer's height; of its height."""
LEAST_ROWS, MOST_ROWS, LEAST_MARKS = 3, 8, 5


def draw_thumbnail(patch: Patch, size: int, theme: Theme = NOON) -> QImage:
    """Draw a patch.

    Parameters
    ----------
    patch : Patch
        The patch.
    size : int
        Width and height in px.
    theme : Theme
        Its colours.

    Returns
    -------
    QImage
    """
    image = QImage(size, size, QImage.Format.Format_ARGB32_Premultiplied)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    line = max(1.0, size / 96)
    edge = line / 2
    painter.setPen(QPen(theme.colour("edge"), line))
    painter.setBrush(theme.colour("ground"))
    painter.drawRoundedRect(QRectF(edge, edge, size - 2 * edge, size - 2 * edge), size * 0.08, size * 0.08)
    layers = [layer for layer in patch.layers if layer.modules][:MOST_ROWS]
    rows, inside = max(len(layers), LEAST_ROWS), size * (1.0 - 2.0 * MARGIN)
    height = inside / (rows + (rows + 1) * GAP)
    for k, layer in enumerate(layers):
        top = size * MARGIN + height * (GAP + k * (1.0 + GAP))
        box = QRectF(size * MARGIN + height * GAP / 2, top, inside - height * GAP, height)
        _draw_layer(painter, box, layer, theme)
    painter.end()
    return image


@cache
def _roles() -> dict[str, str]:
    """What each type of module gives first, without loading the modules themselves, which takes two seconds."""
    made = json.loads((DATA / "thumbnails.json").read_text("utf-8"))
    return {name: str(thumb["role"]) for name, thumb in made.items()}


def _draw_layer(painter: QPainter, box: QRectF, layer: Layer, theme: Theme) -> None:
    painter.setPen(QPen(theme.colour("line"), max(1.0, box.height() / 16)))
    painter.setBrush(theme.colour("card"))
    painter.drawRoundedRect(box, box.height() * ROUND, box.height() * ROUND)
    painter.setPen(Qt.PenStyle.NoPen)
    pad = box.height() * 0.2
    step = (box.width() - pad) / max(len(layer.modules), LEAST_MARKS)
    for k, module in enumerate(layer.modules):
        role = _roles().get(module.type, "line")
        painter.setBrush(theme.colour("line" if module.bypassed else role))
        mark = QRectF(box.left() + pad + k * step, box.top() + pad, max(step - pad, step / 2), box.height() - 2 * pad)
        painter.drawRoundedRect(mark, box.height() * ROUND, box.height() * ROUND)
