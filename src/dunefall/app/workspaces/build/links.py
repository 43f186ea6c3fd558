"""The links of the selected card: their way through the gutters, and their amounts."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPainterPath, QPen, QPolygonF

from dunefall.app.controls.linkrow import link_role
from dunefall.app.controls.painting import draw_text, text_width
from dunefall.app.controls.theme import Theme, mono
from dunefall.app.workspaces.build.layout import CARD_H, CARD_W, GUTTER, CardBox, Layout, is_delayed
from dunefall.base.units import format_amount
from dunefall.catalogue.compounds import target_of
from dunefall.catalogue.declare import Param
from dunefall.catalogue.reach import unit_of
from dunefall.patch.model import Link, Patch

__all__ = ["LinkPainter", "amount_text"]

AXIS = 40
TAG_H = 17


def amount_text(patch: Patch, link: Link) -> str:
    """A link's amount in its target's unit; empty for a sound at full level."""
    unit = unit_of(patch, link)
    plain = link.amount == 1.0 and not isinstance(target_of(patch, link.target), Param) and unit == "ratio"
    return "" if plain else format_amount(link.amount, unit)


@dataclass
class _Tag:
    box: QRectF
    text: str
    role: str


class LinkPainter:
    """Draws links over the cards; tags of several links into one card sit side by side."""

    def __init__(self, patch: Patch, layout: Layout, theme: Theme) -> None:
        self._patch, self._layout, self._theme = patch, layout, theme
        self._entries: dict[tuple[str, bool], int] = {}
        self._tags: list[_Tag] = []

    def draw(self, painter: QPainter, links: list[Link], *, tags: bool) -> None:
        """Draw these links; those from or to folded lanes end at the lane's head."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._entries.clear()
        self._tags.clear()
        for link in links:
            source, target = self._layout.cards.get(link.source.module), self._layout.cards.get(link.target.module)
            if source and target:
                self._draw(painter, link, source, target)
        if tags:
            for tag in self._tags:
                self._draw_tag(painter, tag)

    def _draw(self, painter: QPainter, link: Link, source: CardBox, target: CardBox) -> None:
        role = link_role(self._patch, link)
        ends = (source.module, target.module)
        if ends not in self._layout.delayed:
            self._layout.delayed[ends] = is_delayed(self._patch, *ends)
        delayed = self._layout.delayed[ends]
        colour = self._theme.colour(role)
        pen = QPen(colour, 1.75 if link.amount else 0.8)
        pen.setStyle(Qt.PenStyle.DashLine if delayed else Qt.PenStyle.DotLine if not link.on else Qt.PenStyle.SolidLine)
        start = QPointF(source.x + CARD_W, source.y + AXIS)
        straight = target.column == source.column + 1 and target.y == source.y
        if straight:
            end = QPointF(target.x - 1, target.y + AXIS)
            path = QPainterPath(start)
            path.lineTo(end)
            heading = 0
        else:
            path, end, heading = self._around(start, source, target, delayed)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        self._arrow(painter, end, heading, role)
        painter.setBrush(QBrush(colour))
        painter.drawEllipse(start, 3, 3)
        text = ("↺ " if delayed else "") + amount_text(self._patch, link)
        if text:
            self._add_tag(text, role, end, heading)

    def _around(
        self, start: QPointF, source: CardBox, target: CardBox, delayed: bool
    ) -> tuple[QPainterPath, QPointF, int]:
        """Right into the gutter, along it to the row's edge, then to the target's top or bottom."""
        from_above = source.y < target.y and not delayed
        key = (target.module, from_above)
        count = self._entries.get(key, 0)
        self._entries[key] = count + 1
        x = target.x + (CARD_W - 20 if delayed else 18 + 26 * (count % 4))
        lane_edge = target.y - 5 if from_above else target.y + CARD_H + 4 + 3 * (count % 2)
        end = QPointF(x, target.y - 1 if from_above else target.y + CARD_H + 1)
        gutter = source.x + CARD_W + GUTTER / 2
        if delayed:
            start = QPointF(source.x + CARD_W / 2, source.y + CARD_H)
            path = QPainterPath(start)
            path.cubicTo(start.x(), start.y() + 34, x, end.y() + 34, x, end.y())
            return path, end, -1
        path = QPainterPath(start)
        turn = 6.0
        down = 1.0 if lane_edge > start.y() else -1.0
        path.lineTo(gutter - turn, start.y())
        path.quadTo(gutter, start.y(), gutter, start.y() + down * turn)
        side = 1.0 if x > gutter else -1.0
        path.lineTo(gutter, lane_edge - down * turn)
        path.quadTo(gutter, lane_edge, gutter + side * turn, lane_edge)
        path.lineTo(x, lane_edge)
        path.lineTo(end)
        return path, end, 1 if from_above else -1

    def _arrow(self, painter: QPainter, tip: QPointF, heading: int, role: str) -> None:
        """An arrow head that points right (0), down (1) or up (-1)."""
        colour = self._theme.colour(role)
        painter.setPen(QPen(colour, 1))
        painter.setBrush(QBrush(colour))
        if heading == 0:
            back = [QPointF(tip.x() - 6, tip.y() - 4), QPointF(tip.x() - 6, tip.y() + 4)]
        else:
            back = [QPointF(tip.x() - 4, tip.y() - heading * 6), QPointF(tip.x() + 4, tip.y() - heading * 6)]
        painter.drawPolygon(QPolygonF([tip, *back]))

    def _add_tag(self, text: str, role: str, end: QPointF, heading: int) -> None:
        width = text_width(text, mono(11, 600)) + 10
        x = end.x() + 7
        y = end.y() - TAG_H - 5 if heading == 1 else end.y() + 9
        if heading == 0:
            x, y = end.x() - width - 10, end.y() - TAG_H - 6
        box = QRectF(x, y, width, TAG_H)
        for _ in range(8):
            hit = next((tag for tag in self._tags if tag.box.adjusted(-2, -2, 2, 2).intersects(box)), None)
            if hit is None:
                break
            box.moveTop(hit.box.top() - TAG_H - 3 if heading == 1 else hit.box.bottom() + 3)
        self._tags.append(_Tag(box, text, role))

    def _draw_tag(self, painter: QPainter, tag: _Tag) -> None:
        painter.setPen(QPen(self._theme.colour(tag.role), 1.25))
        painter.setBrush(QBrush(self._theme.colour("card")))
        painter.drawRoundedRect(tag.box, 4, 4)
        draw_text(painter, tag.box, tag.text, mono(11, 600), self._theme.colour("text"), centre=True)
