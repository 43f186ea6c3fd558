"""Watch: up to four pinned signals side by side, as scope, spectrum, spectrogram, tuner or events."""

from __future__ import annotations

import contextlib
from functools import partial
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from dunefall.app.controls.theme import Theme, numerals
from dunefall.app.watch.events import Events
from dunefall.app.watch.scope import History, Scope
from dunefall.app.watch.watchplots import Plot, Spectrogram, Spectrum, Tuner
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.base.units import format_value, parse_value
from dunefall.catalogue.compounds import spec_for
from dunefall.patch.model import Patch, Place

__all__ = ["TIME_BASES_S", "Watch"]

TIME_BASES_S = (0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0, 120.0, 300.0,
                600.0)  # fmt: skip
TRIGGERED_BELOW_S, FROM_COURSE_S = 0.1, 10.0
HEIGHT, MOST_PINS, LISTENED = 170, 4, 8192
NAMES = {"Scope": tr("Scope"), "Spectrum": tr("Spectrum"), "Spectrogram": tr("Spectrogram"), "Tuner": tr("Tuner"),
         "Events": tr("Events")}  # fmt: skip
PLOTS: dict[str, type[Plot]] = {"Scope": Scope, "Spectrum": Spectrum, "Spectrogram": Spectrogram, "Tuner": Tuner}
TIPS = {
    "Scope": tr("The signals over time, from 1 ms to 10 minutes"),
    "Spectrum": tr("Level over frequency, with a peak hold"),
    "Spectrogram": tr("Level over time and frequency"),
    "Tuner": tr("The nearest note, and the deviation in cents; a click shows the step that makes it"),
    "Events": tr("Gates and triggers, and what caused them"),
}  # fmt: skip


class ProbeSource(Protocol):
    """Where the samples and traces come from."""

    def trace(self, module: str, port: str = "") -> NDArray[np.float32] | None:
        """Lowest and highest value of the last bins of an output, oldest first."""

    def set_probe(self, index: int, place: Place | None) -> None:
        """Watch an output."""

    def probe(self, index: int, samples: int) -> NDArray[np.float32]:
        """The last samples, oldest first."""

    @property
    def probed(self) -> int:
        """Samples that have been watched so far."""


