"""How far it has looked, how fast it goes, how far it is to look, and a pause."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QWidget

from dunefall.app.controls.theme import Theme, numerals, sans
from dunefall.base.language import decimal, tr
from dunefall.base.units import range_told
from dunefall.base.words import time_told
from dunefall.survey.outlook import Outlook
from dunefall.survey.pyramid import stretches_of

__all__ = ["StatusRow"]

FAR_MINUTES = (1, 2, 4, 5, 10, 20, 30, 60, 120)
USUAL_MINUTES = 20
TARGETS = (None, -16.0, -18.0, -20.0, -23.0, -24.0, -27.0)


class _Progress(QWidget):
    """A bar of what is known, with the playhead."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.parts, self.playhead = theme, list[tuple[float, float]](), 0.0
        self.setFixedHeight(16)
        self.setMinimumWidth(60)
        self.setAccessibleName(tr("Looked ahead"))

    def paintEvent(self, event: QPaintEvent) -> None:
        """Track, bar, tick."""
        painter, theme = QPainter(self), self.theme
        width = float(self.width())
        painter.fillRect(QRectF(0, 5, width, 6), theme.colour("line"))
        for first, last in self.parts:
            painter.fillRect(QRectF(width * first, 5, width * (last - first), 6), theme.colour("edge"))
        painter.fillRect(QRectF(min(width * self.playhead, width - 2), 1, 2, 14), theme.colour("text"))
        painter.end()


class StatusRow(QWidget):
    """The row above the plots.

    Signals
    -------
    far_chosen (float)
        Seconds to look ahead.
    paused (bool)
    target_chosen (object)
        LUFS, or None.
    """

    far_chosen = Signal(float)
    paused = Signal(bool)
    target_chosen = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setFixedHeight(40)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 12, 0)
        row.setSpacing(8)
        title = QLabel(tr("Looked ahead"))
        title.setFont(sans(12, 600))
        self.known, self.speed = QLabel(), QLabel()
        numerals(self.known, 12, 500)
        self.known.setMinimumWidth(126)
        self.speed.setProperty("quiet", True)
        self.speed.setMinimumWidth(130)
        self.bar = _Progress(theme)
        self.target, self.far, self.pause = QComboBox(), QComboBox(), QPushButton(tr("Pause"))
        for lufs in TARGETS:
            self.target.addItem(tr("no target") if lufs is None else f"{lufs:g} LUFS".replace("-", "\u2212"), lufs)
        self.target.setToolTip(tr("The loudness that is wanted; off by more than 2 LU is a finding"))
        self.target.setAccessibleName(tr("Loudness that is wanted"))
        for minutes in FAR_MINUTES:
            self.far.addItem(
                tr("{minutes} min", minutes=minutes) if minutes < 60 else f"{minutes // 60} h", 60.0 * minutes
            )
        self.far.setCurrentIndex(FAR_MINUTES.index(USUAL_MINUTES))
        self.far.setAccessibleName(tr("How far"))
        self.far.setToolTip(tr("How far it looks, from the start; further as the sound comes near to that"))
        self.pause.setCheckable(True)
        self.pause.setToolTip(tr("Look no further for now"))
        for widget in (title, self.known):
            row.addWidget(widget)
        row.addWidget(self.bar, 1)
        row.addWidget(self.speed)
        for text, box in ((tr("Wanted"), self.target), (tr("How far"), self.far)):
            label = QLabel(text)
            label.setProperty("quiet", True)
            row.addWidget(label, 0, Qt.AlignmentFlag.AlignRight)
            row.addWidget(box)
        row.addWidget(self.pause)
        self.far.activated.connect(lambda _: self.far_chosen.emit(float(self.far.currentData())))
        self.target.activated.connect(lambda _: self.target_chosen.emit(self.target.currentData()))
        self.pause.toggled.connect(self._pause)

    def _pause(self, on: bool) -> None:
        self.pause.setText(tr("Go on") if on else tr("Pause"))
        self.paused.emit(on)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self.bar.theme = theme
        self.bar.update()

    def show_outlook(self, outlook: Outlook, far_s: float, playhead_s: float) -> None:
        """Show how far one looks and how far it is known, and how fast it goes."""
        if self.far.currentData() != far_s:
            self.far.setCurrentIndex(self.far.findData(far_s))
        first_s, last_s = outlook.known_s
        known = range_told(time_told(first_s), time_told(last_s)) if first_s else time_told(last_s)
        self.known.setText(tr("{time_told} of {time_told_2}", time_told=known, time_told_2=time_told(outlook.seconds)))
        whole = len(outlook.known)
        self.bar.parts = [(first / whole, last / whole) for first, last in stretches_of(outlook.known)]
        self.bar.playhead = min(playhead_s / max(outlook.seconds, 1e-9), 1.0)
        self.bar.update()
        if outlook.trouble:
            self.speed.setText(outlook.trouble)
        elif outlook.done:
            self.speed.setText(tr("all of it"))
        elif outlook.speed and not outlook.paused:
            times = decimal(f"{outlook.speed:.0f}") if outlook.speed >= 2 else decimal(f"{outlook.speed:.1f}")
            self.speed.setText(tr("{times}\u00d7   about {long} to go", times=times, long=_long(outlook.left_s)))
        else:
            self.speed.setText(tr("paused") if outlook.paused else tr("preparing…"))
        self.speed.setToolTip(outlook.trouble)


def _long(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 100 else tr("{seconds:.0f} min", seconds=seconds / 60)
