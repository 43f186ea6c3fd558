"""All that is known of the time to come, on one axis: ruler, marks, spectrogram, loudness, layers, stretches alike."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QLineF, QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from dunefall.app.controls.accessible import PaintedPart, tell_focus
from dunefall.app.controls.painting import draw_text, outline, text_width
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.workspaces.survey import drawing
from dunefall.app.workspaces.survey.axis import Axis, tick_told
from dunefall.base.language import decimal, tr
from dunefall.base.words import time_told
from dunefall.patch.model import Layer, Moment
from dunefall.survey.findings import Finding, View
from dunefall.survey.likeness import Alike
from dunefall.survey.numbers import Numbers
from dunefall.survey.places import trigger_places

__all__ = ["Shown", "TimePlot"]

HEAD_W, LEFT, RIGHT = 150.0, 168.0, 12.0
RULER, MARKS, GAP, LOUDNESS, LANE, LOWEST_LANE, ALIKE, SPECTRUM = 18, 18, 6, 82, 28, 18, 124, 110
LOWEST_ALIKE = 84
STATEMENT, SOLO, ROOM_FOR_SCALE = 28, 22, 140
DRAG_PX, STEPS, FLAG_APART = 4.0, 100.0, 50.0


@dataclass(frozen=True)
class Shown:
    """What the plots show.

    Attributes
    ----------
    view : View
    numbers : Numbers or None
        What was counted so far.
    target : (float, float) or None
        Wanted loudness in LUFS.
    statement, by_sound : str
        When it repeats, exactly and by its sound.
    alike : sequence of Alike
    findings : sequence of Finding
    moments : sequence of Moment
    """

    view: View
    numbers: Numbers | None = None
    target: tuple[float, float] | None = None
    statement: str = ""
    by_sound: str = ""
    alike: Sequence[Alike] = ()
    findings: Sequence[Finding] = ()
    moments: Sequence[Moment] = ()


class TimePlot(QWidget):
    """Plots on one axis, with a playhead, a caret for the keys, and a range.

    Signals
    -------
    hear_asked (float)
        Hear from a time in seconds.
    range_changed ()
        There is another range, or none.
    solo_asked (str)
        Id of a layer.
    pair_asked (int)
        Hear both stretches of a pair one after the other.
    redrawn ()
        Another part is seen, or something else is known of it.
    """

    hear_asked = Signal(float)
    range_changed = Signal()
    solo_asked = Signal(str)
    pair_asked = Signal(int)
    redrawn = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.axis = Axis()
        self.shown: Shown | None = None
        self.outcome: Mapping[str, float] = {}
        self.range: tuple[float, float] | None = None
        self.playhead, self.caret, self.pair = 0.0, 0.0, -1
        self._picture: QPixmap | None = None
        self.took_s = 0.0
        self._pressed: QPointF | None = None
        self._moves: str = ""
        self._boxes: dict[str, QRectF] = {}
        self._arcs: list[QPainterPath] = []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("The time to come"))
        self.setToolTip(tr("Click: hear from there. Drag: a range. Wheel: zoom; with Shift: scroll"))

    # -- what is shown ----------------------------------------------------------------------------------------------

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.redraw()

    def show_all(self, shown: Shown) -> None:
        """Show what is known now."""
        self.shown = shown
        self.axis.set_total(shown.view.outlook.seconds)
        count = len(self._layers)
        self.setMinimumHeight(RULER + MARKS + SPECTRUM + LOUDNESS + LOWEST_ALIKE + 4 * GAP + LOWEST_LANE * count)
        self.redraw()

    def show_playhead(self, seconds: float) -> None:
        """The sound is here now."""
        before, self.playhead = self.playhead, seconds
        if abs(self.axis.x(before) - self.axis.x(seconds)) > 0.2:
            self.update()

    def set_range(self, first: float, last: float) -> None:
        """Choose a stretch of time; an empty one is none."""
        first, last = sorted((min(max(first, 0.0), self.axis.total), min(max(last, 0.0), self.axis.total)))
        self.range = (first, last) if last > first else None
        self.update()
        self.range_changed.emit()

    def show_outcome(self, outcome: Mapping[str, float]) -> None:
        """Outline what would become of the layers: by how many dB each is louder; "" is all of them."""
        self.outcome = outcome
        self.update()

    def redraw(self) -> None:
        """Draw anew what does not move."""
        self._picture = None
        self.update()
        self.redrawn.emit()

    @property
    def _layers(self) -> list[Layer]:
        return self.shown.view.layers if self.shown else []

    def _arrange(self) -> None:
        """Places of all parts; the spectrogram takes what is left."""
        self.axis.left, self.axis.width = LEFT, max(self.width() - LEFT - RIGHT, 50.0)
        count, width = max(len(self._layers), 1), self.axis.width
        room = self.height() - RULER - MARKS - LOUDNESS - 4 * GAP
        alike = min(ALIKE, max(LOWEST_ALIKE, room - SPECTRUM - LOWEST_LANE * count))
        fixed = self.height() - room + alike
        lane = min(LANE, max(LOWEST_LANE, (self.height() - fixed - SPECTRUM) / count))
        y, boxes = float(RULER + MARKS), dict[str, QRectF]()
        for name, height in (
            ("spectrum", max(SPECTRUM, self.height() - fixed - lane * count)), ("loudness", LOUDNESS),
            ("lanes", lane * count), ("alike", alike),
        ):  # fmt: skip
            boxes[name] = QRectF(LEFT, y, width, height)
            y += height + GAP
        for k, layer in enumerate(self._layers):
            top = boxes["lanes"].y() + lane * k
            boxes[f"lane {layer.id}"] = QRectF(LEFT, top, width, lane)
            boxes[f"solo {layer.id}"] = QRectF(8 + HEAD_W - SOLO - 4, top + (lane - 20) / 2, SOLO, 20)
        self._boxes = boxes

    # -- painting ---------------------------------------------------------------------------------------------------

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Everything finds another place."""
        self.redraw()
        super().resizeEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        """What does not move from a picture, then playhead, range and caret."""
        ratio = self.devicePixelRatioF()
        if self._picture is None:
            begun = time.perf_counter()
            self._arrange()
            self._picture = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
            self._picture.setDevicePixelRatio(ratio)
            self._picture.fill(self._theme.colour("ground"))
            still = QPainter(self._picture)
            self._draw_still(still)
            still.end()
            self.took_s = time.perf_counter() - begun
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._picture)
        self._draw_outcome(painter)
        self._draw_range(painter)
        self._draw_playhead(painter)
        painter.end()

    def _draw_still(self, painter: QPainter) -> None:
        for name in ("spectrum", "loudness", "lanes", "alike"):
            self._draw_card(painter, self._boxes[name])
        self._draw_ruler(painter)
        if self.shown is None:
            return
        view, axis, theme, boxes = self.shown.view, self.axis, self._theme, self._boxes
        drawing.draw_spectrogram(painter, boxes["spectrum"].adjusted(0, 1, 0, -1), view.outlook, axis, theme)
        drawing.draw_loudness(painter, boxes["loudness"].adjusted(0, 4, 0, -4), view, axis, theme, self.shown.target)
        for layer in self._layers:
            triggered = bool(trigger_places(view.patch, layer))
            course = view.outlook.layers[layer.id]
            drawing.draw_layer(painter, boxes[f"lane {layer.id}"], course, view.outlook, axis, theme, triggered)
        self._draw_grid(painter)
        for name in ("spectrum", "loudness", "lanes"):
            drawing.draw_unknown(painter, boxes[name].adjusted(0, 1, 0, -1), view.outlook, axis, theme)
        self._draw_heads(painter)
        self._draw_alike(painter)
        self._draw_marks(painter)

    def _draw_outcome(self, painter: QPainter) -> None:
        """What a cure that is looked at would make of the layers."""
        if self.shown is None or not self.outcome:
            return
        view = self.shown.view
        for layer in self._layers:
            by_db = self.outcome.get(layer.id, self.outcome.get("", 0.0))
            if by_db and layer.id in view.outlook.layers:
                triggered, box = bool(trigger_places(view.patch, layer)), self._boxes[f"lane {layer.id}"]
                course = view.outlook.layers[layer.id]
                drawing.draw_outcome(painter, box, course, view.outlook, self.axis, self._theme, triggered, by_db)

    def _draw_card(self, painter: QPainter, box: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        whole = QRectF(8, box.y(), self.width() - 16, box.height())
        painter.setPen(QPen(self._theme.colour("line"), 1))
        painter.setBrush(self._theme.colour("card"))
        painter.drawRoundedRect(whole, 6, 6)
        painter.drawLine(QLineF(8 + HEAD_W, box.y(), 8 + HEAD_W, box.bottom()))

    def _draw_ruler(self, painter: QPainter) -> None:
        theme = self._theme
        draw_text(painter, QRectF(16, 0, 100, RULER), tr("Time"), sans(11), theme.colour("text2"))
        draw_text(painter, QRectF(16, RULER, 100, MARKS), tr("Marks"), sans(11), theme.colour("text2"))
        for at in self.axis.ticks()[0]:
            painter.fillRect(QRectF(self.axis.x(at) - 0.5, RULER - 5, 1, 5), theme.colour("edge"))
        painter.fillRect(QRectF(LEFT, RULER, self.axis.width, 1), theme.colour("edge"))

    def _draw_times(self, painter: QPainter, flag: float) -> None:
        """Times at the ruler; they give way to the playhead's flag."""
        ticks, step = self.axis.ticks()
        for at in ticks:
            x = min(max(self.axis.x(at), LEFT + 20), self.width() - 34.0)
            if abs(x - flag) > FLAG_APART:
                box = QRectF(x - 36, 0, 72, RULER - 4)
                draw_text(painter, box, tick_told(at, step), mono(11), self._theme.colour("text2"), centre=True)

    def _draw_grid(self, painter: QPainter) -> None:
        """Lines of time through everything."""
        line = self._theme.colour("edge")
        line.setAlphaF(0.28)
        for at in self.axis.ticks()[0]:
            for name in ("spectrum", "loudness", "lanes"):
                box = self._boxes[name]
                painter.fillRect(QRectF(self.axis.x(at) - 0.5, box.y() + 1, 1, box.height() - 2), line)

    def _draw_heads(self, painter: QPainter) -> None:
        assert self.shown is not None
        theme, boxes = self._theme, self._boxes
        quiet, strong = theme.colour("text2"), theme.colour("text")

        def lines(box: QRectF, name: str, *rest: str) -> None:
            draw_text(painter, QRectF(16, box.y() + 8, 96, 16), name, sans(12, 600), strong)
            for k, text in enumerate(rest):
                draw_text(painter, QRectF(16, box.y() + 25 + 15 * k, 100, 15), text, sans(11), quiet)

        lines(boxes["spectrum"], tr("Mix"), tr("spectrogram"))
        if boxes["spectrum"].height() >= ROOM_FOR_SCALE:
            drawing.draw_scale(painter, QRectF(48, boxes["spectrum"].bottom() - 18, 40, 8), theme)
        aim = self.shown.target
        goal = (
            tr("target {aim:.0f} to {aim_2:.0f}", aim=aim[0], aim_2=aim[1]).replace("-", "\u2212")
            if aim
            else tr("short-term, LUFS")
        )
        numbers = self.shown.numbers
        whole = decimal(f"{numbers.lufs:.1f} LUFS").replace("-", "\u2212") if numbers and numbers.lufs > -99 else ""
        spread = tr("range {range_lu:.1f} LU", range_lu=numbers.range_lu) if numbers else ""
        lines(boxes["loudness"], tr("Loudness"), goal, whole, spread)
        for layer in self._layers:
            box = boxes[f"lane {layer.id}"]
            if layer is not self._layers[0]:
                painter.fillRect(QRectF(9, box.y(), self.width() - 18, 1), theme.colour("line"))
            draw_text(painter, QRectF(16, box.y(), 104, box.height()), layer.name, sans(12, 600), strong)
            self._draw_solo(painter, layer)
        box = boxes["alike"]
        draw_text(painter, QRectF(16, box.y() + 6, 130, 16), tr("Repeats"), sans(12, 600), strong)
        draw_text(painter, QRectF(16, box.y() + STATEMENT + 2, 136, 15), tr("by sound: stretches"), sans(11), quiet)
        draw_text(painter, QRectF(16, box.y() + STATEMENT + 17, 136, 15), tr("that are alike"), sans(11), quiet)

    def _draw_solo(self, painter: QPainter, layer: Layer) -> None:
        box, theme = self._boxes[f"solo {layer.id}"], self._theme
        assert self.shown is not None
        on = self.shown.view.patch.module(layer.output_id).params.get("solo", 0.0) >= 1.0
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("text" if on else "card"))
        painter.drawRoundedRect(box, 4, 4)
        outline(painter, box, theme.colour("edge"), 1, 4)
        draw_text(painter, box, "S", sans(11, 600), theme.colour("on_accent" if on else "text"), centre=True)

    def _draw_alike(self, painter: QPainter) -> None:
        assert self.shown is not None
        box, theme, shown = self._boxes["alike"], self._theme, self.shown
        room = box.width() - 8
        said = shown.statement
        width = min(text_width(said, sans(12, 600)) + 12, room)
        draw_text(painter, QRectF(box.x(), box.y() + 4, width, 20), said, sans(12, 600), theme.colour("text"))
        if width < room - 60:
            rest = QRectF(box.x() + width, box.y() + 4, room - width, 20)
            draw_text(painter, rest, shown.by_sound, sans(11), theme.colour("text2"), right=True)
        arcs = box.adjusted(0, STATEMENT, 0, -6)
        self._arcs = drawing.draw_alike(painter, arcs, shown.alike, self.axis, theme, self.pair)
        painter.fillRect(QRectF(box.x(), arcs.bottom(), box.width(), 1), theme.colour("edge"))

    def _draw_marks(self, painter: QPainter) -> None:
        """Flags of moments, and signs of findings, in their row."""
        assert self.shown is not None
        ink, rate = self._theme.colour("text"), self.shown.view.outlook.take.rate_hz
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink)
        for moment in self.shown.moments:
            x = self.axis.x(moment.at_s)
            if LEFT <= x <= LEFT + self.axis.width:
                painter.fillRect(QRectF(x - 0.75, RULER + 3, 1.5, MARKS - 5), ink)
                painter.drawPolygon(
                    QPolygonF([QPointF(x, RULER + 3), QPointF(x + 9, RULER + 6), QPointF(x, RULER + 9)])
                )
        for finding in self.shown.findings:
            for at in finding.times if finding.has_time else ():
                x = self.axis.x(at / rate)
                if not LEFT <= x <= LEFT + self.axis.width:
                    continue
                if finding.until:
                    painter.fillRect(QRectF(x, RULER + 9, max(self.axis.x(finding.until / rate) - x, 2), 2), ink)
                else:
                    painter.drawPolygon(QPolygonF(
                        [QPointF(x - 4, RULER + 4), QPointF(x + 4, RULER + 4), QPointF(x, RULER + 12)]
                    ))  # fmt: skip

    def _draw_range(self, painter: QPainter) -> None:
        if self.range is None:
            return
        left, right = (min(max(self.axis.x(at), LEFT), LEFT + self.axis.width) for at in self.range)
        fill = self._theme.colour("text2")
        fill.setAlphaF(0.16)
        top, bottom = self._boxes["spectrum"].y(), self._boxes["lanes"].bottom()
        painter.fillRect(QRectF(left, top, right - left, bottom - top), fill)
        painter.setPen(QPen(self._theme.colour("text"), 1.25, Qt.PenStyle.DashLine))
        for x in (left, right):
            painter.drawLine(QLineF(x, top, x, bottom))
        painter.fillRect(QRectF(left, RULER + MARKS - 4, right - left, 3), self._theme.colour("text"))

    def _draw_playhead(self, painter: QPainter) -> None:
        x, theme = self.axis.x(self.playhead), self._theme
        bottom = self._boxes["alike"].bottom()
        self._draw_times(painter, x)
        if LEFT <= x <= LEFT + self.axis.width:
            halo = theme.colour("card")
            halo.setAlphaF(0.7)
            painter.fillRect(QRectF(x - 2.5, RULER, 5, bottom - RULER), halo)
            painter.fillRect(QRectF(x - 0.9, RULER, 1.8, bottom - RULER), theme.colour("text"))
            flag = QRectF(min(max(x - 24, LEFT - 20), self.width() - 56), 0, 48, RULER - 1)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("text"))
            painter.drawRoundedRect(flag, 4, 4)
            draw_text(painter, flag, time_told(self.playhead), mono(11, 600), theme.colour("on_accent"), centre=True)
        if self.hasFocus():
            x = self.axis.x(self.caret)
            painter.setPen(QPen(theme.colour("text"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QLineF(x, RULER, x, bottom))
            outline(painter, QRectF(self.rect()).adjusted(2, 0, -2, -1), theme.colour("text"), 2, 6)

    # -- by mouse ---------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A solo button, an end of the range, or the beginning of a click or of a range."""
        point = event.position()
        boxes = ((layer.id, self._boxes.get(f"solo {layer.id}", QRectF())) for layer in self._layers)
        layer = next((name for name, box in boxes if box.contains(point)), "")
        if layer:
            self.solo_asked.emit(layer)
        elif point.x() >= LEFT - 4 and event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._moves = point, self._end_at(point)
            self.caret = self.axis.seconds(point.x())

    def _end_at(self, point: QPointF) -> str:
        """Which end of the range is under the pointer."""
        if self.range is None or point.y() < RULER:
            return ""
        near = {name: abs(self.axis.x(at) - point.x()) for name, at in zip(("first", "last"), self.range, strict=True)}
        name = min(near, key=lambda end: near[end])
        return name if near[name] <= DRAG_PX + 1 else ""

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """A range from where it was pressed, or with another end."""
        if self._pressed is None:
            return
        here = event.position()
        if self._moves and self.range is not None:
            other = self.range[1] if self._moves == "first" else self.range[0]
            at = self.axis.seconds(here.x())
            self._moves = "first" if at < other else "last"
            self.set_range(at, other)
        elif abs(here.x() - self._pressed.x()) > DRAG_PX:
            self.set_range(self.axis.seconds(self._pressed.x()), self.axis.seconds(here.x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A click: hear from there, or both stretches of an arc."""
        pressed, self._pressed = self._pressed, None
        if pressed is None or self._moves or abs(event.position().x() - pressed.x()) > DRAG_PX:
            return
        arc = next((k for k, path in enumerate(self._arcs) if path.contains(pressed)), -1)
        if arc >= 0:
            self.choose_pair(arc)
            self.pair_asked.emit(arc)
        else:
            self.hear_asked.emit(self.axis.seconds(pressed.x()))

    def choose_pair(self, pair: int) -> None:
        """Outline an arc."""
        self.pair = pair
        self.redraw()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom at the pointer; with Shift, scroll."""
        turn = (event.angleDelta().y() or event.angleDelta().x()) / 120.0
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.axis.scroll(-0.1 * turn)
        else:
            self.axis.zoom(1.25**turn, self.axis.seconds(event.position().x()))
        self.redraw()
        event.accept()

    # -- by keys ----------------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows move the caret (with Shift: the range), Enter hears, + and - zoom, Escape drops the range."""
        key, shift = Qt.Key(event.key()), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageUp: -10, Qt.Key.Key_PageDown: 10}.get(key)
        ends = {Qt.Key.Key_Home: 0.0, Qt.Key.Key_End: self.axis.total}
        if by is not None or key in ends:
            before = self.caret
            goal = ends[key] if by is None else before + by * self.axis.span / STEPS
            self.caret = min(max(goal, 0.0), self.axis.total)
            if shift:
                anchor = before if self.range is None else self.range[self.range[0] >= before]
                self.set_range(anchor, self.caret)
            self.axis.reveal(self.caret)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.hear_asked.emit(self.caret)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.axis.zoom(0.8 if key == Qt.Key.Key_Minus else 1.25, self.caret)
        elif key == Qt.Key.Key_Escape and self.range is not None:
            self.set_range(0.0, 0.0)
        else:
            super().keyPressEvent(event)
            return
        self.redraw()
        tell_focus(self)

    def painted_parts(self) -> list[PaintedPart]:
        """The caret, each layer, each pair."""
        if self.shown is None:
            return []
        caret = QRect(round(self.axis.x(self.caret)), RULER, 2, self.height() - RULER)
        parts = [PaintedPart("Caret", time_told(self.caret), caret, chosen=True)]
        for layer in self._layers:
            count = len(self.shown.view.triggers_of(layer.id))
            parts.append(
                PaintedPart(
                    layer.name,
                    tr("{count} events", count=count),
                    self._boxes.get(f"lane {layer.id}", QRectF()).toRect(),
                )
            )
        for pair, path in zip(self.shown.alike, self._arcs, strict=False):
            told = tr("{time_told} and {time_told_2}, {likeness:.0f} % alike", time_told=time_told(pair.first_s),
                      time_told_2=time_told(pair.second_s), likeness=100 * pair.likeness)  # fmt: skip
            parts.append(PaintedPart(tr("Stretches alike"), told, path.boundingRect().toRect()))
        return parts
