"""Editors of series: steps, curves and lists drawn with the mouse or set with keys."""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping
from functools import partial

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QGridLayout, QInputDialog, QLabel, QMenu, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from dunefall.app.controls.menus import show_menu
from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import card, draw_text, outline
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.inspector.planes import GridField, PathField, PlaneField
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.base.units import parse_value
from dunefall.catalogue.declare import ModuleSpec, Series
from dunefall.catalogue.drawing import fitted, randomised, reversed_order, rotated, stretched
from dunefall.patch.model import Module

__all__ = ["SeriesEditor", "SeriesField"]

HEIGHT, EDGE, FOOT = 124, 6, 18
TABS_A_ROW = 3
SHAPE_POINTS = 24
NOTE_ROOM = 7.0
"""Semitones that stay free above and below the notes shown."""
STRENGTHS = ((tr("a little"), 0.15), (tr("half"), 0.5), (tr("anew"), 1.0))
_copied: list[tuple[Series, tuple[float, ...]]] = []
"""What was copied last, to be pasted into any series."""


class SeriesField(QWidget):
    """The field in which one series is drawn.

    Signals
    -------
    drawn (object)
        Other numbers: a tuple.
    settled ()
        The stroke has ended.
    point_added (int, float), point_removed (int), everything_asked ()
        One more number after this place; one less; chance for all series of the module.
    """

    drawn = Signal(object)
    settled = Signal()
    point_added = Signal(int, float)
    point_removed = Signal(int)
    everything_asked = Signal()
    refused = Signal(str)

    def __init__(self, series: Series, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.series, self._theme = series, theme
        self._values = series.default
        self._count = len(series.default)
        self._place: float | None = None
        self._chosen = 0
        self._last: tuple[int, float] | None = None
        self._places: list[float] = []
        self._own: Mapping[str, tuple[float, ...]] = {}
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        own_keys(self, Qt.Key.Key_Delete)
        self.setAccessibleName(tr("Editor of {name}", name=series.name))
        told = [tr("{help} Draw across; arrows and digits set one number; right-click for more.", help=series.help)]
        told += [tr("Double-click adds a point, Delete removes one.")] if series.least < series.most else []
        self.setToolTip(" ".join(told))

    def show_numbers(
        self, values: tuple[float, ...], count: int, across: tuple[float, ...] = (),
        own: Mapping[str, tuple[float, ...]] | None = None,
    ) -> None:  # fmt: skip
        """Show these numbers, of which the first ``count`` are used; ``across``: the distance of each point from the
        one before; ``own``: all series of the module."""
        self._own = own or {}
        total = sum(across[1:])
        self._places = [sum(across[1 : k + 1]) / total for k in range(len(across))] if total > 0 else []
        self._values, self._count = values, max(1, min(count, len(values)))
        self._chosen = min(self._chosen, self._count - 1)
        self._describe()
        self.update()

    def show_place(self, place: float | None) -> None:
        """Mark the place (0..1) that is played now."""
        if place != self._place:
            self._place = place
            self.update()

    def choose(self, index: int) -> None:
        """Put one number under the keys."""
        self._chosen = max(0, min(index, self._count - 1))
        self._describe()
        self.setFocus(Qt.FocusReason.TabFocusReason)
        self.update()

    def _describe(self) -> None:
        value = self.series.format(self._values[self._chosen])
        self.setAccessibleDescription(
            tr("number {chosen} of {count}: {value}", chosen=self._chosen + 1, count=self._count, value=value)
        )

    # -- where things are ---------------------------------------------------------------------------------------

    @property
    def _box(self) -> QRectF:
        return QRectF(EDGE, EDGE, self.width() - 2 * EDGE, HEIGHT - 2 * EDGE - FOOT)

    @property
    def _span(self) -> tuple[float, float]:
        """Lowest and highest value on the field: notes take as much room as they need, during a stroke no other."""
        if self.series.unit != "note":
            return self.series.low, self.series.high
        used = self._values[: self._count]
        return max(self.series.low, min(used) - NOTE_ROOM), min(self.series.high, max(used) + NOTE_ROOM)

    def _y(self, value: float) -> float:
        low, high = self._fixed_span or self._span
        return self._box.bottom() - (value - low) / max(high - low, 1e-9) * self._box.height()

    _fixed_span: tuple[float, float] | None = None

    def _x(self, k: int) -> float:
        """Middle of a bar, or place of a point."""
        if self.series.drawn == "curve":
            share = self._places[k] if k < len(self._places) else k / max(self._count - 1, 1)
            return self._box.left() + self._box.width() * share
        return self._box.left() + self._box.width() * (k + 0.5) / self._count

    def _at(self, position: QPointF) -> tuple[int, float]:
        """The number, and the value, under the mouse."""
        share = min(max((position.x() - self._box.left()) / self._box.width(), 0.0), 0.999999)
        k = int(share * self._count)
        if self.series.drawn == "curve":
            k = min(range(self._count), key=lambda j: abs(self._x(j) - position.x()))
        low, high = self._fixed_span or self._span
        value = low + (self._box.bottom() - position.y()) / self._box.height() * (high - low)
        return k, self._rounded(value)

    def _rounded(self, value: float) -> float:
        value = min(max(value, self.series.low), self.series.high)
        whole = self.series.choices or self.series.unit == "note"
        return float(round(value)) if whole else round(value, 4)

    # -- painting -----------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Frame, numbers, the step that plays, the number that is chosen in words."""
        painter, theme = QPainter(self), self._theme
        card(painter, self, theme)
        if self.series.low < 0 < self.series.high:
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(self._box.left(), self._y(0.0)), QPointF(self._box.right(), self._y(0.0)))
        colour = theme.colour("pitch" if self.series.unit == "note" else "control")
        if self.series.drawn == "curve":
            self._paint_curve(painter, colour)
        else:
            self._paint_bars(painter, colour)
        foot = QRectF(EDGE, HEIGHT - FOOT - 3, self.width() - 2 * EDGE, FOOT)
        text = tr("{chosen} of {count}: {format}", chosen=self._chosen + 1, count=self._count,
                  format=self.series.format(self._values[self._chosen]))  # fmt: skip
        draw_text(painter, foot, text, mono(10.5), theme.colour("text2"))
        painter.end()

    def _paint_curve(self, painter: QPainter, colour: QColor) -> None:
        line = QPolygonF([QPointF(self._x(k), self._y(value)) for k, value in enumerate(self._values[: self._count])])
        painter.setPen(QPen(colour, 1.75))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(line)
        for k in range(self._count if self._count <= 40 else 0):
            chosen = k == self._chosen and self.hasFocus()
            painter.setBrush(self._theme.colour("text" if chosen else "card"))
            painter.drawEllipse(line.at(k), 3.0, 3.0)
        if self._place is not None:
            x = self._box.left() + self._place * self._box.width()
            painter.setPen(QPen(self._theme.colour("text"), 1.5))
            painter.drawLine(QPointF(x, self._box.top()), QPointF(x, self._box.bottom()))

    def _paint_bars(self, painter: QPainter, colour: QColor) -> None:
        width = self._box.width() / self._count
        gap = 2.0 if width > 6 else 0.5
        low = self._span[0]
        zero = self._y(max(low, 0.0) if self.series.unit != "note" else low)
        playing = -1 if self._place is None else min(int(self._place * self._count + 1e-6), self._count - 1)
        for k, value in enumerate(self._values[: self._count]):
            left, y = self._box.left() + k * width, self._y(value)
            shade = self._theme.colour("text") if k == playing else colour
            if self.series.shape is not None:
                cell = QRectF(left + gap, self._box.top() + 8, width - 2 * gap, self._box.height() - 16)
                painter.setPen(QPen(shade, 1.75))
                painter.drawPolyline(self._shape_of(round(value), cell))
                self._outline_chosen(painter, k, left, width)
                continue
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(shade)
            top = min(y, zero)
            painter.drawRect(QRectF(left + gap / 2, top, width - gap, max(abs(zero - y), 2.0)))
            self._outline_chosen(painter, k, left, width)

    def _outline_chosen(self, painter: QPainter, k: int, left: float, width: float) -> None:
        if k == self._chosen and self.hasFocus():
            box = QRectF(left, self._box.top(), width, self._box.height())
            outline(painter, box, self._theme.colour("text"), 1, 2)

    def _shape_of(self, number: int, cell: QRectF) -> QPolygonF:
        """The small curve for one number."""
        assert self.series.shape is not None
        points = max(8, min(SHAPE_POINTS, round(cell.width())))
        line = QPolygonF()
        for k in range(points + 1):
            height = self.series.shape(number, k / points, self._own)
            line.append(QPointF(cell.left() + cell.width() * k / points, cell.bottom() - height * cell.height()))
        return line

    # -- drawing ------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin a stroke: set the number below the mouse."""
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._fixed_span = self._span
        k, value = self._at(event.position())
        if len(self.series.choices) == 2:
            value = 1.0 - self._values[k]
        self._chosen, self._last = k, (k, value)
        self._set({k: value})

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Go on with the stroke: all numbers on the way are set."""
        if self._last is None:
            return
        (before, start), (k, value) = self._last, self._at(event.position())
        if len(self.series.choices) == 2:
            value = start
        if self.series.drawn == "curve" and self._count <= 12:
            k = before  # few points are moved one at a time
        way = range(min(before, k), max(before, k) + 1)
        span = max(abs(k - before), 1)
        self._set(
            {j: self._rounded(start + (value - start) * abs(j - before) / span) if k != before else value for j in way}
        )
        self._chosen, self._last = k, (k, value)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The stroke has ended."""
        if self._last is not None:
            self._last = self._fixed_span = None
            self.update()
            self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """One point more, where there is room."""
        if len(self._values) < self.series.most and self.series.least < self.series.most:
            k, value = self._at(event.position())
            after = k if self._x(k) <= event.position().x() else k - 1
            self.point_added.emit(min(max(after, 0), self._count - 1), value)
        else:
            self.mousePressEvent(event)

    def _set(self, changes: dict[int, float]) -> None:
        values = list(self._values)
        for k, value in changes.items():
            values[k] = value
        self.drawn.emit(tuple(values))

    def _give(self, values: tuple[float, ...]) -> None:
        self.drawn.emit(values)
        self.settled.emit()

    # -- keys and menu ------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows choose a number and change it; Enter or a digit types it."""
        key, shift = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._chosen = (self._chosen + (1 if key == Qt.Key.Key_Right else -1)) % self._count
            self._describe()
            self.update()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            whole = self.series.choices or self.series.unit == "note"
            step = 1.0 if whole else (self.series.high - self.series.low) * (0.005 if shift else 0.05)
            step = 12.0 if shift and self.series.unit == "note" else step
            value = self._values[self._chosen] + (step if key == Qt.Key.Key_Up else -step)
            self._set({self._chosen: self._rounded(value)})
            self.settled.emit()
        elif key == Qt.Key.Key_Delete:
            if len(self._values) > self.series.least:
                self.point_removed.emit(self._chosen)
            else:
                name, least = self.series.name, self.series.least
                self.refused.emit(tr("{name} needs at least {least}: none can be removed.", name=name, least=least))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) or event.text().isdigit():
            self._type(event.text() if event.text().isdigit() else "")
        else:
            super().keyPressEvent(event)

    def _type(self, begun: str) -> None:
        now = begun or self.series.format(self._values[self._chosen])
        title = tr("{name}, number {chosen}", name=self.series.name, chosen=self._chosen + 1)
        text, good = QInputDialog.getText(self, title, self.series.help, text=now)
        if good:
            try:
                value = parse_value(text, self.series.unit, choices=self.series.choices)
                if not self.series.low <= value <= self.series.high:
                    raise ParameterError(tr("{name} must be {allowed}; got {text}", name=self.series.name,
                                            allowed=self.series.allowed, text=text))  # fmt: skip
            except ParameterError as error:
                self.refused.emit(str(error))
                return
            self._set({self._chosen: value})
            self.settled.emit()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Everything that changes the series as a whole."""
        show_menu(self.menu(), event.globalPos())

    def menu(self) -> QMenu:
        """Chance, turning, stretching, copying."""
        menu, count, values = QMenu(self), self._count, self._values

        def add(text: str, make: Callable[[], tuple[float, ...]]) -> None:
            menu.addAction(text, lambda: self._give(make()))

        part = menu.addMenu(tr("Randomise"))
        for name, strength in STRENGTHS:
            part.addAction(
                name,
                partial(
                    lambda s: self._give(randomised(self.series, values, count, s, random.randrange(1 << 30))), strength
                ),
            )
        menu.addAction(tr("Randomise everything drawn"), self.everything_asked.emit)
        add(tr("Rotate to the right"), lambda: rotated(values, count, 1))
        add(tr("Rotate to the left"), lambda: rotated(values, count, -1))
        add(tr("Reverse"), lambda: reversed_order(values, count))
        add(tr("Stretch to double length"), lambda: stretched(values, count, 2.0))
        add(tr("Compress to half length"), lambda: stretched(values, count, 0.5))
        menu.addSeparator()
        menu.addAction(tr("Copy"), lambda: _copied.__setitem__(slice(None), [(self.series, values[:count])]))
        paste = menu.addAction(tr("Paste"), self._paste)
        paste.setEnabled(bool(_copied))
        add(tr("Default"), lambda: self.series.default)
        return menu

    def _paste(self) -> None:
        source, numbers = _copied[0]
        made = fitted(self.series, numbers, source)
        self._give((*made, *self._values[len(made) :])[: max(len(made), self.series.least)])


FIELDS: dict[str, type[PlaneField]] = {"path": PathField, "grid": GridField}
"""What shows both series of a group at once."""


class SeriesEditor(QWidget):
    """All series of a module: tabs, and the field of the one that is chosen.

    Signals
    -------
    drawn (object), timed (float)
        Series by id with other numbers; how long a movement of the hand took, in seconds.
    settled ()
        The stroke has ended.
    """

    drawn = Signal(object)
    timed = Signal(float)
    settled = Signal()
    refused = Signal(str)

    def __init__(self, spec: ModuleSpec, theme: Theme, chosen: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._spec, self._module = spec, Module("", spec.id, "")
        self.fields: dict[str, SeriesField] = {}
        self.tabs: dict[str, QPushButton] = {}
        self.plane: PlaneField | None = None
        self.chosen = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 4)
        column.setSpacing(4)
        if spec.series[0].drawn in FIELDS:
            self.plane = FIELDS[spec.series[0].drawn](spec, theme)
            self.plane.drawn.connect(self.drawn.emit)
            self.plane.settled.connect(self.settled.emit)
            if isinstance(self.plane, PathField):
                self.plane.timed.connect(self.timed.emit)
            column.addWidget(self.plane)
            return
        if len(spec.series) == 1:
            title = QLabel(spec.series[0].name)
            title.setFont(sans(13, 500))
            column.addWidget(title)
        grid = QGridLayout()
        grid.setSpacing(4)
        column.addLayout(grid)
        for k, series in enumerate(spec.series):
            if len(spec.series) > 1:
                grid.addWidget(self._tab(series), k // TABS_A_ROW, k % TABS_A_ROW)
            column.addWidget(self._field(series, theme))
        self.choose(chosen if chosen in self.fields else spec.series[0].id)

    def _tab(self, series: Series) -> QPushButton:
        tab = QPushButton(series.name)
        tab.setCheckable(True)
        tab.setFont(sans(11, 500))
        tab.setStyleSheet("padding: 2px 4px")
        tab.setToolTip(series.help)
        tab.clicked.connect(partial(self.choose, series.id))
        self.tabs[series.id] = tab
        return tab

    def _field(self, series: Series, theme: Theme) -> SeriesField:
        field = SeriesField(series, theme)
        field.drawn.connect(lambda values: self.drawn.emit({series.id: values}))
        field.settled.connect(self.settled.emit)
        field.point_added.connect(partial(self._add_point, series))
        field.point_removed.connect(partial(self._remove_point, series))
        field.everything_asked.connect(self.randomise_everything)
        field.refused.connect(self.refused.emit)
        self.fields[series.id] = field
        return field

    def choose(self, series: str) -> None:
        """Show the field of this series."""
        self.chosen = series
        for name, field in self.fields.items():
            field.setVisible(name == series)
        for name, tab in self.tabs.items():
            tab.setChecked(name == series)

    def choose_step(self, series: str, index: int) -> None:
        """Put one number of a series under the keys, where it has a field of its own."""
        if series in self.fields:
            self.choose(series)
            self.fields[series].choose(index)

    def _numbers(self, series: Series) -> tuple[float, ...]:
        return self._module.series.get(series.id, series.default)

    def show_module(self, module: Module) -> None:
        """Show a module's numbers."""
        self._module = module
        if self.plane is not None:
            self.plane.show_module(module)
            return
        for series in self._spec.series:
            values = self._numbers(series)
            count = len(values)
            if series.used:
                param = self._spec.param(series.used)
                count = round(module.params.get(param.id, param.default))
            across = next((self._numbers(x) for x in self._spec.series if x.id == series.across), ())
            self.fields[series.id].show_numbers(values, count, across, module.series)

    def show_place(self, place: float | None) -> None:
        """Mark the place that is played now in all series that it walks along."""
        if self.plane is not None:
            self.plane.show_place(place)
            return
        first = self._spec.series[0]
        for series in self._spec.series:
            along = series.used == first.used and series.group == first.group
            self.fields[series.id].show_place(place if along else None)

    def randomise_everything(self) -> None:
        """Chance for all series at once, half of the way: one undo step."""
        made = {}
        for series in self._spec.series:
            numbers = self._numbers(series)
            made[series.id] = randomised(series, numbers, len(numbers), STRENGTHS[1][1], random.randrange(1 << 30))
        self.drawn.emit(made)
        self.settled.emit()

    def _group(self, series: Series) -> list[Series]:
        """The series that have as many numbers as this one."""
        return [x for x in self._spec.series if x is series or (series.group and x.group == series.group)]

    def _add_point(self, series: Series, after: int, value: float) -> None:
        made = {}
        for other in self._group(series):
            numbers = self._numbers(other)
            new = value if other is series else numbers[min(after + 1, len(numbers) - 1)]
            made[other.id] = (*numbers[: after + 1], new, *numbers[after + 1 :])
        self.drawn.emit(made)
        self.settled.emit()

    def _remove_point(self, series: Series, place: int) -> None:
        group = self._group(series)
        self.drawn.emit({x.id: self._numbers(x)[:place] + self._numbers(x)[place + 1 :] for x in group})
        self.settled.emit()
