"""The drawn loop of the selected layer in the field: its line, and the handles by which it is changed."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPen

from dunefall.app.controls.theme import Theme
from dunefall.patch.mixing import Way

__all__ = ["WayHandles"]

GRAB, HANDLE = 8.0, 4.0
FEWEST = 3

Angled = tuple[float, float]
"""Degrees and metres."""


class WayHandles:
    """Handles of a loop, in the px of the field.

    Parameters
    ----------
    point_of : function
        From a place to px.
    """

    def __init__(self, point_of: Callable[[Angled], QPointF]) -> None:
        self._point_of = point_of
        self.way: Way | None = None
        self.chosen = -1

    def show_way(self, way: Way | None) -> None:
        """Show this loop."""
        if self.way is None or way is None or way.gesture != self.way.gesture:
            self.chosen = -1
        self.way = way
        self.chosen = min(self.chosen, len(way.places) - 1) if way else -1

    @property
    def _points(self) -> list[QPointF]:
        return [self._point_of(place) for place in self.way.places] if self.way else []

    def paint(self, painter: QPainter, theme: Theme) -> None:
        """The line, closed, and hollow handles; the chosen one is filled."""
        points = self._points
        if not points:
            return
        painter.setPen(QPen(theme.colour("control"), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline([*points, points[0]])
        for k, point in enumerate(points):
            painter.setBrush(theme.colour("control" if k == self.chosen else "card"))
            painter.drawEllipse(point, HANDLE, HANDLE)

    def press(self, at: QPointF) -> bool:
        """Take a handle; whether there was one."""
        near = [math.dist(at.toTuple(), point.toTuple()) for point in self._points]
        if not near or min(near) > GRAB:
            return False
        self.chosen = near.index(min(near))
        return True

    def moved(self, place: Angled) -> dict[str, tuple[float, ...]] | None:
        """The loop's series with the chosen handle at another place."""
        if self.way is None or self.chosen < 0:
            return None
        places = list(self.way.places)
        places[self.chosen] = place
        return self.way.paths(places)

    def without(self) -> dict[str, tuple[float, ...]] | None:
        """The loop's series without the chosen handle; None where too few would be left."""
        if self.way is None or self.chosen < 0 or len(self.way.places) <= FEWEST:
            return None
        places = [place for k, place in enumerate(self.way.places) if k != self.chosen]
        self.chosen = min(self.chosen, len(places) - 1)
        return self.way.paths(places)

    def with_new(self, at: QPointF, place: Angled) -> dict[str, tuple[float, ...]] | None:
        """The loop's series with one more handle, where the line is that close."""
        points = self._points
        for k, start in enumerate(points):
            end = points[(k + 1) % len(points)]
            if _distance(at, start, end) <= GRAB and self.way is not None:
                places = [*self.way.places[: k + 1], place, *self.way.places[k + 1 :]]
                self.chosen = k + 1
                return self.way.paths(places)
        return None


def _distance(at: QPointF, start: QPointF, end: QPointF) -> float:
    """From a point to a line between two points."""
    along = end - start
    size = along.x() ** 2 + along.y() ** 2
    share = QPointF.dotProduct(at - start, along) / size if size else 0.0
    nearest = start + along * min(max(share, 0.0), 1.0)
    return math.dist(at.toTuple(), nearest.toTuple())
