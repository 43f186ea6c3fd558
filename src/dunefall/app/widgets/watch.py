"""Watch: pinned signals side by side as a scope."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dunefall.app.painting import TraceImage, draw_text
from dunefall.app.theme import Theme, mono, numerals, sans
from dunefall.app.widgets.events import Events
from dunefall.base.units import format_value
from dunefall.catalogue import spec_of
from dunefall.patch.model import Patch, Place

__all__ = ["TIME_BASES_S", "Scope", "Watch"]

TIME_BASES_S = (0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0)
TRIGGERED_BELOW_S = 0.1
HEIGHT = 170


class ProbeSource(Protocol):
    """Where the samples and traces come from."""

    def trace(self, module: str, port: str = "") -> NDArray[np.float32] | None:
        """Lowest and highest value of the last bins of an output, oldest first."""

    def set_probe(self, index: int, place: Place | None) -> None:
        """Watch an output."""

    def probe(self, index: int, samples: int) -> NDArray[np.float32]:
        """The last samples, oldest first."""


def columns_of(samples: NDArray[np.float32], columns: int) -> NDArray[np.float32]:
    """Lowest and highest value per column, shape (columns, 2); short signals are interpolated."""
    n = len(samples)
    if n <= columns:
        line = np.interp(np.linspace(0, n - 1, columns), np.arange(n), samples)
        return np.stack([line, line], axis=1).astype(np.float32)
    starts = np.arange(columns) * n // columns
    return np.stack([np.minimum.reduceat(samples, starts), np.maximum.reduceat(samples, starts)], axis=1)


def triggered(samples: NDArray[np.float32], length: int) -> NDArray[np.float32]:
    """The last piece of ``length`` samples that starts at a rise through the middle; the end if there is none."""
    head = samples[: len(samples) - length]
    middle = (float(samples.min()) + float(samples.max())) / 2
    rises = np.flatnonzero((head[:-1] < middle) & (head[1:] >= middle))
    start = int(rises[-1]) if len(rises) else len(samples) - length
    return samples[start : start + length]


class Scope(QWidget):
    """One pinned signal."""

    def __init__(self, name: str, layer: str, role: str, theme: Theme) -> None:
        super().__init__()
        self._name, self._layer, self._role, self._theme = name, layer, role, theme
        self._samples = np.zeros(2, np.float32)
        self._seconds = 1.0
        self._image = TraceImage()
        self.setAccessibleName(f"Scope of {name}")
        self.setToolTip("P on a selected card pins or unpins it")

    def show_samples(self, samples: NDArray[np.float32], seconds: float) -> None:
        """Draw these samples over this time."""
        self._samples, self._seconds = samples, seconds
        self.update()

    @property
    def span(self) -> tuple[float, float]:
        """Lowest and highest value on the screen."""
        low, high = float(self._samples.min()), float(self._samples.max())
        if self._role == "gate":
            return 0.0, 1.0
        if self._role in ("audio", "control"):
            peak = max(abs(low), abs(high), 1e-3)
            top = next(t for t in (0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 1e9) if peak <= t)
            return (0.0 if low >= 0 and self._role == "control" else -top), top
        return low - 1, high + 1

    def paintEvent(self, event: QPaintEvent) -> None:
        """Title, grid, trace, axes."""
        theme, painter = self._theme, QPainter(self)
        plot = QRect(40, 22, self.width() - 48, self.height() - 40)
        title = QRectF(0, 0, self.width() - 8, 18)
        draw_text(painter, title, f"{self._layer} · {self._name}", sans(12, 600), theme.colour("text"))
        value = f"{self._samples[-1]:+.2f}".replace("-", "−")
        draw_text(painter, title, value, mono(12), theme.colour("text"), right=True)
        painter.fillRect(plot, theme.colour("ground"))
        painter.setPen(QPen(theme.colour("line"), 1))
        for k in range(1, 4):
            painter.drawLine(
                plot.x() + plot.width() * k // 4, plot.y(), plot.x() + plot.width() * k // 4, plot.bottom()
            )
        low, high = self.span
        middle = plot.y() + plot.height() // 2
        painter.drawLine(plot.x(), middle, plot.right(), middle)
        for y, number in ((plot.y() + 6, high), (middle, (low + high) / 2), (plot.bottom() - 6, low)):
            text = f"{number:+.2g}".replace("-", "−").replace("0.", ".") if number else "0"
            draw_text(painter, QRectF(0, y - 8, 34, 16), text, mono(11, 400), theme.colour("text2"), right=True)
        for k, text in ((0, f"−{format_value(self._seconds, 's')}"), (2, f"−{format_value(self._seconds / 2, 's')}"),
                        (4, "now")):  # fmt: skip
            x = plot.x() + plot.width() * k / 4
            box = QRectF(x - (0 if k == 0 else 70 if k == 4 else 35), plot.bottom() + 2, 70, 14)
            draw_text(painter, box, text, mono(11, 400), theme.colour("text2"), right=k == 4, centre=k == 2)
        scale = self.devicePixelRatioF()
        self._image.clear(self.width(), self.height(), scale)
        columns = columns_of(self._samples, max(2, round(plot.width() * scale)))
        kind = "control" if self._role == "audio" else self._role
        self._image.trace(plot.adjusted(0, 2, 0, -2), columns, kind, theme.colour(self._role), low=low, high=high)
        self._image.draw(painter)
        painter.end()


class Watch(QWidget):
    """Up to four scopes side by side, one time base, and a freeze; ``rate`` is the sample rate in Hz."""

    def __init__(self, theme: Theme, source: ProbeSource, rate: float, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._source, self.rate = theme, source, rate
        self._base = TIME_BASES_S.index(5.0)
        self._shown: tuple[object, ...] = ("nothing yet",)
        self.scopes: list[Scope] = []
        self.setFixedHeight(HEIGHT)
        self.setAccessibleName("Watch")
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 4, 8, 4)
        column.setSpacing(2)
        bar = QHBoxLayout()
        title = QLabel("Watch")
        title.setFont(sans(12, 600))
        bar.addWidget(title)
        self.views: dict[str, QPushButton] = {}
        for view, tip in (
            ("Scope", "The signals over time"),
            ("Events", "Gates and triggers, with their cause"),
        ):
            button = QPushButton(view)
            button.setCheckable(True)
            button.setFixedHeight(24)
            button.setStyleSheet("padding: 0 10px")
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, name=view: self.choose(name))
            self.views[view] = button
            bar.addWidget(button)
        bar.addStretch(1)
        bar.addWidget(QLabel("Time base"))
        self.shorter = QPushButton("−")
        self.longer = QPushButton("+")
        self._label = QLabel()
        numerals(self._label, 12)
        self._label.setFixedWidth(64)
        self._label.setAlignment(Qt.AlignmentFlag.AlignCenter)
        for button, step, name in ((self.shorter, -1, "Shorter time base"), (self.longer, 1, "Longer time base")):
            button.setFixedSize(30, 24)
            button.setStyleSheet("padding: 0")
            button.setAccessibleName(name)
            button.setToolTip(name)
            button.clicked.connect(lambda _=False, by=step: self.step_time_base(by))
        for widget in (self.shorter, self._label, self.longer):
            bar.addWidget(widget)
        self.freeze = QPushButton("Freeze")
        self.freeze.setCheckable(True)
        self.freeze.setFixedHeight(24)
        self.freeze.setStyleSheet("padding: 0 12px")
        self.freeze.setToolTip("Hold the picture (F)")
        bar.addWidget(self.freeze)
        column.addLayout(bar)
        self._row = QHBoxLayout()
        self._row.setSpacing(16)
        column.addLayout(self._row, 1)
        self.events = Events(theme, source, rate)
        self._row.addWidget(self.events, 1)
        self._hint = QLabel("Nothing is pinned. Select a card and press P to watch its output here.")
        self._hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._row.addWidget(self._hint)
        self.choose("Scope")
        self.step_time_base(0)

    def choose(self, view: str) -> None:
        """Show the scopes or the events."""
        self.view = view
        for name, button in self.views.items():
            button.setChecked(name == view)
        self._arrange()

    def _arrange(self) -> None:
        """What is seen: scopes, events, or what to do first."""
        self.events.setVisible(bool(self.scopes) and self.view == "Events")
        for scope in self.scopes:
            scope.setVisible(self.view == "Scope")
        self._hint.setVisible(not self.scopes)

    @property
    def seconds(self) -> float:
        """Time that the scopes show."""
        return TIME_BASES_S[self._base]

    def step_time_base(self, by: int) -> None:
        """Show a longer (1) or shorter (-1) time."""
        self._base = max(0, min(len(TIME_BASES_S) - 1, self._base + by))
        self._label.setText(format_value(self.seconds, "s").replace(".0 ", " ").replace(".00 ", " "))
        self.animate(even_frozen=True)

    def set_theme(self, theme: Theme, patch: Patch) -> None:
        """Draw in this theme."""
        self._theme, self._shown = theme, ()
        self.show_pins(patch)

    def show_pins(self, patch: Patch) -> None:
        """Show the patch's pinned outputs."""
        self.events.show_pins(patch, self._theme)
        shown = tuple((pin, patch.module(pin.module).name) for pin in patch.pins)
        if shown == self._shown:
            return
        self._shown = shown
        for scope in self.scopes:
            self._row.removeWidget(scope)
            scope.deleteLater()
        self.scopes = []
        for index in range(4):
            pin = patch.pins[index] if index < len(patch.pins) else None
            self._source.set_probe(index, pin)
            if pin is None:
                continue
            module = patch.module(pin.module)
            spec = spec_of(module.type)
            output = spec.output(pin.port) if spec else None
            role = output.role if output else "control"
            scope = Scope(module.name, patch.layer_of(pin.module).name, role, self._theme)
            self.scopes.append(scope)
            self._row.addWidget(scope, 1)
        self._arrange()

    def animate(self, *, even_frozen: bool = False) -> None:
        """Draw the samples of now."""
        if self.freeze.isChecked() and not even_frozen:
            return
        if self.view == "Events":
            self.events.rate = self.rate
            self.events.show_time(self.seconds)
            return
        length = max(2, round(self.seconds * self.rate))
        for index, scope in enumerate(self.scopes):
            if self.seconds < TRIGGERED_BELOW_S:
                samples = triggered(self._source.probe(index, 3 * length + 2000), length)
            else:
                samples = self._source.probe(index, length)
            scope.show_samples(samples, self.seconds)
