"""Going from one snapshot to another, by hand or over a time."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QElapsedTimer, Qt, QTimer, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QSlider, QSpinBox, QVBoxLayout, QWidget

from dunefall.app.controls.theme import sans
from dunefall.base.language import tr
from dunefall.patch.family import State

__all__ = ["BlendBox"]

STEPS, TICK_MS = 1000, 50
LONGEST_S = 3600


class BlendBox(QWidget):
    """Both ends, where the blend is, and how long it takes.

    Signals
    -------
    moved (str, str, float, bool)
        Ids of both ends, the share, and whether the movement has ended.
    started ()
        It goes by itself from now on.
    control_asked (str, str)
        Make the blend a Named control.
    square_asked ()
        Blend four of them.
    """

    moved = Signal(str, str, float, bool)
    started = Signal()
    control_asked = Signal(str, str)
    square_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        head = QHBoxLayout()
        title = QLabel(tr("Blend"))
        title.setFont(sans(14, 600))
        self.share_told = QLabel("0 %")
        head.addWidget(title, 1)
        head.addWidget(self.share_told)
        column.addLayout(head)
        ends = QHBoxLayout()
        self.first, self.last = QComboBox(), QComboBox()
        for box, name in ((self.first, tr("Blend from")), (self.last, tr("Blend to"))):
            box.setAccessibleName(name)
            box.setToolTip(name)
            box.setMinimumWidth(0)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.currentIndexChanged.connect(self._ends_changed)
            ends.addWidget(box, 1)
        column.addLayout(ends)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, STEPS)
        self.slider.setPageStep(STEPS // 10)
        self.slider.setAccessibleName(tr("Blend"))
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(lambda: self._tell(True))
        column.addWidget(self.slider)
        line = QHBoxLayout()
        self.seconds = QSpinBox()
        self.seconds.setRange(1, LONGEST_S)
        self.seconds.setValue(20)
        before, after = tr("over {seconds} s", seconds="|").split("|")
        self.seconds.setPrefix(before)
        self.seconds.setSuffix(after)
        self.seconds.setAccessibleName(tr("Time of the blend in seconds"))
        self.go = QPushButton(tr("Start"))
        self.go.setToolTip(tr("Blend over this time; again: pause"))
        self.go.clicked.connect(self._pressed)
        line.addWidget(self.seconds, 1)
        line.addWidget(self.go)
        column.addLayout(line)
        self._build_foot(column)
        self._states: tuple[State, ...] = ()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._tick)
        self._clock, self._begun = QElapsedTimer(), 0.0
        self.summary: Callable[[str, str], str] = lambda first, last: ""
        self._show()

    def _build_foot(self, column: QVBoxLayout) -> None:
        self.told = QLabel()
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        self.control = QPushButton(tr("As Named control"))
        self.control.setProperty("plain", True)
        self.control.setToolTip(tr("A Named control from the one to the other: links, MIDI and OSC can move it"))
        self.control.clicked.connect(lambda: self.control_asked.emit(self.ends[0], self.ends[1]))
        self.square = QPushButton(tr("Blend four…"))
        self.square.setProperty("plain", True)
        self.square.setToolTip(tr("A square with a snapshot in each corner"))
        self.square.clicked.connect(self.square_asked)
        foot = QHBoxLayout()
        foot.addWidget(self.control)
        foot.addWidget(self.square)
        foot.addStretch(1)
        column.addLayout(foot)

    def show_states(self, states: tuple[State, ...]) -> None:
        """Offer these as ends."""
        if states == self._states:
            self._show()
            return
        self._states = states
        for k, box in enumerate((self.first, self.last)):
            chosen = box.currentData()
            box.blockSignals(True)
            box.clear()
            for state in states:
                box.addItem(state.name, state.id)
            at = box.findData(chosen)
            box.setCurrentIndex(at if at >= 0 else min(k, box.count() - 1))
            if k and box.currentIndex() == self.first.currentIndex():  # the newest one, where there is another
                box.setCurrentIndex(box.count() - 1)
            box.blockSignals(False)
        self._show()

    @property
    def ends(self) -> tuple[str, str]:
        """Ids of both ends; "" where there is none."""
        return str(self.first.currentData() or ""), str(self.last.currentData() or "")

    @property
    def runs(self) -> bool:
        """It goes by itself."""
        return self._timer.isActive()

    def pause(self) -> None:
        """It stays where it is."""
        if self._timer.isActive():
            self._timer.stop()
            self._tell(True)
            self._show()

    def _ready(self) -> bool:
        first, last = self.ends
        return bool(first and last and first != last)

    def _ends_changed(self) -> None:
        self.pause()
        self.slider.blockSignals(True)
        self.slider.setValue(0)
        self.slider.blockSignals(False)
        self._show()

    def _pressed(self) -> None:
        if self._timer.isActive():
            self.pause()
            return
        if self.slider.value() >= STEPS:
            self.slider.setValue(0)
        self._begun = self.slider.value() / STEPS
        self._clock.start()
        self._timer.start(TICK_MS)
        self.started.emit()
        self._show()

    def _tick(self) -> None:
        share = self._begun + self._clock.elapsed() / 1000.0 / self.seconds.value()
        self.slider.setValue(min(STEPS, round(STEPS * share)))
        if share >= 1.0:
            self.pause()

    def _slid(self) -> None:
        self._tell(not self.slider.isSliderDown() and not self._timer.isActive())
        self._show()

    def _tell(self, ended: bool) -> None:
        if self._ready():
            self.moved.emit(*self.ends, self.slider.value() / STEPS, ended)

    def _show(self) -> None:
        ready, share = self._ready(), self.slider.value() / STEPS
        self.square.setEnabled(self.first.count() > 2)
        for widget in (self.slider, self.go, self.control):
            widget.setEnabled(ready)
        self.share_told.setText(f"{100 * share:.0f} %" if ready else "")
        self.go.setText(tr("Pause") if self._timer.isActive() else tr("Start"))
        if not ready:
            self.told.setText(tr("Keep two snapshots to go from one to the other."))
        elif self._timer.isActive():
            self.told.setText(tr("{seconds:.1f} s left, {summary}", seconds=(1.0 - share) * self.seconds.value(),
                                 summary=self.summary(*self.ends)))  # fmt: skip
        else:
            self.told.setText(self.summary(*self.ends))
