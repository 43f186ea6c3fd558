"""The lanes under the hand: selecting, folding, adding, drawing links."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, QRect, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QToolTip

from dunefall.app.workspaces.build.canvasview import CanvasView
from dunefall.app.workspaces.build.layout import CARD_H, CARD_W, CARDS_X, HEAD_W, LaneBox
from dunefall.app.workspaces.build.stillpicture import MARGIN
from dunefall.base.language import tr
from dunefall.catalogue.compounds import Face, spec_for
from dunefall.patch.model import SHARED_ID

__all__ = ["BuildCanvas"]

EDGE_W = 12
"""From this strip at the right edge of a card a link is drawn."""
HOW = tr("Drag from its right edge to link it; Shift-click marks several")


class BuildCanvas(CanvasView):
    """All lanes with their cards.

    Signals
    -------
    fold_asked (str), add_asked (str)
        A lane's head was clicked to fold it; a place to add a module to a lane was clicked.
    layer_asked ()
        "Add layer" was clicked.
    button_pressed (str, str)
        Mute or solo of a layer.
    compound_pressed (str), entered ()
        A compound is to be opened, or closed; the selection's values are wanted under the keys.
    link_drawn (str, str, QPoint)
        A link was drawn from a module to another one, or to a place of the screen.
    """

    fold_asked = Signal(str)
    add_asked = Signal(str)
    layer_asked = Signal()
    button_pressed = Signal(str, str)
    compound_pressed = Signal(str)
    entered = Signal()
    link_drawn = Signal(str, str, QPoint)

    def _place_of(self, event: QMouseEvent) -> QPointF:
        """Where on the canvas, as it is scrolled, the mouse is."""
        return event.position() / self.still.zoom

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Scroll; with Ctrl, zoom."""
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(1 if event.angleDelta().y() > 0 else -1)
            event.accept()
        else:
            super().wheelEvent(event)

    def _lane_at(self, point: QPoint) -> LaneBox | None:
        y = point.y() + self.still.dy
        return next((lane for lane in self.still.layout.lanes if lane.y <= y < lane.y + lane.height), None)

    def _card_at(self, point: QPoint) -> str:
        if point.x() < CARDS_X:
            return ""
        x, y = point.x() + self.still.dx, point.y() + self.still.dy
        for card in self.still.layout.cards.values():
            if card.x <= x < card.x + CARD_W and card.y <= y < card.y + CARD_H:
                return card.module
        return ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Select a card or a layer, fold a lane, or ask for a new module or layer."""
        point = self._place_of(event).toPoint()
        lane, card = self._lane_at(point), self._card_at(point)
        right = event.button() == Qt.MouseButton.RightButton
        button, opened = self._button_at(lane, self._place_of(event)), self._label_at(lane, point)
        if button:
            self.button_pressed.emit(*button)
        elif opened:
            self.compound_pressed.emit(opened)
        elif lane is not None and point.x() < MARGIN + 24:
            self.fold_asked.emit(lane.layer)
        elif lane is not None and point.x() < MARGIN + HEAD_W:
            layer = self.still.patch.layer(lane.layer)
            self._selection.select(layer.output_id if any(m.id == layer.output_id for m in layer.modules) else "")
        elif lane is not None and not card and (right or self._on_add(lane, point)):
            self.add_asked.emit(lane.layer)
        elif self.still.foot_rect().contains(QPointF(point)):
            self.layer_asked.emit()
        elif card and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._selection.mark(card)
        else:
            if card and not right and point.x() >= self.still.card_box(card).right() - EDGE_W:
                self._drawn_link = (card, self._place_of(event))
            self._selection.select(card)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A link that was drawn ends here: on a card, or somewhere else in the window."""
        if self._drawn_link is None:
            return
        source, start = self._drawn_link[0], self.still.card_box(self._drawn_link[0])
        self._drawn_link = None
        self.viewport().update()
        point = self._place_of(event).toPoint()
        if not start.contains(point):
            inside = QRect(0, 0, self.still.wide, self.still.high).contains(point)
            target = self._target_at(point) if inside else ""
            self.link_drawn.emit(source, target, event.globalPosition().toPoint())

    def _target_at(self, point: QPoint) -> str:
        """Where a link would end: a card; a layer's output for its head and the end of its sound path; the next card
        of the path for a place before it."""
        card, lane = self._card_at(point), self._lane_at(point)
        if card or lane is None or not self.still.patch.has(self.still.patch.layer(lane.layer).output_id):
            return card
        output, x = self.still.patch.layer(lane.layer).output_id, point.x() + self.still.dx
        path = [self.still.layout.cards[module] for module in lane.ribbon if module in self.still.layout.cards]
        if point.x() < MARGIN + HEAD_W:
            return output
        if path and path[0].x < x and path[0].y <= point.y() + self.still.dy < path[0].y + CARD_H:
            return next((card.module for card in path if card.x > x), output)
        return ""

    def _button_at(self, lane: LaneBox | None, point: QPointF) -> tuple[str, str] | None:
        if lane is None:
            return None
        boxes = self.still.button_rects(self.still.patch.layer(lane.layer))
        return next(((lane.layer, name) for name, box in boxes.items() if box.contains(point)), None)

    def _label_at(self, lane: LaneBox | None, point: QPoint) -> str:
        """The opened compound whose name is there."""
        place = QPointF(point.x() + self.still.dx, point.y() + self.still.dy)
        mats = lane.mats if lane is not None and point.x() >= CARDS_X - 10 else ()
        return next((mat.compound for mat in mats if self.still.label_rect(mat).contains(place)), "")

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Open a compound."""
        card = self._card_at(self._place_of(event).toPoint())
        if card and isinstance(self.still.patch.module(card), Face):
            self.compound_pressed.emit(card)
        else:
            self.mousePressEvent(event)

    def _on_add(self, lane: LaneBox, point: QPoint) -> bool:
        place = QPointF(point.x() + self.still.dx, point.y() + self.still.dy)
        return lane.layer == SHARED_ID and self.still.add_rect(lane).contains(place)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """A link that is being drawn follows; else the full name in a tooltip."""
        if self._drawn_link is not None:
            self._drawn_link = (self._drawn_link[0], self._place_of(event))
            self.viewport().update()
            return
        card = self._card_at(self._place_of(event).toPoint())
        if card != self._hover:
            self._hover = card
            if card:
                module = self.still.patch.module(card)
                spec = spec_for(module)
                text = tr("{name}: unknown kind", name=module.name)
                if spec is not None:
                    text = f"{module.name} ({spec.name})\n{spec.sentence}\n{HOW}"
                QToolTip.showText(event.globalPosition().toPoint(), text, self.viewport())
            else:
                QToolTip.hideText()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows move from card to card, Home and End show the beginning and the end of long lanes, Enter goes to the
        selection's values; L shows all links while it is held."""
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if event.key() in steps:
            self._step(*steps[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End):
            bar = self.horizontalScrollBar()
            bar.setValue(bar.minimum() if event.key() == Qt.Key.Key_Home else bar.maximum())
        elif event.key() == Qt.Key.Key_Escape:
            self._selection.select("")
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._selection.module:
            self.entered.emit()
        elif event.key() == Qt.Key.Key_L and not event.isAutoRepeat():
            self.still.all_links = True
            self.refresh()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """Hide all links again."""
        if event.key() == Qt.Key.Key_L and not event.isAutoRepeat():
            self.still.all_links = False
            self.refresh()
        super().keyReleaseEvent(event)

    def _step(self, dx: int, dy: int) -> None:
        here = self.still.layout.cards.get(self._selection.module)
        cards = list(self.still.layout.cards.values())
        if here is None:
            if cards:
                self._selection.select(cards[0].module)
            return
        ahead = [c for c in cards if ((c.x - here.x) * dx > 0 and abs(c.y - here.y) < 8) or (c.y - here.y) * dy > 0]
        if ahead:
            self._selection.select(min(ahead, key=lambda c: (abs(c.y - here.y), abs(c.x - here.x))).module)
