"""One line under a rail: what moves it, by how much."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRect, QRectF, Qt, Signal
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
from PySide6.QtWidgets import QInputDialog, QMenu, QSizePolicy, QWidget

from dunefall.app.controls.menus import show_menu
from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import TraceImage, draw_text, outline
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.base.errors import ParameterError
from dunefall.base.units import UNITS, format_amount
from dunefall.catalogue.compounds import spec_for
from dunefall.patch.model import CURVES, Link, Patch

__all__ = ["LinkRow", "link_role", "most_amount", "parse_amount"]

HEIGHT = 26
TRACE_W, AMOUNT_W = 40, 74


def link_role(patch: Patch, link: Link) -> str:
    """Kind of signal that a link carries."""
    spec = spec_for(patch.module(link.source.module))
    output = spec.output(link.source.port) if spec else None
    return output.role if output else "control"


def most_amount(unit: str) -> float:
    """The amount at the end of a link's small rail."""
    return {"oct": 5.0, "st": 24.0, "%": 1.0, "dB": 24.0, "ct": 100.0}.get(UNITS[unit].amount_sign, 1.0)


def parse_amount(text: str, unit: str) -> float:
    """A typed amount in the target's unit; raises ParameterError."""
    sign = UNITS[unit].amount_sign
    plain = text.strip().replace("−", "-").replace(",", ".").removesuffix(sign).strip()
    try:
        value = float(plain) / (100.0 if sign == "%" else 1.0)
    except ValueError:
        raise ParameterError(f"'{text}' is not an amount; type a number in {sign or 'steps'}") from None
    if not abs(value) <= 1000.0:
        raise ParameterError(f"an amount must be −1000 to 1000 {sign}; got {text}")
    return value


class LinkRow(QWidget):
    """Name of the other end, a small rail for the amount, the source's trace, and the amount.

    Parameters
    ----------
    name : str
        Of the source; of the target where the link is shown at its source (``outwards``).

    Signals
    -------
    changed (Link), settled ()
        The link with other values; the movement ended.
    removed (), range_asked (), end_asked (), solo_asked ()
        Take the link away; type from where to where it moves its target; show the other end; hear its effect alone.
    """

    changed = Signal(object)
    settled = Signal()
    removed = Signal()
    range_asked = Signal()
    end_asked = Signal()
    solo_asked = Signal()

    def __init__(self, link: Link, name: str, role: str, unit: str, theme: Theme, *, outwards: bool = False) -> None:
        super().__init__()
        self.link, self._outwards = link, outwards
        self._name, self._role, self._unit, self._theme = name, role, unit, theme
        self._grabbed: tuple[float, float] | None = None
        self._bins: NDArray[np.float32] | None = None
        self._image = TraceImage()
        self._still: tuple[object, QPixmap] | None = None
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(
            "Drag for the amount, click the name to go there, right-click for offset, curve, switch, removal"
        )
        self.set_link(link)
        own_keys(self, Qt.Key.Key_Delete)

    @property
    def held(self) -> bool:
        """Whether the mouse holds it."""
        return self._grabbed is not None

    def set_link(self, link: Link) -> None:
        """Show these values; emits nothing."""
        self.link = link
        self.setAccessibleName(f"{'Moves' if self._outwards else 'Moved by'} {self._name}")
        self.setAccessibleDescription(format_amount(link.amount, self._unit) + ("" if link.on else ", off"))
        self.update()

    def _rail(self) -> tuple[int, int]:
        return int(self.width() * 0.38), self.width() - AMOUNT_W - TRACE_W - 12

    def paintEvent(self, event: QPaintEvent) -> None:
        """Name, rail and amount, kept as a picture until they change, and the trace."""
        painter, scale = QPainter(self), self.devicePixelRatioF()
        looks = (self.link, self.size().toTuple(), scale, self.hasFocus())
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
            self._image.clear(TRACE_W, HEIGHT - 10, scale)
            colour = self._theme.colour(self._role)
            low = 0.0 if self._role == "gate" else -1.0
            self._image.trace(QRect(0, 0, TRACE_W, HEIGHT - 10), self._bins, self._role, colour, low=low, stroke=1.5)
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
        draw_text(painter, QRectF(6, 0, left - 16, HEIGHT), self._name, font, theme.colour("text"))
        middle, y = (left + right) / 2, HEIGHT / 2
        painter.setPen(QPen(theme.colour("edge"), 1.5))
        painter.drawLine(left, round(y), right, round(y))
        share = max(-1.0, min(1.0, link.amount / most_amount(self._unit)))
        end = middle + share * (right - left) / 2
        painter.setPen(QPen(theme.colour(self._role), 3))
        painter.drawLine(round(middle), round(y), round(end), round(y))
        painter.fillRect(QRectF(end - 1.5, y - 5, 3, 10), theme.colour("text"))
        amount = format_amount(link.amount, self._unit) if link.on else "off"
        amount_box = QRectF(self.width() - AMOUNT_W, 0, AMOUNT_W - 4, HEIGHT)
        draw_text(painter, amount_box, amount, mono(11.5),
                  theme.colour("text"), right=True)  # fmt: skip

    def set_bins(self, bins: NDArray[np.float32] | None) -> None:
        """Show the source's live trace."""
        self._bins = bins
        self.update()

    def _change(self, **values: object) -> None:
        link = replace(self.link, **values)  # type: ignore[arg-type]
        if link != self.link:
            self.set_link(link)
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
        """Arrows step, Enter types, Delete removes."""
        key = event.key()
        if key in (Qt.Key.Key_Right, Qt.Key.Key_Left):
            self._step(1.0 if key == Qt.Key.Key_Right else -1.0)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._ask("amount")
        elif key == Qt.Key.Key_Delete:
            self.removed.emit()
        else:
            super().keyPressEvent(event)

    def _step(self, steps: float) -> None:
        self._change(amount=round(self.link.amount + steps * most_amount(self._unit) / 50, 4))

    def _ask(self, what: str) -> None:
        """Type the amount or the offset; both are in the target's unit."""
        now = format_amount(getattr(self.link, what), self._unit)
        text, good = QInputDialog.getText(self, f"{what.capitalize()} of {self._name}", what.capitalize(), text=now)
        if good:
            try:
                value = parse_amount(text, self._unit)
            except ParameterError:
                return
            self.settled.emit()
            self._change(**{what: value})
            self.settled.emit()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Open the menu."""
        show_menu(self.menu(), event.globalPos())

    def menu(self) -> QMenu:
        """Amount, offset, curve, switch, removal."""
        menu = QMenu(self)
        menu.addAction("Type the amount…", lambda: self._ask("amount"))
        menu.addAction("Type the offset…", lambda: self._ask("offset"))
        menu.addAction("Set its range…", self.range_asked.emit)
        curves = menu.addMenu("Curve")
        for curve in CURVES:
            action = curves.addAction(curve, partial(self._change, curve=curve))
            action.setCheckable(True)
            action.setChecked(curve == self.link.curve)
        menu.addAction("Hear only this link here", self.solo_asked.emit)
        menu.addAction("Invert", lambda: self._change(amount=-self.link.amount))
        menu.addAction("Switch on" if not self.link.on else "Switch off", lambda: self._change(on=not self.link.on))
        menu.addSeparator()
        menu.addAction("Remove", self.removed.emit)
        return menu
