"""The family tree: which state came from which, the latest generations; a click brings one back."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from dunefall.app.controls.accessible import PaintedPart
from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import draw_text, text_width
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.base.language import tr
from dunefall.patch.family import DISCARDED, KEPT, NO_FAMILY, Family, State

__all__ = ["FamilyTree", "generation", "in_rows"]

LEAST_ROW, MOST_ROW, DOT = 13.0, 26.0, 4.0
FOLDED_FROM = 40


@dataclass(frozen=True)
class _Spot:
    state: State
    depth: int
    row: float


def generation(family: Family, state_id: str) -> int:
    """How many states a state came from, one from the other."""
    count, state = 0, family.state(state_id)
    while state is not None and state.parent:
        count, state = count + 1, family.state(state.parent)
    return count


def in_rows(family: Family) -> tuple[list[tuple[State, int]], int]:
    """The states with their depth, each before what came from it; of a large family without those that were discarded
    and led to nothing, whose count is given."""
    children: dict[str, list[State]] = {}
    for state in family.states:
        children.setdefault(state.parent, []).append(state)
    fold, folded = len(family.states) > FOLDED_FROM, 0
    found: list[tuple[State, int]] = []
    waiting = [(state, 0) for state in reversed(children.get("", []))]
    while waiting:
        state, depth = waiting.pop()
        if fold and state.mark == DISCARDED and state.id not in children and not state.name:
            folded += 1
            continue
        found.append((state, depth))
        waiting += [(child, depth + 1) for child in reversed(children.get(state.id, []))]
    return found, folded


class FamilyTree(QWidget):
    """Dots joined by lines, from the left to the right.

    Signals
    -------
    asked (str)
        Id of a state that is to come back.
    """

    asked = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme, self._family, self._spots, self._folded = theme, NO_FAMILY, list[_Spot](), 0
        self._focus, self._zoom, self._first = 0, 1.0, 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Family tree"))
        self.setObjectName("family tree")
        self.setMinimumHeight(196)
        self.setMouseTracking(True)
        own_keys(self, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Enter)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.update()

    def show_family(self, family: Family) -> None:
        """Show this family, and what the patch was last in its middle."""
        if family is self._family:
            return
        self._family = family
        states, self._folded = in_rows(family)
        rows: dict[str, float] = {}
        leaves = 0
        parents = {state.parent for state, _ in states}
        for state, _ in states:
            if state.id not in parents:
                rows[state.id] = leaves
                leaves += 1
        for state, _ in reversed(states):
            if state.id in parents:
                own = [rows[child.id] for child, _ in states if child.parent == state.id and child.id in rows]
                rows[state.id] = sum(own) / len(own) if own else 0.0
        self._spots = [_Spot(state, depth, rows[state.id]) for state, depth in states]
        self._focus = next((k for k, spot in enumerate(self._spots) if spot.state.id == family.now), 0)
        self._keep_in_sight()
        self.update()

    # -- where things are -------------------------------------------------------------------------------------------

    @property
    def _row_h(self) -> float:
        rows = max((spot.row for spot in self._spots), default=0.0) + 1.0
        return min(MOST_ROW, max(LEAST_ROW, (self.height() - 12) / rows)) * self._zoom

    @property
    def _depths(self) -> tuple[int, int]:
        deepest = max((spot.depth for spot in self._spots), default=0)
        return max(0, deepest - 3), deepest

    @property
    def _step(self) -> float:
        """From one generation to the next."""
        first, last = self._depths
        return (self.width() - 90) / max(last - first, 1)

    def _place(self, spot: _Spot) -> QPointF:
        return QPointF(12 + (spot.depth - self._depths[0]) * self._step, 12 + (spot.row - self._first) * self._row_h)

    def _keep_in_sight(self) -> None:
        if not self._spots:
            return
        seen = max(1.0, (self.height() - 20) / self._row_h)
        row = self._spots[self._focus].row
        self._first = min(max(self._first, row - seen + 1.0), row) if seen <= max(s.row for s in self._spots) else 0.0

    def _at(self, place: QPointF) -> int | None:
        for k, spot in enumerate(self._spots):
            if self._box(spot).contains(place):
                return k
        return None

    def painted_parts(self) -> list[PaintedPart]:
        """The states, for screen readers."""
        now = self._family.now
        parts = []
        for k, spot in enumerate(self._spots):
            told = spot.state.mark or (tr("the patch") if spot.state.id == now else "")
            parts.append(PaintedPart(spot.state.title, told, self._box(spot).toRect(), k == self._focus))
        return parts

    def _box(self, spot: _Spot) -> QRectF:
        place = self._place(spot)
        return QRectF(place.x() - 10, place.y() - 7, 90, 14)

    # -- events -----------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click brings a state back."""
        found = self._at(event.position())
        if found is not None:
            self._focus = found
            self.asked.emit(self._spots[found].state.id)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """What is under the pointer."""
        found = self._at(event.position())
        self.setToolTip(self._about(self._spots[found].state) if found is not None else "")

    def _about(self, state: State) -> str:
        told = ", ".join(filter(None, (state.title, state.made, tr(state.mark))))
        return f"{told}\n{tr('A click brings it back.')}"

    def wheelEvent(self, event: QWheelEvent) -> None:
        """The wheel zooms."""
        self._zoom = min(4.0, max(1.0, self._zoom * (1.2 if event.angleDelta().y() > 0 else 1 / 1.2)))
        self._keep_in_sight()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and down go along the states, Enter brings one back."""
        key = event.key()
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self._spots:
            self._focus = min(max(self._focus + (1 if key == Qt.Key.Key_Down else -1), 0), len(self._spots) - 1)
            self._keep_in_sight()
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._spots:
            self.asked.emit(self._spots[self._focus].state.id)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """The state with the focus is framed."""
        super().focusInEvent(event)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Lines, dots, names."""
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self._spots:
            text = tr("Nothing kept yet. Variations and snapshots appear here.")
            painter.setFont(sans(12))
            painter.setPen(theme.colour("text2"))
            painter.drawText(QRectF(0, 4, self.width(), self.height()), int(Qt.TextFlag.TextWordWrap), text)
            painter.end()
            return
        first, last = self._depths
        places = {spot.state.id: self._place(spot) for spot in self._spots}
        shown = [(k, spot) for k, spot in enumerate(self._spots) if spot.depth >= first]
        painter.setPen(QPen(theme.colour("edge"), 1))
        for _, spot in shown:
            if spot.state.parent in places and spot.depth > first:
                a, b = places[spot.state.parent], places[spot.state.id]
                path = QPainterPath(a)
                middle = (a.x() + b.x()) / 2
                path.cubicTo(QPointF(middle, a.y()), QPointF(middle, b.y()), b)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPath(path)
        for k, spot in shown:
            self._dot(painter, k, spot, places[spot.state.id], spot.depth == last)
        if self._folded:
            text = tr("{folded} discarded", folded=self._folded)
            draw_text(painter, QRectF(0, self.height() - 18, self.width(), 16), text, sans(11), theme.colour("text2"))
        painter.end()

    def _dot(self, painter: QPainter, k: int, spot: _Spot, place: QPointF, leaf: bool) -> None:
        theme, state = self._theme, spot.state
        now = state.id == self._family.now
        solid = state.mark == KEPT or bool(state.name) or now
        painter.setPen(QPen(theme.colour("text"), 1.5))
        painter.setBrush(theme.colour("text" if solid else "raised"))
        size = DOT + 1.5 * now
        if state.mark == DISCARDED:
            painter.drawLine(QPointF(place.x() - 3, place.y() - 3), QPointF(place.x() + 3, place.y() + 3))
            painter.drawLine(QPointF(place.x() - 3, place.y() + 3), QPointF(place.x() + 3, place.y() - 3))
        else:
            painter.drawEllipse(place, size, size)
        if k == self._focus and self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(place, size + 3, size + 3)
        font = sans(11, 600 if now else 400) if state.name or not state.number else mono(11, 600 if now else 400)
        if leaf or spot.depth == self._depths[1]:
            box = QRectF(place.x() + 10, place.y() - 8, self.width() - place.x() - 10, 16)
            draw_text(painter, box, state.title, font, theme.colour("text"))
        else:
            width = min(self._step - 4.0, text_width(state.title, font) + 2)
            x = min(max(0.0, place.x() - width / 2), self.width() - width)
            draw_text(
                painter, QRectF(x, place.y() - 22, width, 14), state.title, font, theme.colour("text"), centre=True
            )
