"""The static part of the lanes: heads, cards, mats of opened compounds, links. Each lane keeps its picture."""

from __future__ import annotations

import contextlib

from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QWidget

from dunefall.app.controls.painting import draw_text, outline, text_width
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.model.selection import Selection
from dunefall.app.workspaces.build.layout import (
    CARD_H,
    CARD_W,
    CARDS_X,
    HEAD_W,
    LABEL_H,
    LABEL_W,
    PITCH,
    SOUNDS_FROM,
    CardBox,
    KeptGrid,
    LaneBox,
    Mat,
    lay_out,
)
from dunefall.app.workspaces.build.links import LinkPainter
from dunefall.base.language import capital, decimal, tr
from dunefall.catalogue.compounds import Face, spec_for
from dunefall.catalogue.declare import STAGES
from dunefall.catalogue.paths import end_of
from dunefall.patch.compounds import compound_of
from dunefall.patch.model import SHARED_ID, Layer, Link, Module, Patch

__all__ = ["CARD_BINS", "MARGIN", "StillPicture", "card_value"]

CARD_BINS, LANE_EDGE = 400, 2
VALUE_W = CARD_W - 56.0
"""Room for the value on a card; the rest is its name's."""
BUTTONS = {"mute": "M", "solo": "S"}
MARGIN = 8
_LEGEND = {
    "audio": [(3, 0), (17, 0)],
    "control": [(1, 3), (7, 2), (12, -3), (18, -4)],
    "gate": [(3, -5), (3, 5), (9, -5), (9, 5), (15, -5), (15, 5)],
    "pitch": [(1, 4), (7, 4), (7, 0), (13, 0), (13, -4), (19, -4)],
}


def card_value(patch: Patch, module: Module) -> str:
    """The value on a card's face."""
    spec = spec_for(module)
    if spec is None:
        return module.type
    if module.bypassed:
        return tr("off")
    if module.type == "clock" and not module.params.get("sync"):
        beats = spec.param("period_beats")
        return f"{patch.tempo_bpm:.0f} · {beats.format(module.params.get(beats.id, beats.default))}"
    param = spec.shown_face(module.params)
    if param is None:
        return ""
    if param.idle_with and patch.links_into(module.id, param.idle_with):
        return ""
    return param.format(module.params.get(param.id, param.default))


def shorter(value: str) -> str:
    """A value in fewer letters: a clock without the tempo, a number with two digits.

    Examples
    --------
    >>> shorter("92 · 1/16."), shorter("0.0909 Hz"), shorter("−12.50 st")
    ('1/16.', '0.091 Hz', '−12 st')
    """
    beats = value.rpartition("· ")[2]
    number, _, unit = beats.replace("−", "-").partition(" ")
    with contextlib.suppress(ValueError):
        return decimal(f"{float(f'{float(number):.2g}'):g} {unit}").strip().replace("-", "−")
    return beats


