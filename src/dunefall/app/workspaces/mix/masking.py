"""Masking: the spectrum of the mix, split by each layer's share, and the worst case in words with a cure."""

from __future__ import annotations

import math
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from dunefall.analysis.masking import BANDS_HZ, Covering, Masking, band_powers
from dunefall.app.controls.painting import draw_text
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.base.language import tr
from dunefall.base.units import format_value
from dunefall.patch.mixing import mixed_layers
from dunefall.patch.model import Patch, Place

__all__ = ["FIRST_PROBE", "MOST_LAYERS", "MaskingPlot", "covering_text"]

FIRST_PROBE, MOST_LAYERS = 4, 12
"""Of the probes, those that the mix listens with."""
SAMPLES = 8192
TOP_DB, BOTTOM_DB = -12.0, -68.0
LOOK_EVERY = 8
CALM = 0.5


class Probes(Protocol):
    """Where the samples come from."""

    def set_probe(self, index: int, place: Place | None) -> None:
        """Watch an output."""

    def probe(self, index: int, samples: int) -> NDArray[np.float32]:
        """The last samples, oldest first."""


def covering_text(patch: Patch, found: Covering) -> str:
    """A case in words.

    The layer's names, from where to where, how often, by how much.
    """
    above, below = patch.layer(found.above).name, patch.layer(found.below).name
    span = tr("{format_value} to {format_value_2}", format_value=format_value(found.low_hz, "hz"),
              format_value_2=format_value(found.high_hz, "hz"))  # fmt: skip
    return tr("{above} covers {below} at {span}, {share:.0f} % of the last 20 s, by {by_db:.0f} dB.", above=above,
              below=below, span=span, share=100 * found.share, by_db=found.by_db)  # fmt: skip


class MaskingPlot(QWidget):
    """The plot; ``worst`` is the case in the sentence."""

    def __init__(self, patch: Patch, probes: Probes, theme: Theme, rate: float) -> None:
        super().__init__()
        self._patch, self._probes, self._theme, self.rate = patch, probes, theme, rate
        self._masking, self._powers = Masking(), dict[str, NDArray[np.float64]]()
        self._listened: tuple[str, ...] = ()
        self._selection, self._ticks = "", 0
        self.worst: Covering | None = None
        self.setMinimumHeight(110)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(136)
        self.setAccessibleName(tr("Masking"))
        self.setToolTip(tr("Height: level of the mix. Split: each layer's share of the power"))

    def set_patch(self, patch: Patch) -> None:
        """Show this patch."""
        self._patch = patch
        self._selection = self._selection if any(layer.id == self._selection for layer in patch.layers) else ""
        self.worst = None if self.worst and not self._there(self.worst) else self.worst
        self.update()

    def _there(self, found: Covering) -> bool:
        ids = {layer.id for layer in self._patch.layers}
        return found.above in ids and found.below in ids

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.update()

    def select(self, module: str) -> None:
        """Show one layer fully, by any of its modules."""
        layer = next((x for x in mixed_layers(self._patch) if any(m.id == module for m in x.modules)), None)
        self._selection = layer.id if layer else ""
        self.update()

    def listen(self, on: bool) -> None:
        """Listen to the layers, or let go of them."""
        layers = tuple(layer.output_id for layer in mixed_layers(self._patch)[:MOST_LAYERS]) if on else ()
        if layers != self._listened:
            self._listened = layers
            for k in range(MOST_LAYERS):
                place = Place(layers[k], "left") if k < len(layers) else None
                self._probes.set_probe(FIRST_PROBE + k, place)
            self._masking.forget()

    def animate(self) -> None:
        """Look at the layers again, some times a second."""
        self._ticks += 1
        if self._ticks % LOOK_EVERY or not self._listened:
            return
        looks = {}
        for k, output in enumerate(self._listened):
            samples = self._probes.probe(FIRST_PROBE + k, SAMPLES)
            if len(samples) == SAMPLES:
                looks[output.rsplit("-", 1)[0]] = band_powers(samples, self.rate)
        old = self._powers
        self._powers = {k: CALM * power + (1 - CALM) * old.get(k, power) for k, power in looks.items()}
        self._masking.add(looks)
        worst = self._masking.worst(self._selection) or self._masking.worst()
        self.worst = worst if worst and self._there(worst) else None
        self.setAccessibleDescription(covering_text(self._patch, self.worst) if self.worst else tr("nothing is masked"))
        self.update()

    def _x(self, hz: float) -> float:
        return self.width() * math.log(hz / BANDS_HZ[0]) / math.log(BANDS_HZ[-1] / BANDS_HZ[0])

    def paintEvent(self, event: QPaintEvent) -> None:
        """The stacked shares, the named stretch hatched."""
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        plot = QRectF(0, 0, self.width(), self.height() - 18)
        painter.fillRect(plot, theme.colour("ground"))
        names = [layer for layer in mixed_layers(self._patch) if layer.id in self._powers]
        if names:
            powers = np.stack([self._powers[layer.id] for layer in names])
            total = powers.sum(axis=0)
            level = np.clip((10 * np.log10(total) - BOTTOM_DB) / (TOP_DB - BOTTOM_DB), 0, 1) * plot.height()
            edges = np.concatenate([np.zeros((1, len(total))), np.cumsum(powers / total, axis=0)]) * level
            for k, layer in enumerate(names):
                colour = theme.colour("audio")
                colour.setAlphaF(0.95 if layer.id == self._selection else 0.28 + 0.12 * (k % 2))
                lower = [QPointF(self._x(hz), plot.bottom() - y) for hz, y in zip(BANDS_HZ, edges[k], strict=True)]
                upper = [QPointF(self._x(hz), plot.bottom() - y) for hz, y in zip(BANDS_HZ, edges[k + 1], strict=True)]
                painter.setPen(QPen(theme.colour("card"), 1))
                painter.setBrush(colour)
                painter.drawPolygon(QPolygonF(lower + upper[::-1]))
        if self.worst:
            left, right = self._x(self.worst.low_hz), self._x(self.worst.high_hz)
            painter.setPen(QPen(theme.colour("text"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(left, 0), QPointF(left, plot.bottom()))
            painter.drawLine(QPointF(right, 0), QPointF(right, plot.bottom()))
            painter.setBrush(QBrush(theme.colour("text"), Qt.BrushStyle.BDiagPattern))
            painter.drawRect(QRectF(left, 2, right - left, 8))
        for hz, text in ((100, "100"), (1000, "1 k"), (10000, "10 kHz")):
            box = QRectF(self._x(hz) - 30, plot.bottom() + 1, 60, 16)
            draw_text(painter, box, text, mono(11, 400), theme.colour("text2"), centre=True)
        if not names:
            draw_text(
                painter, plot, tr("Play to see which layer masks which"), sans(12), theme.colour("text2"), centre=True
            )
        painter.end()
