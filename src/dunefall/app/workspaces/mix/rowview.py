"""How the rows of the mix look: a row for every layer and for every shared effect lane."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from dunefall.app.controls.accessible import PaintedPart, tell_focus
from dunefall.app.controls.live import TraceSource
from dunefall.app.controls.painting import draw_text, outline, text_width
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.workspaces.mix.ruler import (
    GRID_DB,
    NAME_X,
    RAIL_W,
    RAIL_X,
    SEND_LOW_DB,
    SEND_W,
    SEND_X,
    VALUE_W,
    WIDTH_W,
    WIDTH_X,
    gain_db,
    send_x,
    x_of_db,
)
from dunefall.base.language import tr, tr_count
from dunefall.base.units import format_value
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Param
from dunefall.patch.mixing import MOST_EFFECTS, effect_lanes, key_of, mixed_layers, send_of
from dunefall.patch.model import Layer, Module, Patch

__all__ = ["Row", "RowView", "Spot", "param_of"]

TOP, HEAD_H, ROW_H, ROW_GAP, LANE_H, LANE_GAP = 8, 26, 52, 4, 26, 4
TIPS = {
    "mute": tr("Mute the layer and its sends (M)"),
    "solo": tr("Solo: effects stay audible (S); Alt: the others stay faint; Ctrl: this layer only"),
    "level": tr(
        "Level in dB, loudness in LUFS, peak in dBFS: drag, wheel, left and right. Groups move "
        "together; Alt moves one row alone. Right-click or G: group"
    ),
    "width": tr("Width: above 100 % it is thin in mono"),
    "key": tr("What ducks this layer; right-click removes it"),
}


@dataclass(frozen=True)
class Spot:
    """Something in a row that the mouse can take: what it is, of which module, with which lane."""

    box: QRectF
    kind: str
    module: str
    lane: str = ""
    tip: str = ""


@dataclass
class Row:
    """A row's place, its layer, and the last levels that were shown."""

    layer: Layer
    module: Module
    y: float
    height: float
    held_db: float = -120.0
    spots: list[Spot] = field(default_factory=list)