class StillPicture:
    """Draws the lanes without anything live, and knows where everything is; the canvas draws what lives over it.

    Attributes
    ----------
    dx, dy : int
        Px of the canvas by which it is scrolled.
    covered : int
        The width in px covered at the widget's right.
    zoom : float
        Px of the widget for one of the canvas.
    all_links : bool
        Whether all links are drawn, or those of the selection only.
    faults, asleep, quiet
        Modules that were silenced, whose output is unused, and whose output has not changed for a while.
    """

    def __init__(self, viewport: QWidget, selection: Selection, theme: Theme) -> None:
        self._viewport, self._selection, self.theme = viewport, selection, theme
        self.patch = selection.seen
        self.grids: dict[str, KeptGrid] = {}
        self.layout = lay_out(self.patch, self.grids)
        self.dx = self.dy = self.covered = 0
        self.zoom = 1.0
        self.all_links = False
        self.faults: tuple[str, ...] = ()
        self.asleep: frozenset[str] = frozenset()
        self.quiet: frozenset[str] = frozenset()
        self.ahead = True
        self.lane_pictures: dict[str, tuple[Layer, tuple[Link, ...], tuple[object, ...], QPixmap]] = {}

    def show_patch(self) -> None:
        """Show the patch as it is seen now."""
        self.patch = self._selection.seen
        self.layout = lay_out(self.patch, self.grids)

    # All places are in px of the canvas, which the zoom makes more or fewer px of the widget.

    @property
    def wide(self) -> int:
        """Width of the viewport in px of the canvas."""
        return round(self._viewport.width() / self.zoom)

    @property
    def high(self) -> int:
        """Height of the viewport in px of the canvas."""
        return round(self._viewport.height() / self.zoom)

    @property
    def scale(self) -> float:
        """Pixels of the screen for one of the canvas."""
        return float(self._viewport.devicePixelRatioF() * self.zoom)

    def zoomed(self, box: QRect) -> QRect:
        """A place in px of the widget."""
        corners = (box.x(), box.y(), box.width(), box.height())
        return QRect(*(round(x * self.zoom) for x in corners))

    def card_rect(self, module: str) -> QRect:
        """A card's place in the viewport; empty if its lane is folded. For menus, hints and tests."""
        return self.zoomed(self.card_box(module))

    def head_rect(self, layer: str) -> QRect:
        """A lane head's place in the viewport."""
        return self.zoomed(self.head_box(layer))

    def card_box(self, module: str) -> QRect:
        """A card's box on the scrolled canvas; empty if its lane is folded."""
        box = self.layout.cards.get(module)
        return QRect(box.x - self.dx, box.y - self.dy, CARD_W, CARD_H) if box is not None else QRect()

    def head_box(self, layer: str) -> QRect:
        """The box of a lane's head on the scrolled canvas."""
        lane = next(lane for lane in self.layout.lanes if lane.layer == layer)
        return QRect(MARGIN, lane.y - self.dy, HEAD_W, lane.height)

    def related(self) -> set[str]:
        """The selection and its direct neighbours; empty without one."""
        if not self._selection.module:
            return set()
        near = {self._selection.module}
        near |= {link.source.module for link in self.patch.links_into(self._selection.module)}
        return near | {link.target.module for link in self.patch.links_from(self._selection.module)}

    def draw(self, painter: QPainter) -> None:
        """All lanes in sight, each from its own picture; headings, foot and links over them."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        related = self.related()
        for lane in self.layout.lanes:
            if self.in_sight(lane):
                painter.drawPixmap(0, lane.y - self.dy - LANE_EDGE, self._lane_picture(lane, related))
        self._draw_headings(painter)
        self._draw_foot(painter)
        self._draw_links(painter)

    def _lane_picture(self, lane: LaneBox, related: set[str]) -> QPixmap:
        """A lane with its cards, kept until something about it changes: scrolling vertically redraws nothing."""
        layer, links, looks = self.patch.layer(lane.layer), self.patch.links, self._looks(lane, related)
        kept = self.lane_pictures.get(lane.layer)
        if kept is not None and kept[0] is layer and kept[1] is links and kept[2] == looks:
            return kept[3]
        scale, height = self.scale, lane.height + 2 * LANE_EDGE
        picture = QPixmap(round(self.wide * scale), round(height * scale))
        picture.setDevicePixelRatio(scale)
        picture.fill(self.theme.colour("ground"))
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(0, LANE_EDGE - lane.y)
        self._draw_lane(painter, lane)
        painter.setClipRect(CARDS_X - 10, lane.y - LANE_EDGE, self.wide, height)
        painter.translate(-self.dx, 0)
        self._draw_ribbon(painter, lane)
        for mat in lane.mats:
            self._draw_mat(painter, mat)
        for card in lane.cards:
            self._draw_card(painter, card, related)
        if lane.layer == SHARED_ID and not self.patch.layer(lane.layer).folded:
            self._draw_add(painter, lane)
        painter.end()
        self.lane_pictures[lane.layer] = (layer, links, looks, picture)
        return picture

    def draw_ahead(self) -> None:
        """Draw one lane whose picture is not as it would be, so that it is there when it is scrolled to."""
        related = self.related()
        for lane in self.layout.lanes:
            before = self.lane_pictures.get(lane.layer)
            picture = self._lane_picture(lane, related)
            if before is None or before[3] is not picture:
                return
        self.ahead = False

    def _looks(self, lane: LaneBox, related: set[str]) -> tuple[object, ...]:
        """All that a lane's picture shows besides its layer and the links."""
        own = {card.module for card in lane.cards} | {self.patch.layer(lane.layer).output_id}
        return (
            lane, self.dx, self._tempo_in(lane), bool(related), related & own, self._selection.chosen & own,
            self.asleep & own, self.quiet & own, own.intersection(self.faults), self.selection_in(lane),
            self.patch.compounds,
        )  # fmt: skip

    def _tempo_in(self, lane: LaneBox) -> float:
        """The tempo, where a lane shows it."""
        clocks = any(module.type == "clock" for module in self.patch.layer(lane.layer).modules)
        return self.patch.tempo_bpm if clocks else 0.0

    def selection_in(self, lane: LaneBox) -> bool:
        """Whether the selected module is in a lane, even a folded one."""
        return bool(self._selection.module) and self.patch.layer_of(self._selection.module).id == lane.layer

    def in_sight(self, lane: LaneBox) -> bool:
        """Whether a lane can be seen."""
        return lane.y + lane.height >= self.dy and lane.y <= self.dy + self.high

    def _draw_lane(self, painter: QPainter, lane: LaneBox) -> None:
        theme, top = self.theme, lane.y
        box = QRectF(MARGIN, top, self.wide - 2 * MARGIN, lane.height)
        chosen = self.selection_in(lane)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("raised"))
        painter.drawRoundedRect(box, 6, 6)
        outline(painter, box, theme.colour("edge" if chosen else "line"), 1.2 if chosen else 1, 6)
        painter.setPen(theme.colour("line"))
        painter.drawLine(MARGIN + HEAD_W, round(top) + 1, MARGIN + HEAD_W, round(top) + lane.height - 1)
        self._draw_head(painter, lane, top)

    def _draw_head(self, painter: QPainter, lane: LaneBox, top: float) -> None:
        theme, layer = self.theme, self.patch.layer(lane.layer)
        middle = top + 16
        painter.setPen(theme.colour("text"))
        x = MARGIN + 10.0
        if layer.folded:
            painter.drawPolyline([QPoint(round(x), round(middle - 4)), QPoint(round(x + 4), round(middle)),
                                  QPoint(round(x), round(middle + 4))])  # fmt: skip
        else:
            painter.drawPolyline([QPoint(round(x - 2), round(middle - 2)), QPoint(round(x + 2), round(middle + 2)),
                                  QPoint(round(x + 6), round(middle - 2))])  # fmt: skip
        chosen = layer.output_id == self._selection.module
        font = sans(12.5, 600)
        room = HEAD_W - (32 if layer.id == SHARED_ID else 78)
        draw_text(painter, QRectF(MARGIN + 24, middle - 10, room, 20), layer.name, font, theme.colour("text"))
        self._draw_buttons(painter, layer)
        if chosen:
            outline(painter, QRectF(MARGIN + 2, top + 2, HEAD_W - 4, lane.height - 4), theme.colour("text"), 2, 5)
        if layer.folded:
            return
        small = sans(11)
        if lane.layer == SHARED_ID:
            links = sum(link.source.module in {m.id for m in layer.modules} for link in self.patch.links)
            for row, text in enumerate(
                (tr("{count} modules, no audio", count=len(layer.modules)), tr("{links} links start here", links=links))
            ):
                box = QRectF(MARGIN + 8, middle + 12 + 20 * row, HEAD_W - 16, 18)
                draw_text(painter, box, text, small, theme.colour("text2"))
            return
        end = end_of(layer)
        level = card_value(self.patch, self.patch.module(end)) if end else tr("no output")
        box = QRectF(MARGIN + 8, middle + 14, HEAD_W - 16, 18)
        draw_text(painter, box, tr("Level"), small, theme.colour("text2"))
        draw_text(painter, box, level, mono(11), theme.colour("text"), right=True)
        if lane.height > 100:
            draw_text(
                painter, QRectF(MARGIN + 8, top + 102, HEAD_W - 16, 16), tr("last 10 s"), small,
                theme.colour("text2"),
            )  # fmt: skip

    def button_rects(self, layer: Layer) -> dict[str, QRectF]:
        """The boxes of a layer's mute and solo on the scrolled canvas, by the value that they set; Shared has none."""
        if not self.patch.has(layer.output_id):
            return {}
        box = self.head_box(layer.id)
        return {name: QRectF(box.right() - 45 + 21 * k, box.top() + 7, 18, 18) for k, name in enumerate(BUTTONS)}

    def _draw_buttons(self, painter: QPainter, layer: Layer) -> None:
        theme = self.theme
        for name, seen in self.button_rects(layer).items():
            box = seen.translated(0, self.dy)
            on = bool(self.patch.module(layer.output_id).params.get(name, 0.0))
            painter.setPen(QPen(theme.colour("edge"), 1))
            painter.setBrush(theme.colour("text" if on else "card"))
            painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
            ink = theme.colour("on_accent" if on else "text")
            draw_text(painter, box, BUTTONS[name], sans(11, 600), ink, centre=True)

    def head_wave(self, lane: LaneBox) -> QRect:
        """Where the waveform in a lane's head is drawn."""
        return QRect(MARGIN + 8, lane.y - self.dy + 60, HEAD_W - 16, 40)

    def _draw_ribbon(self, painter: QPainter, lane: LaneBox) -> None:
        boxes = [self.layout.cards[module] for module in lane.ribbon if module in self.layout.cards]
        if not boxes:
            return
        colour = QColor(self.theme.colour("audio"))
        colour.setAlpha(60)
        y = boxes[0].y + 35
        end = self.wide - MARGIN + self.dx
        painter.fillRect(QRectF(boxes[0].x + CARD_W, y, end - boxes[0].x - CARD_W, 10), colour)

    def _draw_mat(self, painter: QPainter, mat: Mat) -> None:
        """The area below the cards of an opened compound, and its name, which closes it."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.theme.colour("ground" if mat.depth % 2 else "line"))
        edge = max(2, 8 - 3 * mat.depth)
        for card in mat.cards:
            painter.drawRect(QRectF(card.x - edge, card.y - min(edge, 4), CARD_W + 2 * edge, CARD_H + 2 * min(edge, 4)))
        box = self.label_rect(mat)
        painter.setBrush(self.theme.colour("line"))
        painter.drawRoundedRect(box, 3, 3)
        compound = compound_of(self.patch, mat.compound)
        text = f"▾ {compound.name if compound else ''}"
        draw_text(painter, box.adjusted(5, 0, -4, 0), text, sans(11, 600), self.theme.colour("text"))

    def label_rect(self, mat: Mat) -> QRectF:
        """The place of an opened compound's name on the canvas."""
        return QRectF(mat.x - 4, mat.y, LABEL_W, LABEL_H - 2)

    def _draw_card(self, painter: QPainter, card: CardBox, related: set[str]) -> None:
        theme, module = self.theme, self.patch.module(card.module)
        box = QRectF(card.x, card.y, CARD_W, CARD_H)
        dim = card.module in self.asleep or (bool(related) and card.module not in related)
        chosen, faulty = card.module in self._selection.chosen, card.module in self.faults
        painter.setPen(Qt.PenStyle.NoPen)
        if isinstance(module, Face):  # it looks like a small pile
            painter.setBrush(theme.colour("raised"))
            painter.drawRoundedRect(box.translated(4, 4), 6, 6)
            outline(painter, box.translated(4, 4), theme.colour("edge"), 1, 6)
            painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("raised" if dim else "card"))
        painter.drawRoundedRect(box, 6, 6)
        if faulty:
            outline(painter, box, theme.colour("hot"), 2, 6)
        elif chosen:
            outline(painter, box, theme.colour("text"), 2, 6)
        else:
            outline(
                painter, box, theme.colour("edge" if card.module in related or module.bypassed else "line"), 1, 6,
                dashed=module.bypassed,
            )  # fmt: skip
        ink = theme.colour("text2" if dim else "text")
        value = (
            tr("stopped") if faulty else tr("unused") if module.id in self.asleep else card_value(self.patch, module)
        )
        value = "quiet" if module.id in self.quiet and not faulty and not module.bypassed else value
        value_font, name_font = mono(11), QFont(sans(12, 600 if chosen else 500))
        if text_width(value, value_font) > VALUE_W:
            value = shorter(value)
        width = min(text_width(value, value_font), VALUE_W)
        value_box = QRectF(card.x + CARD_W - 6 - width, card.y + 4, width, 16)
        draw_text(painter, value_box, value, value_font, theme.colour("hot" if faulty else "text2"), right=True)
        name_font.setStrikeOut(module.bypassed)
        draw_text(painter, QRectF(card.x + 6, card.y + 4, CARD_W - 18 - width, 16), module.name, name_font, ink)

    def add_rect(self, lane: LaneBox) -> QRectF:
        """Where a module is added to Shared."""
        return QRectF(CARDS_X + len(lane.cards) * PITCH, lane.y + 8, CARD_W, CARD_H)

    def _draw_add(self, painter: QPainter, lane: LaneBox) -> None:
        box = self.add_rect(lane)
        outline(painter, box, self.theme.colour("edge"), 1, 6, dashed=True)
        draw_text(painter, box, tr("+ Add shared"), sans(12, 500), self.theme.colour("text2"), centre=True)

    def _draw_headings(self, painter: QPainter) -> None:
        y, font, colour = self.layout.headings_y - self.dy, sans(11), self.theme.colour("text2")
        if y < -24 and len(self.patch.layers) > 1:
            return
        draw_text(painter, QRectF(MARGIN + 8, y, HEAD_W - 8, 20), tr("Layers"), font, colour)
        for column in (0, SOUNDS_FROM):
            box = QRectF(CARDS_X + column * PITCH - self.dx, y, SOUNDS_FROM * PITCH, 20)
            if box.left() >= CARDS_X - 4:
                names = ", ".join(map(tr, STAGES[column : column + SOUNDS_FROM]))
                draw_text(painter, box, capital(names), font, colour)

    def foot_rect(self) -> QRectF:
        """Where a layer is added."""
        return QRectF(MARGIN, self.layout.height - 32 - self.dy, HEAD_W, 24)

    def _draw_foot(self, painter: QPainter) -> None:
        """Add layer, the four kinds of signals by shape and colour, and how to see all links."""
        theme, box = self.theme, self.foot_rect()
        if box.top() > self.high:
            return
        outline(painter, box, theme.colour("edge"), 1, 6, dashed=True)
        draw_text(painter, box, tr("+ Add layer"), sans(12, 500), theme.colour("text2"), centre=True)
        x, y = CARDS_X, box.center().y()
        for kind in theme.kinds:
            painter.setPen(QPen(theme.colour(kind), 5 if kind == "audio" else 1.75))
            shape = _LEGEND[kind]
            points = [QPointF(x + px, y + py) for px, py in shape]
            if kind == "gate":
                painter.drawLines(points)
            else:
                painter.drawPolyline(points)
            draw_text(painter, QRectF(x + 24, y - 9, 60, 18), capital(tr(kind)), sans(11), theme.colour("text2"))
            x += 80
        text = tr("Hold L to see all {count} links", count=len(self.patch.links))
        right = QRectF(x, y - 9, self.wide - x - 2 * MARGIN, 18)
        draw_text(painter, right, text, sans(11), theme.colour("text2"), right=True)

    def _draw_links(self, painter: QPainter) -> None:
        if self.all_links:
            links = list(self.patch.links)
        elif self._selection.module:
            into, out = self.patch.links_into(self._selection.module), self.patch.links_from(self._selection.module)
            links = [*into, *(link for link in out if link not in into)]
        else:
            return
        painter.save()
        painter.setClipRect(CARDS_X - 10, 0, self.wide, self.high)
        painter.translate(-self.dx, -self.dy)
        LinkPainter(self.patch, self.layout, self.theme).draw(painter, links, tags=not self.all_links)
        painter.restore()