class Watch(QWidget):
    """The pinned signals; ``rate`` is the sample rate in Hz.

    Signals
    -------
    unpin_asked (Place)
        A signal is no longer to be pinned.
    step_asked (Place, float)
        Show the step that makes a note of a pinned signal.

    Attributes
    ----------
    view : str
        Which of ``TIPS`` is shown.
    seconds : float
        Time that the scopes show.
    plots : dict of str to list of Plot
        A plot of each kind for each pin.
    """

    unpin_asked = Signal(object)
    step_asked = Signal(object, float)

    def __init__(self, theme: Theme, source: ProbeSource, rate: float, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._source, self.rate = theme, source, rate
        self.seconds = 5.0
        self._shown: tuple[object, ...] = ("nothing yet",)
        self.plots: dict[str, list[Plot]] = {name: [] for name in PLOTS}
        self._histories: list[History] = []
        self._seen = 0
        self.view = "Scope"
        self.setFixedHeight(HEIGHT)
        self.setAccessibleName(tr("Watch"))
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 4, 8, 4)
        column.setSpacing(2)
        column.addLayout(self._bar())
        self._row = QHBoxLayout()
        self._row.setSpacing(16)
        column.addLayout(self._row, 1)
        self.events = Events(theme, source, rate)
        self._row.addWidget(self.events, 1)
        self._hint = QLabel(tr("Nothing is pinned. Select a card and press P to watch its output here."))
        self._hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._row.addWidget(self._hint)
        self.choose("Scope")
        self.step_time_base(0)

    def _bar(self) -> QHBoxLayout:
        bar = QHBoxLayout()
        bar.setSpacing(4)
        self.views = {view: self._button(NAMES[view], tip) for view, tip in TIPS.items()}
        for view, button in self.views.items():
            button.clicked.connect(lambda _=False, name=view: self.choose(name))
            bar.addWidget(button)
        bar.addStretch(1)
        self.shorter, self.longer, self.base = QPushButton("−"), QPushButton("+"), QLineEdit()
        numerals(self.base, 12)
        self.base.setFixedWidth(64)
        self.base.setAccessibleName(tr("Time base"))
        self.base.setToolTip(tr("Time base: type it (“40 ms”), or turn the wheel over a plot"))
        self.base.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.base.returnPressed.connect(self._base_typed)
        for button, step, name in (
            (self.shorter, -1, tr("Shorter time base")),
            (self.longer, 1, tr("Longer time base")),
        ):
            button.setFixedSize(26, 24)
            button.setStyleSheet("padding: 0")
            button.setAccessibleName(name)
            button.setToolTip(name)
            button.clicked.connect(lambda _=False, by=step: self.step_time_base(by))
        for widget in (self.shorter, self.base, self.longer):
            bar.addWidget(widget)
        bar.addSpacing(6)
        self.overlay = self._button(tr("Overlay"), tr("Show all pinned signals in one plot"))
        self.compare = self._button(tr("Compare"), tr("Keep the current picture faintly behind the new one"))
        self.freeze = self._button(tr("Freeze"), tr("Freeze the picture (F)"))
        self.overlay.toggled.connect(lambda _: self._arrange())
        self.compare.toggled.connect(self._keep)
        for button in (self.overlay, self.compare, self.freeze):
            bar.addWidget(button)
        return bar

    def _button(self, text: str, tip: str) -> QPushButton:
        button = QPushButton(text)
        button.setCheckable(True)
        button.setFixedHeight(24)
        button.setStyleSheet("padding: 0 8px")
        button.setToolTip(tip)
        return button

    @property
    def scopes(self) -> list[Scope]:
        """The scopes, one for each pin."""
        return [plot for plot in self.plots["Scope"] if isinstance(plot, Scope)]

    def choose(self, view: str) -> None:
        """Show another view of the pinned signals."""
        self.view = view
        for name, button in self.views.items():
            button.setChecked(name == view)
        self._arrange()

    def _arrange(self) -> None:
        """What is seen: plots of a kind, events, or what to do first."""
        over = self.overlay.isChecked() and self.view == "Scope"
        for name, plots in self.plots.items():
            for k, plot in enumerate(plots):
                plot.setVisible(name == self.view and not (over and k))
        for k, scope in enumerate(self.scopes):
            scope.over = self.scopes[1:] if over and k == 0 else []
        self.events.setVisible(bool(self.scopes) and self.view == "Events")
        self._hint.setVisible(not self.scopes)
        timed = self.view in ("Scope", "Events")
        for widget in (self.shorter, self.base, self.longer):
            widget.setEnabled(timed)
        self.overlay.setEnabled(self.view == "Scope")
        self.compare.setEnabled(self.view in ("Scope", "Spectrum"))

    def _keep(self, on: bool) -> None:
        for plot in (*self.plots["Scope"], *self.plots["Spectrum"]):
            assert isinstance(plot, (Scope, Spectrum))
            plot.keep(on)
            plot.update()

    def step_time_base(self, by: int) -> None:
        """Show the next longer (1) or shorter (-1) time."""
        longer = [base for base in TIME_BASES_S if base > self.seconds * 1.0001]
        shorter = [base for base in TIME_BASES_S if base < self.seconds * 0.9999]
        steps = longer[:1] if by > 0 else shorter[-1:] if by < 0 else []
        self.set_time_base(steps[0] if steps else self.seconds)

    def set_time_base(self, seconds: float) -> None:
        """Show this time, within the limits."""
        self.seconds = min(max(seconds, TIME_BASES_S[0]), TIME_BASES_S[-1])
        self.base.setText(format_value(self.seconds, "s").replace(".0 ", " ").replace(".00 ", " "))
        self.animate(even_frozen=True)

    def _base_typed(self) -> None:
        """Take the typed time, or show the one that stays."""
        with contextlib.suppress(ParameterError):
            self.seconds = parse_value(self.base.text(), "s")
        self.set_time_base(self.seconds)
        self.base.clearFocus()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """A longer or shorter time, where the view has one."""
        if self.view in ("Scope", "Events") and event.angleDelta().y():
            self.step_time_base(-1 if event.angleDelta().y() > 0 else 1)
            event.accept()
        else:
            event.ignore()

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
        for plot in (plot for plots in self.plots.values() for plot in plots):
            self._row.removeWidget(plot)
            plot.deleteLater()
        self.plots = {name: [] for name in PLOTS}
        self._histories = [History() for _ in patch.pins[:MOST_PINS]]
        for index in range(MOST_PINS):
            pin = patch.pins[index] if index < len(patch.pins) else None
            self._source.set_probe(index, pin)
            if pin is not None:
                self._add_plots(patch, pin)
        self.compare.setChecked(False)
        self._arrange()

    def _add_plots(self, patch: Patch, pin: Place) -> None:
        module = patch.module(pin.module)
        spec = spec_for(module)
        output = spec.output(pin.port) if spec else None
        role = output.role if output else "control"
        for name, kind in PLOTS.items():
            plot = kind(module.name, patch.layer_of(pin.module).name, role, self._theme)
            plot.removed.connect(lambda place=pin: self.unpin_asked.emit(place))
            if isinstance(plot, Tuner):
                plot.asked.connect(partial(self.step_asked.emit, pin))
            self.plots[name].append(plot)
            self._row.addWidget(plot, 1)

    def remember(self) -> None:
        """Take what is new into the long courses; called at every frame, whatever is shown."""
        fresh = self._source.probed - self._seen
        self._seen = self._source.probed
        if fresh > 0:
            for index, course in enumerate(self._histories):
                course.add(self._source.probe(index, fresh), self.rate)

    def animate(self, *, even_frozen: bool = False) -> None:
        """Draw the samples of now."""
        if self.freeze.isChecked() and not even_frozen:
            return
        if self.view == "Events":
            self.events.rate = self.rate
            self.events.show_time(self.seconds)
        elif self.view == "Scope":
            for index, scope in enumerate(self.scopes):
                scope.show_course(self._course(index), self.seconds)
        else:
            for index, plot in enumerate(self.plots[self.view]):
                plot.show_samples(self._source.probe(index, LISTENED), self.rate)

    def _course(self, index: int) -> NDArray[np.float32]:
        length = max(2, round(self.seconds * self.rate))
        if self.seconds < TRIGGERED_BELOW_S:
            return self.scopes[index].trigger.piece(self._source.probe(index, 3 * length + 2000), length)
        if self.seconds > FROM_COURSE_S:
            return self._histories[index].last(self.seconds)
        count, step = self.scopes[index].columns(length)
        late = self._source.probed % step
        return self._source.probe(index, count * step + late)[: count * step]
