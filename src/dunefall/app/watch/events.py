"""Watch's events: gates and triggers of the pinned modules as ticks in lanes, each with its cause."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QRect, QRectF, Qt
from PySide6.QtGui import QHelpEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from dunefall.app.controls.painting import draw_text
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.base.language import decimal, tr
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.story import cause_story
from dunefall.compiler.traces import BIN_SAMPLES, TRACE_BINS
from dunefall.patch.model import Patch, Place

__all__ = ["Events", "lanes_of"]

HEAD, FOOT, GAP = 150, 16, 4
REFUSED = ("refused", "rest")
NEAR = 5
"""Pixels within which a tick is meant."""


class TraceSource(Protocol):
    """Where traces come from."""

    def trace(self, module: str, port: str = "") -> NDArray[np.float32] | None:
        """Lowest and highest value per bin, oldest first."""


def lanes_of(patch: Patch) -> list[tuple[str, list[Place]]]:
    """For each pinned module its name and the gates to show: its own, or else those that trigger it."""
    lanes = []
    for pin in patch.pins:
        module = patch.module(pin.module)
        spec = spec_for(module)
        if spec is None:
            continue
        gates = [Place(module.id, output.id) for output in spec.outputs if output.role == "gate"]
        if pin in gates:
            gates = [pin, *(gate for gate in gates if gate.port in REFUSED)]
        elif spec.outputs[0].role != "gate":
            into = [port.id for port in spec.inputs if port.role == "gate"]
            gates = [link.source for port in into for link in patch.links_into(module.id, port)] or gates
        first = [gate for gate in gates if gate.port not in REFUSED][:1]
        lanes.append((module.name, first + [gate for gate in gates if gate.port in REFUSED and gate not in first]))
    return [lane for lane in lanes if lane[1]]


def ticks_of(bins: NDArray[np.float32]) -> list[int]:
    """Bins in which a gate rises; one that falls and rises within a bin counts too."""
    high = bins[:, 1] > 0.5
    low = bins[:, 0] <= 0.5
    rises = high & (np.concatenate([[True], low[:-1]]) if len(bins) else high)
    rises[1:] &= low[1:] | ~high[:-1]
    return [int(k) for k in np.flatnonzero(rises)]


class Events(QWidget):
    """One lane for each pinned module."""

    def __init__(self, theme: Theme, source: TraceSource, rate: float) -> None:
        super().__init__()
        self._theme, self._source, self.rate = theme, source, rate
        self._patch, self._lanes = Patch(), lanes_of(Patch())
        self._seconds = 5.0
        self._ticks: list[list[tuple[float, Place]]] = []
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Events of the pinned modules"))

    def show_pins(self, patch: Patch, theme: Theme) -> None:
        """Show the pinned modules of a patch."""
        self._patch, self._theme, self._lanes = patch, theme, lanes_of(patch)
        self.update()

    def show_time(self, seconds: float) -> None:
        """Show what came within so many seconds, as many as are kept."""
        self._seconds = min(seconds, TRACE_BINS * BIN_SAMPLES / self.rate)
        self._ticks = [self._lane_ticks(gates) for _, gates in self._lanes]
        self.update()

    def _lane_ticks(self, gates: list[Place]) -> list[tuple[float, Place]]:
        """Seconds ago and output of each tick."""
        found = []
        for gate in gates:
            spec = spec_for(self._patch.module(gate.module))
            first = spec is not None and gate.port == spec.outputs[0].id
            bins = self._source.trace(gate.module, "" if first else gate.port)
            if bins is not None:
                found += [((len(bins) - k) * BIN_SAMPLES / self.rate, gate) for k in ticks_of(bins)]
        return [(ago, gate) for ago, gate in found if ago <= self._seconds]

    @property
    def _plot(self) -> QRect:
        return QRect(HEAD, 2, self.width() - HEAD - 8, self.height() - FOOT - 2)

    def _lane(self, k: int) -> QRectF:
        tall = self._plot.height() / max(len(self._lanes), 1)
        return QRectF(self._plot.left(), self._plot.top() + k * tall, self._plot.width(), tall - GAP)

    def _x(self, ago: float) -> float:
        return self._plot.right() - ago / self._seconds * self._plot.width()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Lanes, names, ticks, time."""
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k, (name, _) in enumerate(self._lanes):
            lane = self._lane(k)
            painter.fillRect(lane, theme.colour("ground"))
            box = QRectF(0, lane.top(), HEAD - 8, lane.height())
            draw_text(painter, box, name, sans(12, 600), theme.colour("text"))
            for ago, gate in self._ticks[k] if k < len(self._ticks) else ():
                tick = QRectF(self._x(ago) - 2, lane.top() + 4, 4, lane.height() - 8)
                refused = gate.port in REFUSED
                painter.setPen(QPen(theme.colour("gate"), 1.25))
                painter.setBrush(Qt.BrushStyle.NoBrush if refused else theme.colour("gate"))
                painter.drawRect(tick)
        foot = QRectF(self._plot.left(), self._plot.bottom() + 1, self._plot.width(), FOOT - 2)
        draw_text(painter, foot, decimal(f"−{self._seconds:.3g} s"), mono(11, 400), theme.colour("text2"))
        draw_text(painter, foot, tr("now"), mono(11, 400), theme.colour("text2"), right=True)
        painter.end()

    def event(self, event: QEvent) -> bool:
        """Hovering over a tick says why it came, or why it was refused."""
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            QToolTip.showText(event.globalPos(), self.cause_at(event.pos().x(), event.pos().y()), self)
            return True
        return super().event(event)

    def cause_at(self, x: float, y: float) -> str:
        """Why the tick at this place came; empty where there is none."""
        for k, ticks in enumerate(self._ticks):
            if self._lane(k).contains(x, y):
                near = [(abs(self._x(ago) - x), ago, gate) for ago, gate in ticks if abs(self._x(ago) - x) <= NEAR]
                if near:
                    _, ago, gate = min(near, key=lambda item: item[0])
                    return tr("{ago:.2f} s ago: {cause_story}", ago=ago, cause_story=cause_story(self._patch,
                              gate.module, gate.port))  # fmt: skip
        return ""