class RowView(QWidget):
    """All rows, painted: what rests once, what is live at each frame."""

    def __init__(self, patch: Patch, traces: TraceSource, theme: Theme) -> None:
        super().__init__()
        self._patch, self._traces, self._theme = patch, traces, theme
        self._selection = ""
        self._rows: list[Row] = []
        self._still: QPixmap | None = None
        self._hover: Spot | None = None
        self._lufs = -120.0
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName(tr("Mix rows"))
        self.set_patch(patch)

    # -- what is shown ------------------------------------------------------------------------------------------

    def set_patch(self, patch: Patch) -> None:
        """Show this patch."""
        self._patch = patch
        held = {row.module.id: row.held_db for row in self._rows}
        self._rows, y = [], float(TOP + HEAD_H)
        for layer in (*mixed_layers(patch), None, *effect_lanes(patch)):
            if layer is None:
                self._legend_y = y
                y += 20
                continue
            module = next((m for m in layer.modules if m.id == layer.output_id), None)
            if module is None:
                continue
            height = LANE_H if layer.effects else ROW_H
            self._rows.append(Row(layer, module, y, height, held.get(module.id, -120.0)))
            y += height + (LANE_GAP if layer.effects else ROW_GAP)
        self._add_y = y
        self.setMinimumHeight(round(y + (30 if len(effect_lanes(patch)) < MOST_EFFECTS else 4)))
        for row in self._rows:
            row.spots = self._spots(row)
        self._describe()
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.refresh()

    def select(self, module: str) -> None:
        """Show which layer is selected, by its output or any of its modules."""
        layer = next((row.layer for row in self._rows if any(m.id == module for m in row.layer.modules)), None)
        self._selection = layer.id if layer else ""
        self._describe()
        self.refresh()
        tell_focus(self)

    def animate(self) -> None:
        """Show the levels of now."""
        self.update()

    @property
    def rows(self) -> list[Row]:
        """All rows, from above."""
        return self._rows

    def _describe(self) -> None:
        row = next((row for row in self._rows if row.layer.id == self._selection), None)
        text = f"{row.layer.name}: {self._told(row)}" if row else tr("{count} rows", count=len(self._rows))
        self.setAccessibleDescription(text)

    def _told(self, row: Row) -> str:
        silent = self._silent(row)
        return format_value(self._value(row.module, "level_db"), "db") + (f", {silent}" if silent else "")

    def painted_parts(self) -> list[PaintedPart]:
        """The rows, for screen readers."""
        return [
            PaintedPart(
                row.layer.name, self._told(row), QRect(0, round(row.y), self.width(), round(row.height)),
                row.layer.id == self._selection,
            )
            for row in self._rows
        ]  # fmt: skip

    def _value(self, module: Module, param: str) -> float:
        return module.params.get(param, param_of(module, param).default)

    def _silent(self, row: Row) -> str:
        """Why a row is not heard, in words; empty where it is."""
        if self._value(row.module, "mute"):
            return tr("muted, sends muted too")
        solos = [r.layer.name for r in self._rows if self._value(r.module, "solo")]
        if solos and not row.layer.effects and not self._value(row.module, "solo"):
            return (
                tr("{solos} is soloed", solos=solos[0])
                if len(solos) == 1
                else tr("{count} layers are soloed", count=len(solos))
            )
        return ""

    def _spots(self, row: Row) -> list[Spot]:
        module, y = row.module.id, row.y
        middle = y + (row.height / 2 if row.layer.effects else 19)
        buttons = y + (3 if row.layer.effects else 28)
        x = 82.0 if row.layer.effects else NAME_X
        spots = [
            Spot(QRectF(x, buttons, 20, 20), "mute", module, tip=TIPS["mute"]),
            Spot(QRectF(x + 24, buttons, 20, 20), "solo", module, tip=TIPS["solo"]),
            Spot(QRectF(RAIL_X - 4, middle - 13, RAIL_W + 8, 24), "level", module, tip=TIPS["level"]),
            Spot(QRectF(WIDTH_X, middle - 11, WIDTH_W, 22), "width", module, tip=TIPS["width"]),
        ]
        if not row.layer.effects:
            spots.append(Spot(QRectF(RAIL_X, y + 30, 190, 20), "key", module, tip=TIPS["key"]))
            for x, lane in zip(SEND_X, effect_lanes(self._patch), strict=False):
                box = QRectF(x - 2, y + 2, SEND_W + 4, row.height - 4)
                spots.append(
                    Spot(box, "send", module, lane.id, tr("Send to {name}; Alt-drag: pre-fader", name=lane.name))
                )
        return spots

    # -- painting -----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Redraw everything, static parts included."""
        self._still = None
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Another size: redraw everything."""
        self._still = None
        super().resizeEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        """What rests, then what is live."""
        scale = self.devicePixelRatioF()
        if self._still is None or self._still.devicePixelRatio() != scale:
            self._still = QPixmap(round(self.width() * scale), round(self.height() * scale))
            self._still.setDevicePixelRatio(scale)
            painter = QPainter(self._still)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_still(painter)
            painter.end()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawPixmap(0, 0, self._still)
        for row in self._rows:
            self._paint_live(painter, row)
        painter.end()

    def _paint_still(self, painter: QPainter) -> None:
        theme = self._theme
        painter.fillRect(self.rect(), theme.colour("ground"))
        self._paint_heads(painter)
        for row in self._rows:
            self._paint_row(painter, row)
        if len(effect_lanes(self._patch)) < MOST_EFFECTS:
            box = QRectF(NAME_X, self._add_y + 2, 200, 22)
            draw_text(painter, box, tr("+ Effect lane…"), sans(13, 500), theme.colour("text"))

    def _paint_heads(self, painter: QPainter) -> None:
        ink = self._theme.colour("text2")
        draw_text(painter, QRectF(NAME_X, TOP, 100, 20), tr("Layers"), sans(12), ink)
        for db in (-60, *GRID_DB, 6):
            text = tr("{db:+d} dB", db=db) if db == 6 else f"{db}".replace("-", "−")
            draw_text(painter, QRectF(RAIL_X + x_of_db(db) - 30, TOP, 60, 20), text, sans(12), ink, centre=True)
        draw_text(painter, QRectF(RAIL_X + RAIL_W + 8, TOP, VALUE_W, 20), tr("Level"), sans(12), ink, right=True)
        draw_text(painter, QRectF(WIDTH_X, TOP, 46, 20), tr("Width"), sans(12), ink)
        for x, lane in zip(SEND_X, effect_lanes(self._patch), strict=False):
            words = lane.name.rsplit(" ", 1)
            for k, word in enumerate(words):
                box = QRectF(x, TOP + 14 * (k + 2 - len(words)) - 9, SEND_W + 9, 16)
                draw_text(painter, box, word, sans(12), ink)
        y = self._legend_y
        draw_text(painter, QRectF(NAME_X, y, 120, 16), tr("Shared effect lanes"), sans(12), ink)
        if effect_lanes(self._patch):
            draw_text(painter, QRectF(SEND_X[0], y, 200, 16), tr("What it does, who sends"), sans(12), ink)
        for x, colour, height, name in ((RAIL_X, "audio", 5, tr("loudness")), (RAIL_X + 82, "faint", 3, tr("peak"))):
            painter.fillRect(QRectF(x, y + 6, 14, height), self._shade(colour))
            draw_text(painter, QRectF(x + 20, y, 70, 16), name, sans(12), ink)
        painter.fillRect(QRectF(RAIL_X + 146, y + 1, 3, 13), self._theme.colour("text"))
        draw_text(painter, QRectF(RAIL_X + 154, y, 30, 16), tr("set"), sans(12), ink)
        painter.fillRect(QRectF(RAIL_X + 190, y + 4, 14, 7), self._shade("band"))
        draw_text(painter, QRectF(RAIL_X + 210, y, 100, 16), tr("ducked, now"), sans(12), ink)

    def _shade(self, name: str) -> QColor:
        colour = self._theme.colour({"faint": "audio", "band": "control"}.get(name, name))
        colour.setAlphaF({"faint": 0.5, "band": 0.4}.get(name, 1.0))
        return colour

    def _paint_row(self, painter: QPainter, row: Row) -> None:
        theme, y, effects = self._theme, row.y, row.layer.effects
        chosen, silent = row.layer.id == self._selection, self._silent(row)
        ink = theme.colour("text2" if silent else "text")
        frame = QRectF(0.5, y + 0.5, self.width() - 1, row.height - 1)
        painter.setPen(QPen(theme.colour("text" if chosen else "line"), 2 if chosen else 1))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(frame, 4, 4)
        room = QRectF(NAME_X, y + (4 if effects else 5), 74 if effects else 112, 18)
        draw_text(painter, room, row.layer.name, sans(13, 600), ink)
        if row.layer.group:
            painter.fillRect(QRectF(2, y + 4, 3, row.height - 8), theme.colour("edge"))
            room = QRectF(NAME_X + 52, y + 29, RAIL_X - NAME_X - 56, 18)
            draw_text(painter, room, row.layer.group, sans(12), theme.colour("text2"))
        for spot in row.spots[:2]:
            self._paint_button(painter, spot, self._value(row.module, spot.kind) > 0)
        middle = y + (row.height / 2 if effects else 19)
        self._paint_track(painter, middle, bool(silent))
        value = format_value(self._value(row.module, "level_db"), "db")
        box = QRectF(RAIL_X + RAIL_W + 8, middle - 9, VALUE_W, 18)
        draw_text(painter, box, value, mono(13, 600), ink, right=True)
        self._paint_width(painter, row, middle, bool(silent))
        if effects:
            room = QRectF(SEND_X[0], y + 4, self.width() - SEND_X[0] - 8, 18)
            does = self._does(row.layer, room.width())
            draw_text(painter, room, does, sans(12), theme.colour("text2"))
            return
        under = QRectF(RAIL_X, y + 31, RAIL_W - 100, 18)
        self._paint_key(painter, row, under, silent)
        for x, lane in zip(SEND_X, effect_lanes(self._patch), strict=False):
            self._paint_send(painter, row, lane, x, middle)

    def _paint_button(self, painter: QPainter, spot: Spot, on: bool) -> None:
        theme = self._theme
        painter.setPen(QPen(theme.colour("text" if spot is self._hover else "edge"), 1))
        painter.setBrush(theme.colour("text" if on else "card"))
        box = spot.box.adjusted(0.5, 0.5, -0.5, -0.5)
        painter.drawRoundedRect(box, 4, 4)
        ink = theme.colour("on_accent" if on else "text")
        draw_text(painter, spot.box, "M" if spot.kind == "mute" else "S", sans(11, 600), ink, centre=True)

    def _last(self, module: str, port: str) -> float:
        bins = self._traces.trace(module, port)
        return float(bins[-1, 1]) if bins is not None and len(bins) else 0.0

    def _paint_track(self, painter: QPainter, middle: float, silent: bool) -> None:
        theme = self._theme
        painter.setPen(QPen(theme.colour("line"), 1))
        for db in GRID_DB:
            x = RAIL_X + x_of_db(db)
            painter.drawLine(QPointF(x, middle - 13), QPointF(x, middle + 9))
        pen = QPen(theme.colour("edge"), 2)
        pen.setStyle(Qt.PenStyle.DotLine if silent else Qt.PenStyle.SolidLine)
        painter.setPen(pen)
        painter.drawLine(QPointF(RAIL_X, middle + 2), QPointF(RAIL_X + RAIL_W, middle + 2))

    def _paint_live(self, painter: QPainter, row: Row) -> None:
        """Levels, what makes way now, and the set level across both."""
        theme, module, silent = self._theme, row.module, self._silent(row)
        middle = row.y + (row.height / 2 if row.layer.effects else 19)
        level, loud = self._value(module, "level_db"), -120.0
        if not silent:
            peak, loud = gain_db(self._last(module.id, "peak")), gain_db(self._last(module.id, "loudness"))
            row.held_db = max(peak, row.held_db - 0.4)
            painter.fillRect(QRectF(RAIL_X, middle - 7, x_of_db(peak), 3), self._shade("faint"))
            painter.fillRect(QRectF(RAIL_X, middle - 4, x_of_db(loud), 5), theme.colour("audio"))
            if row.held_db > -60:
                colour = theme.colour("hot" if row.held_db > 0 else "audio")
                painter.fillRect(QRectF(RAIL_X + x_of_db(row.held_db) - 1, middle - 11, 2, 7), colour)
        if key_of(self._patch, row.layer):
            self._paint_ducking(painter, module, middle, level)
        at = RAIL_X + x_of_db(level)
        if silent:
            outline(painter, QRectF(at - 2, middle - 10, 4, 22), theme.colour("text2"), 1, 1)
        else:
            painter.fillRect(QRectF(at - 1.5, middle - 11, 3, 24), theme.colour("text"))
        if not row.layer.effects:
            text = tr("silent") if loud < -70 else f"{loud:.1f} LUFS".replace("-", "−")
            box = QRectF(RAIL_X + RAIL_W - 40, row.y + 31, VALUE_W + 48, 18)
            draw_text(painter, box, text, mono(12, 400), theme.colour("text2"), right=True)

    def _paint_ducking(self, painter: QPainter, module: Module, middle: float, level: float) -> None:
        theme, depth = self._theme, self._value(module, "duck_db")
        share = min(max(self._last(module.id, "ducking"), 0.0), 1.0)
        low, now = x_of_db(level - depth), x_of_db(level - depth * share)
        painter.fillRect(QRectF(RAIL_X + low, middle + 4, x_of_db(level) - low, 7), self._shade("band"))
        painter.fillRect(QRectF(RAIL_X + now, middle + 4, x_of_db(level) - now, 7), theme.colour("control"))
        painter.setPen(QPen(theme.colour("card"), 1))
        painter.setBrush(theme.colour("text"))
        painter.drawEllipse(QPointF(RAIL_X + now, middle + 7.5), 4, 4)

    def _paint_key(self, painter: QPainter, row: Row, box: QRectF, silent: str) -> None:
        theme, module = self._theme, row.module
        key = key_of(self._patch, row.layer)
        if silent:
            draw_text(painter, box, silent, sans(12), theme.colour("text2"))
        elif key:
            source = self._patch.module(key.module).name
            depth = self._value(module, "duck_db")
            times = (
                f"{1000 * self._value(module, 'duck_attack_s'):.0f}/{1000 * self._value(module, 'duck_release_s'):.0f}"
            )
            text = tr("Ducked by {source}  −{depth:.1f} dB  {times} ms", source=source, depth=depth, times=times)
            draw_text(painter, box.adjusted(0, 0, 90, 0), text, sans(12), theme.colour("text"))
        else:
            draw_text(painter, box, tr("+ Duck by…"), sans(12), theme.colour("text"))
            ducks = [r.layer.name for r in self._rows if (k := key_of(self._patch, r.layer)) and k.module == module.id]
            if ducks:
                room = box.adjusted(80, 0, 0, 0)
                draw_text(
                    painter,
                    room,
                    tr("ducks {listed}", listed=", ".join(ducks)),
                    sans(12),
                    theme.colour("text2"),
                    right=True,
                )

    def _paint_width(self, painter: QPainter, row: Row, middle: float, silent: bool) -> None:
        theme, width = self._theme, self._value(row.module, "width")
        centre, half = WIDTH_X + WIDTH_W / 2, WIDTH_W / 2 * width / 1.2
        painter.setPen(QPen(theme.colour("edge"), 1))
        painter.drawLine(QPointF(WIDTH_X, middle + 1), QPointF(WIDTH_X + WIDTH_W, middle + 1))
        painter.fillRect(QRectF(centre - half, middle - 1, 2 * half, 4), theme.colour("edge"))
        ink = theme.colour("text2" if silent else "text")
        for x in (centre - half, centre + half):
            painter.fillRect(QRectF(x - 1.5, middle - 4, 3, 10), ink)
        if not row.layer.effects:
            box = QRectF(WIDTH_X, row.y + 31, 48, 18)
            draw_text(painter, box, f"{100 * width:.0f} %", mono(12, 400), ink)

    def _paint_send(self, painter: QPainter, row: Row, lane: Layer, x: float, middle: float) -> None:
        theme, link = self._theme, send_of(self._patch, row.layer, lane)
        db = gain_db(link.amount) if link else SEND_LOW_DB
        on = link is not None and db > SEND_LOW_DB
        pen = QPen(theme.colour("edge"), 1)
        pen.setStyle(Qt.PenStyle.SolidLine if on else Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.drawLine(QPointF(x, middle + 1), QPointF(x + SEND_W, middle + 1))
        if on:
            painter.fillRect(QRectF(x, middle - 0.5, send_x(db), 3), theme.colour("audio"))
            painter.fillRect(QRectF(x + send_x(db) - 1.5, middle - 4, 3, 10), theme.colour("text"))
        text = f"{db:.0f}".replace("-", "−") if on else tr("off")
        if link and link.source.port == "before":
            text = tr("{level} pre", level=text)
        ink = theme.colour("text" if on else "text2")
        draw_text(painter, QRectF(x, row.y + 31, SEND_W + 8, 18), text, mono(12, 400), ink)

    def _does(self, lane: Layer, width: float) -> str:
        """What an effect lane does, and how many send to it; where there is no room for two effects, the first."""
        inner = [m for m in lane.modules if m.id not in (lane.sends_id, lane.output_id)]
        told = []
        for module in inner[:2]:
            spec = spec_for(module)
            face = spec.shown_face(module.params) if spec else None
            if spec:
                value = f" {face.format(module.params.get(face.id, face.default))}" if face else ""
                told.append(f"{spec.name}{value}")
        count = sum(send_of(self._patch, layer, lane) is not None for layer in mixed_layers(self._patch))
        senders = tr_count("{count} layer", "{count} layers", count) if count else tr("nobody sends")
        whole = f"{' + '.join(told) or tr('empty')} · {senders}"
        return whole if len(told) < 2 or text_width(whole, sans(12)) <= width else f"{told[0]} + … · {senders}"


def param_of(module: Module, param: str) -> Param:
    """Declaration of a parameter of a layer's output."""
    spec = spec_for(module)
    assert spec is not None
    return spec.param(param)
