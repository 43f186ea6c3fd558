"""How the lanes look: one painted view of the whole patch. Static parts are cached; live traces are drawn over them."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRect, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent

from dunefall.app.accessible import PaintedPart, tell_focus
from dunefall.app.build.layout import CARD_W, CARDS_X, FOLDED_H, CardBox, lay_out
from dunefall.app.build.stillview import CARD_BINS, MARGIN, StillView, card_value
from dunefall.app.theme import Theme
from dunefall.catalogue.compounds import spec_for
from dunefall.patch.model import Patch, Place

__all__ = ["CanvasView"]

ZOOMS = (0.5, 0.65, 0.8, 1.0, 1.25, 1.5, 2.0)


class CanvasView(StillView):
    """All lanes with their cards, painted.

    Signals
    -------
    selected (str)
        Id of the module that was selected, or "" for none.
    """

    selected = Signal(str)

    def set_patch(self, patch: Patch) -> None:
        """Show this patch."""
        self._patch, self._layout = patch, lay_out(patch, self._grids)
        self._marked &= {module.id for module in patch.modules()}
        if self._selection and not patch.has(self._selection):
            self.select("")
        self._fit_scroll_bars()
        self.refresh()

    def set_covered(self, width: int) -> None:
        """So many px at the right lie under something else: what is selected is scrolled out from there."""
        if width != self._covered:
            self._covered = width
            self._fit_scroll_bars()
            self._scroll_to(self._selection)

    def zoom(self, steps: int) -> None:
        """Draw everything some steps larger, or smaller; 0: as large as it is."""
        now = min(range(len(ZOOMS)), key=lambda k: abs(ZOOMS[k] - self._zoom))
        wanted = ZOOMS[min(max(now + steps, 0), len(ZOOMS) - 1)] if steps else 1.0
        if wanted != self._zoom:
            self._zoom = wanted
            self._lane_pictures.clear()
            self._fit_scroll_bars()
            self.refresh()
            self._scroll_to(self._selection)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self._lane_pictures.clear()
        self.refresh()

    def set_faults(self, modules: tuple[str, ...]) -> None:
        """Mark modules that were silenced."""
        self._faults = modules
        self.refresh()

    def set_asleep(self, modules: frozenset[str]) -> None:
        """Mark modules that lead nowhere."""
        if modules != self._asleep:
            self._asleep = modules
            self.refresh()

    def set_quiet(self, modules: frozenset[str]) -> None:
        """Mark modules that have given nothing new for long."""
        if modules != self._quiet:
            self._quiet = modules
            self.refresh()

    def select(self, module: str) -> None:
        """Select a module, or none with ""; what is marked beside it no longer is."""
        if self._marked:
            self._marked = frozenset()
            self.refresh()
        if module != self._selection:
            self._selection = module
            self.refresh()
            self._scroll_to(module)
            self.selected.emit(module)
            tell_focus(self)

    def mark(self, module: str) -> None:
        """Mark a module beside the selected one, or no longer."""
        if not self._selection:
            self.select(module)
        elif module != self._selection:
            self._marked ^= {module}
            self.refresh()

    def painted_parts(self) -> list[PaintedPart]:
        """The lanes' heads and cards, for screen readers."""
        parts = []
        for lane in self._layout.lanes:
            layer, cards = self._patch.layer(lane.layer), len(lane.cards)
            told = "folded" if layer.folded else f"{cards} card{'s' if cards != 1 else ''}"
            head = layer.output_id == self._selection
            parts.append(PaintedPart(f"Layer {layer.name}", told, self.head_rect(layer.id), head))
            for card in lane.cards:
                module = self._patch.module(card.module)
                spec = spec_for(module)
                told = f"{spec.name if spec else 'unknown kind'}, {card_value(self._patch, module)}".rstrip(", ")
                parts.append(PaintedPart(module.name, told, self.card_rect(card.module), card.module in self.chosen))
        return parts

    def animate(self) -> None:
        """Draw the next frame of the traces; between two of them there is time for a lane that is not in sight."""
        self.viewport().update()
        if self._ahead and self._still is not None:
            self.draw_ahead()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Cached static parts, then the traces."""
        scale = self._scale
        if self._still is None:
            self._still = QPixmap(round(self._wide * scale), round(self._high * scale))
            self._still.setDevicePixelRatio(scale)
            self._still.fill(self._theme.colour("ground"))
            painter = QPainter(self._still)
            self._draw_still(painter)
            painter.end()
        painter = QPainter(self.viewport())
        painter.scale(self._zoom, self._zoom)
        painter.drawPixmap(0, 0, self._still)
        self._image.clear(self._wide, self._high, scale)
        self._draw_traces()
        self._image.draw(painter)
        if self._drawn_link is not None:
            self._draw_new_link(painter, *self._drawn_link)
        painter.end()

    def _draw_new_link(self, painter: QPainter, source: str, end: QPointF) -> None:
        """A link that is being drawn: it follows the pointer."""
        card, spec = self._card_box(source), spec_for(self._patch.module(source))
        role = spec.outputs[0].role if spec and spec.outputs else "control"
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self._theme.colour(role), 2.5))
        painter.drawLine(QPointF(card.right() + 1, card.top() + 40), end)
        painter.setBrush(self._theme.colour(role))
        painter.drawEllipse(end, 4, 4)

    def _draw_traces(self) -> None:
        theme, related = self._theme, self._related()
        for lane in self._layout.lanes:
            if not self._in_sight(lane):
                continue
            layer = self._patch.layer(lane.layer)
            strip = QRect(CARDS_X, lane.y - self._dy + 4, self._wide - CARDS_X - 2 * MARGIN, FOLDED_H - 8)
            whole = strip if layer.folded else self._head_wave(lane) if lane.height > 100 else None
            bins = self._traces.trace(layer.output_id) if whole is not None else None
            if whole is not None and bins is not None:
                self._image.trace(whole, bins, "audio", theme.colour("audio"), alpha=theme.dim)
            for card in lane.cards:
                self._draw_face(card, bool(related) and card.module not in related)

    def _draw_face(self, card: CardBox, dim: bool) -> None:
        module = self._patch.module(card.module)
        spec, box = spec_for(module), QRect(card.x + 6 - self._dx, card.y + 21 - self._dy, CARD_W - 12, 38)
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
            box, bins, output.role, self._theme.colour(output.role), low=low, high=output.high,
            alpha=self._theme.dim if dim or module.bypassed else 1.0,
        )  # fmt: skip

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the scroll bars and the cached pictures right."""
        self._lane_pictures.clear()
        self._fit_scroll_bars()
        self.refresh()

    def changeEvent(self, event: QEvent) -> None:
        """Fonts and scaling may have changed."""
        self._still, self._lane_pictures = None, {}
        super().changeEvent(event)

    def _scroll_to(self, module: str) -> None:
        box = self._layout.cards.get(module)
        if box is None:
            return
        rect, room = self._card_box(module), self._wide - round(self._covered / self._zoom)
        if rect.top() < 0 or rect.bottom() > self._high:
            self.verticalScrollBar().setValue(box.y - self._high // 2)
        if rect.left() < CARDS_X or rect.right() > room:
            self.horizontalScrollBar().setValue(box.x - room // 2)
