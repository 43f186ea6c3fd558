"""How the lanes look: one painted view of the whole patch. Static parts are cached; live traces are drawn over them."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRect, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent
from PySide6.QtWidgets import QAbstractScrollArea, QWidget

from dunefall.app.controls.accessible import PaintedPart, tell_focus
from dunefall.app.controls.live import TraceSource
from dunefall.app.controls.painting import TraceImage
from dunefall.app.controls.theme import Theme
from dunefall.app.model.selection import Selection
from dunefall.app.workspaces.build.layout import CARD_W, CARDS_X, FOLDED_H, PITCH, CardBox
from dunefall.app.workspaces.build.stillpicture import CARD_BINS, MARGIN, StillPicture, card_value
from dunefall.base.language import tr, tr_count
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.paths import end_of
from dunefall.patch.model import Place

__all__ = ["CanvasView"]

ZOOMS = (0.5, 0.65, 0.8, 1.0, 1.25, 1.5, 2.0)


class CanvasView(QAbstractScrollArea):
    """All lanes with their cards, painted; what is selected is the model's affair.

    Attributes
    ----------
    still : StillPicture
        What does not move, and the places of everything.
    """

    def __init__(self, selection: Selection, traces: TraceSource, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._selection, self._traces = selection, traces
        self.still = StillPicture(self.viewport(), selection, theme)
        self._drawn_link: tuple[str, QPointF] | None = None
        self._kept: QPixmap | None = None
        self._image = TraceImage()
        self._hover = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Lanes"))
        self.viewport().setMouseTracking(True)
        self.horizontalScrollBar().setSingleStep(PITCH // 2)
        self.verticalScrollBar().setSingleStep(24)
        self._fit_scroll_bars()

    def refresh(self) -> None:
        """Redraw the static parts; lanes that have not changed keep their pictures."""
        self._kept, self.still.ahead = None, True
        self.viewport().update()

    def card_rect(self, module: str) -> QRect:
        """A card's place in the viewport; empty if its lane is folded. For menus, hints and tests."""
        return self.still.zoomed(self.still.card_box(module))

    def head_rect(self, layer: str) -> QRect:
        """A lane head's place in the viewport."""
        return self.still.zoomed(self.still.head_box(layer))

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        """Scrolled: the static parts move."""
        self.still.dx, self.still.dy = self.horizontalScrollBar().value(), self.verticalScrollBar().value()
        ahead = self.still.ahead
        self.refresh()
        self.still.ahead = ahead or dx != 0  # up and down every lane stays as it is

    def _fit_scroll_bars(self) -> None:
        covered = round(self.still.covered / self.still.zoom)
        self.verticalScrollBar().setRange(0, max(0, self.still.layout.height - self.still.high))
        self.verticalScrollBar().setPageStep(self.still.high)
        self.horizontalScrollBar().setRange(0, max(0, self.still.layout.width - self.still.wide + covered))
        self.horizontalScrollBar().setPageStep(self.still.wide - covered)

    def show_patch(self) -> None:
        """Show the patch as it is seen now."""
        self.still.show_patch()
        if self._drawn_link is not None and not self.still.patch.has(self._drawn_link[0]):
            self._drawn_link = None  # its card was removed while it was drawn
        self._fit_scroll_bars()
        self.refresh()

    def show_selection(self) -> None:
        """Show what is selected now, and bring it into sight."""
        self.refresh()
        self._scroll_to(self._selection.module)
        tell_focus(self)

    def set_covered(self, width: int) -> None:
        """The width in px covered at the right: what is selected is scrolled out from there."""
        if width != self.still.covered:
            self.still.covered = width
            self._fit_scroll_bars()
            self._scroll_to(self._selection.module)

    def zoom(self, steps: int) -> None:
        """Draw everything some steps larger, or smaller; 0: as large as it is."""
        now = min(range(len(ZOOMS)), key=lambda k: abs(ZOOMS[k] - self.still.zoom))
        wanted = ZOOMS[min(max(now + steps, 0), len(ZOOMS) - 1)] if steps else 1.0
        if wanted != self.still.zoom:
            self.still.zoom = wanted
            self.still.lane_pictures.clear()
            self._fit_scroll_bars()
            self.refresh()
            self._scroll_to(self._selection.module)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self.still.theme = theme
        self.still.lane_pictures.clear()
        self.refresh()

    def set_faults(self, modules: tuple[str, ...]) -> None:
        """Mark modules that were silenced."""
        self.still.faults = modules
        self.refresh()

    def set_asleep(self, modules: frozenset[str]) -> None:
        """Mark modules that lead nowhere."""
        if modules != self.still.asleep:
            self.still.asleep = modules
            self.refresh()

    def set_quiet(self, modules: frozenset[str]) -> None:
        """Mark modules whose output has not changed for a while."""
        if modules != self.still.quiet:
            self.still.quiet = modules
            self.refresh()

    def painted_parts(self) -> list[PaintedPart]:
        """The lanes' heads and cards, for screen readers."""
        parts = []
        for lane in self.still.layout.lanes:
            layer, cards = self.still.patch.layer(lane.layer), len(lane.cards)
            told = tr("folded") if layer.folded else tr_count("{count} card", "{count} cards", cards)
            head = layer.output_id == self._selection.module
            parts.append(PaintedPart(tr("Layer {name}", name=layer.name), told, self.head_rect(layer.id), head))
            for card in lane.cards:
                module = self.still.patch.module(card.module)
                spec = spec_for(module)
                told = f"{spec.name if spec else tr('unknown kind')}, {card_value(self.still.patch, module)}".rstrip(
                    ", "
                )
                chosen = card.module in self._selection.chosen
                parts.append(PaintedPart(module.name, told, self.card_rect(card.module), chosen))
        return parts

    def animate(self) -> None:
        """Draw the next frame of the traces; between two of them there is time for a lane that is not in sight."""
        self.viewport().update()
        if self.still.ahead and self._kept is not None:
            self.still.draw_ahead()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Cached static parts, then the traces."""
        scale = self.still.scale
        if self._kept is None:
            self._kept = QPixmap(round(self.still.wide * scale), round(self.still.high * scale))
            self._kept.setDevicePixelRatio(scale)
            self._kept.fill(self.still.theme.colour("ground"))
            painter = QPainter(self._kept)
            self.still.draw(painter)
            painter.end()
        painter = QPainter(self.viewport())
        painter.scale(self.still.zoom, self.still.zoom)
        painter.drawPixmap(0, 0, self._kept)
        self._image.clear(self.still.wide, self.still.high, scale)
        self._draw_traces()
        self._image.draw(painter)
        if self._drawn_link is not None:
            self._draw_new_link(painter, *self._drawn_link)
        painter.end()

    def _draw_new_link(self, painter: QPainter, source: str, end: QPointF) -> None:
        """A link that is being drawn: it follows the pointer."""
        card, spec = self.still.card_box(source), spec_for(self.still.patch.module(source))
        role = spec.outputs[0].role if spec and spec.outputs else "control"
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.still.theme.colour(role), 2.5))
        painter.drawLine(QPointF(card.right() + 1, card.top() + 40), end)
        painter.setBrush(self.still.theme.colour(role))
        painter.drawEllipse(end, 4, 4)

    def _draw_traces(self) -> None:
        theme, related = self.still.theme, self.still.related()
        for lane in self.still.layout.lanes:
            if not self.still.in_sight(lane):
                continue
            layer = self.still.patch.layer(lane.layer)
            strip = QRect(CARDS_X, lane.y - self.still.dy + 4, self.still.wide - CARDS_X - 2 * MARGIN, FOLDED_H - 8)
            whole = strip if layer.folded else self.still.head_wave(lane) if lane.height > 100 else None
            bins = self._traces.trace(end_of(layer)) if whole is not None else None
            if whole is not None and bins is not None:
                self._image.trace(whole, bins, "audio", theme.colour("audio"), alpha=theme.dim)
            for card in lane.cards:
                self._draw_face(card, bool(related) and card.module not in related)

    def _draw_face(self, card: CardBox, dim: bool) -> None:
        module = self.still.patch.module(card.module)
        spec, box = spec_for(module), QRect(card.x + 6 - self.still.dx, card.y + 21 - self.still.dy, CARD_W - 12, 38)
        if spec is None or not spec.outputs or box.right() < CARDS_X:
            return
        cut, width = max(0, CARDS_X - box.left()), box.width()
        box.setLeft(box.left() + cut)  # what is scrolled under the heads is not drawn over them
        output = spec.outputs[0]
        shown = Place(card.module, output.id).inner
        bins = self._traces.trace(shown.module, shown.port)
        if bins is None:
            return
        bins = bins[-CARD_BINS + CARD_BINS * cut // width :]
        low = 0.0 if module.params.get("polarity", 0) else output.low
        self._image.trace(
            box, bins, output.role, self.still.theme.colour(output.role), low=low, high=output.high,
            alpha=self.still.theme.dim if dim or module.bypassed else 1.0,
        )  # fmt: skip

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the scroll bars and the cached pictures right."""
        self.still.lane_pictures.clear()
        self._fit_scroll_bars()
        self.refresh()

    def changeEvent(self, event: QEvent) -> None:
        """Fonts and scaling may have changed."""
        self._kept, self.still.lane_pictures = None, {}
        super().changeEvent(event)

    def _scroll_to(self, module: str) -> None:
        box = self.still.layout.cards.get(module)
        if box is None:
            self._scroll_to_lane()
            return
        rect, room = self.still.card_box(module), self.still.wide - round(self.still.covered / self.still.zoom)
        if rect.top() < 0 or rect.bottom() > self.still.high:
            self.verticalScrollBar().setValue(box.y - self.still.high // 2)
        if rect.left() < CARDS_X or rect.right() > room:
            self.horizontalScrollBar().setValue(box.x - room // 2)

    def _scroll_to_lane(self) -> None:
        """Bring the folded lane into sight that the selection is in."""
        lane = next((lane for lane in self.still.layout.lanes if self.still.selection_in(lane)), None)
        if lane is not None and not 0 <= lane.y - self.still.dy <= self.still.high - lane.height:
            self.verticalScrollBar().setValue(lane.y - self.still.high // 2)
