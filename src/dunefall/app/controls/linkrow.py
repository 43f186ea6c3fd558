"""Two lines under a rail: what moves it, by how much, and from where to where."""

from __future__ import annotations

import re
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRect, QRectF, QSignalBlocker, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QFont,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QWheelEvent,
)
from PySide6.QtWidgets import QAbstractSlider, QMenu, QSizePolicy

from dunefall.app.controls.menus import show_menu
from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import TraceImage, draw_text, outline
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.controls.valuefield import ValueField
from dunefall.base.amounts import format_offset, parse_link
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.base.units import UNITS, between, format_amount
from dunefall.catalogue.compounds import output_of
from dunefall.patch.model import CURVES, Link, Patch

__all__ = ["LinkRow", "link_role", "most_amount"]

HEIGHT, FIRST_H = 40, 24
TRACE_W, AMOUNT_W = 40, 74
PLACES = 1000


def link_role(patch: Patch, link: Link) -> str:
    """Kind of signal that a link carries."""
    output = output_of(patch, link.source)
    return output.role if output else "control"


def most_amount(unit: str) -> float:
    """The amount at the end of a link's small rail."""
    return {"oct": 5.0, "st": 24.0, "%": 1.0, "dB": 24.0, "ct": 100.0}.get(UNITS[unit].amount_sign, 1.0)


class LinkRow(QAbstractSlider):
    """Name of the other end, a small rail for the amount, the source's trace and the amount; below, the offset and from
    where to where the link moves its target.

    Parameters
    ----------
    name : str
        Of the source; of the target where the link is shown at its source (``outwards``).
    place : bool
        Its offset is a place by itself, such as the note ``C4``.

    Signals
    -------
    changed (Link), settled ()
        The link with other values; the movement ended.
    removed (), range_asked (), range_typed (str), end_asked (), solo_asked ()
        Take the link away; ask from where to where it moves its target; that was typed; show the other end; hear its
        effect alone.
    """

    changed = Signal(object)
    settled = Signal()
    removed = Signal()
    range_asked = Signal()
    range_typed = Signal(str)
    end_asked = Signal()
    solo_asked = Signal()

    def __init__(
        self, link: Link, name: str, role: str, unit: str, theme: Theme, *, outwards: bool = False, place: bool = False
    ) -> None:
        super().__init__()
        self.link, self._outwards = link, outwards
        self._name, self._role, self._unit, self._theme, self._place = name, role, unit, theme, place
        self._grabbed: tuple[float, float] | None = None
        self._field: ValueField | None = None
        self._span = ""
        self._bins: NDArray[np.float32] | None = None
        self._image = TraceImage()
        self._still: tuple[object, QPixmap] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(
            tr(
                "Drag for the amount, or type it: “12 st”, “offset 3 st”, “100 Hz to 2 kHz”. Click the name to "
                "go there, "
                "right-click for curve, switch, removal"
            )
        )
        self.setRange(-PLACES, PLACES)
        self.set_link(link)
        self.valueChanged.connect(self._set_place)
        own_keys(self, Qt.Key.Key_Delete)

    @property
    def held(self) -> bool:
        """Whether the mouse holds it."""
        return self._grabbed is not None

    def set_link(self, link: Link, span: str = "") -> None:
        """Show these values, and from where to where they move the target; emits nothing."""
        self.link, self._span = link, span
        self.setFixedHeight(HEIGHT if self._below() else FIRST_H)
        self.setAccessibleName(f"{tr('Moves') if self._outwards else tr('Moved by')} {self._name}")
        amount = format_amount(link.amount, self._unit)
        told = [amount if link.on else tr("{amount}, off", amount=amount), self._below()]
        self.setAccessibleDescription("; ".join(filter(None, told)))
        with QSignalBlocker(self):
            self.setValue(round(link.amount / most_amount(self._unit) * PLACES))
        self.update()

    def _set_place(self, place: int) -> None:
        """A screen reader has moved it: one undo step."""
        self.settled.emit()
        self._change(amount=round(place / PLACES * most_amount(self._unit), 4))
        self.settled.emit()

    def _below(self) -> str:
        """The second line: the range, and the offset where there is one."""
        offset = self._offset_told() if self.link.offset or self._place else ""
        return " · ".join(part for part in (self._span, offset) if part)

    def _offset_told(self) -> str:
        return tr("offset {format_offset}", format_offset=format_offset(self.link.offset, self._unit, self._place))

    def _rail(self) -> tuple[int, int]:
        return int(self.width() * 0.38), self.width() - AMOUNT_W - TRACE_W - 12

    def paintEvent(self, event: QPaintEvent) -> None:
        """Name, rail and amount, kept as a picture until they change, and the trace."""
        painter, scale = QPainter(self), self.devicePixelRatioF()
        looks = (self.link, self._span, self.size().toTuple(), scale, self.hasFocus())
        if self._still is None or self._still[0] != looks:
            picture = QPixmap(self.size() * scale)
            picture.setDevicePixelRatio(scale)
            picture.fill(Qt.GlobalColor.transparent)
            still = QPainter(picture)
            self._draw_still(still)
            still.end()
            self._still = (looks, picture)
        painter.drawPixmap(0, 0, self._still[1])
        if self._bins is not None and self.link.on:
            self._image.clear(TRACE_W, FIRST_H - 8, scale)
            colour = self._theme.colour(self._role)
            low = 0.0 if self._role == "gate" else -1.0
            self._image.trace(QRect(0, 0, TRACE_W, FIRST_H - 8), self._bins, self._role, colour, low=low, stroke=1.5)
            painter.translate(self._rail()[1] + 8, 5)
            self._image.draw(painter)
        painter.end()

    def _draw_still(self, painter: QPainter) -> None:
        theme, link = self._theme, self.link
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.hasFocus():
            outline(painter, QRectF(self.rect()), theme.colour("text"), 1.5, 4)
        left, right = self._rail()
        font = QFont(sans(12))
        font.setUnderline(True)
        font.setStrikeOut(not link.on)
        draw_text(painter, QRectF(6, 0, left - 16, FIRST_H), self._name, font, theme.colour("text"))
        below = QRectF(6, FIRST_H - 2, self.width() - 10, HEIGHT - FIRST_H)
        draw_text(painter, below, self._below(), mono(11), theme.colour("text2"))
        middle, y = (left + right) / 2, FIRST_H / 2
        painter.setPen(QPen(theme.colour("edge"), 1.5))
        painter.drawLine(left, round(y), right, round(y))
        share = max(-1.0, min(1.0, link.amount / most_amount(self._unit)))
        end = middle + share * (right - left) / 2
        painter.setPen(QPen(theme.colour(self._role), 3))
        painter.drawLine(round(middle), round(y), round(end), round(y))
        painter.fillRect(QRectF(end - 1.5, y - 5, 3, 10), theme.colour("text"))
        amount = format_amount(link.amount, self._unit) if link.on else tr("off")
        amount_box = QRectF(self.width() - AMOUNT_W, 0, AMOUNT_W - 4, FIRST_H)
        draw_text(painter, amount_box, amount, mono(11.5),
                  theme.colour("text"), right=True)  # fmt: skip

    def set_bins(self, bins: NDArray[np.float32] | None) -> None:
        """Show the source's live trace."""
        self._bins = bins
        self.update()

    def _change(self, **values: object) -> None:
        link = replace(self.link, **values)  # type: ignore[arg-type]
        if link != self.link:
            self.set_link(link, self._span)
            self.changed.emit(link)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the amount, or follow the name."""
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if event.position().x() < self._rail()[0] - 8:
            self.end_asked.emit()
        else:
            self._grabbed = (event.position().x(), self.link.amount)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag; Shift fine."""
        if self._grabbed is None:
            return
        x, amount = self._grabbed
        left, right = self._rail()
        speed = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        amount += (event.position().x() - x) / (right - left) * 2 * most_amount(self._unit) * speed
        self._grabbed = (event.position().x(), amount)
        self._change(amount=round(amount, 4))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The drag has ended."""
        self._grabbed = None
        self.settled.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Step, if the row has the focus."""
        if self.hasFocus():
            self._step(event.angleDelta().y() / 120.0)
            event.accept()
        else:
            event.ignore()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows step, Enter or a digit types, Delete removes."""
        key = event.key()
        if key in (Qt.Key.Key_Right, Qt.Key.Key_Left):
            self._step(1.0 if key == Qt.Key.Key_Right else -1.0)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit()
        elif event.text() and event.text() in "0123456789+-.−":
            self.edit(event.text())
        elif key == Qt.Key.Key_Delete:
            self.removed.emit()
        else:
            super().keyPressEvent(event)

    def _step(self, steps: float) -> None:
        self._change(amount=round(self.link.amount + steps * most_amount(self._unit) / 50, 4))

    def edit(self, text: str = "", shown: str = "") -> None:
        """Type the amount, the offset or the range in place; ``shown`` is there to be changed."""
        if self._field is None:
            now = shown or format_amount(self.link.amount, self._unit)
            self._field = ValueField(text or now, tr("Amount of {name}", name=self._name), self)
            self._field.returnPressed.connect(self._typed)
            self._field.left.connect(self._end_edit)
            self._field.open(QRect(self._rail()[0], 0, self.width() - self._rail()[0], FIRST_H), chosen=not text)

    def _typed(self) -> None:
        assert self._field is not None
        text = self._field.text()
        if re.search(between(), text):
            self._end_edit()
            self.range_typed.emit(text)
            return
        try:
            values = parse_link(text, self._unit, self._place)
        except ParameterError as error:
            self._field.refuse(str(error))
            return
        self._end_edit()
        self.settled.emit()
        self._change(**values)
        self.settled.emit()

    def _end_edit(self) -> None:
        """Put the field away."""
        field, self._field = self._field, None
        if field is not None:
            field.close_to(self)
            self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Open the menu."""
        show_menu(self.menu(), event.globalPos())

    def menu(self) -> QMenu:
        """Amount, offset, curve, switch, removal."""
        menu = QMenu(self)
        menu.addAction(tr("Type the amount…"), lambda: self.edit())
        menu.addAction(tr("Type the offset…"), lambda: self.edit(shown=self._offset_told()))
        menu.addAction(tr("Set its range…"), self.range_asked.emit)
        curves = menu.addMenu(tr("Curve"))
        for curve in CURVES:
            action = curves.addAction(tr(curve), partial(self._change, curve=curve))
            action.setCheckable(True)
            action.setChecked(curve == self.link.curve)
        menu.addAction(tr("Hear only this link here"), self.solo_asked.emit)
        menu.addAction(tr("Invert"), lambda: self._change(amount=-self.link.amount))
        menu.addAction(
            tr("Switch on") if not self.link.on else tr("Switch off"), lambda: self._change(on=not self.link.on)
        )
        menu.addSeparator()
        menu.addAction(tr("Remove"), self.removed.emit)
        return menu
