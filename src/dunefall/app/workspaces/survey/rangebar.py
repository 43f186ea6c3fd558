"""The range that is chosen: its ends, how loud it is, and what can be done with it."""

from __future__ import annotations

import math

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QWidget

from dunefall.analysis.loudness import programme_of
from dunefall.app.controls.theme import numerals, sans
from dunefall.base.errors import ParameterError
from dunefall.base.language import decimal, tr
from dunefall.base.units import parse_time
from dunefall.base.words import time_told
from dunefall.survey.findings import View

__all__ = ["RangeBar"]


class RangeBar(QWidget):
    """The row below the plots.

    Signals
    -------
    range_typed (float, float)
        In seconds.
    hear_asked (), loop_asked (), render_asked (), mark_asked (), keep_asked ()
        What to do with the range.
    refused (str)
        What was typed is no time.
    """

    range_typed = Signal(float, float)
    hear_asked = Signal()
    loop_asked = Signal()
    render_asked = Signal()
    mark_asked = Signal()
    keep_asked = Signal()
    refused = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(48)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 12, 0)
        row.setSpacing(8)
        title = QLabel(tr("Range"))
        title.setFont(sans(12, 600))
        row.addWidget(title)
        self.first, self.last = QLineEdit(), QLineEdit()
        for field, name in ((self.first, tr("Start of the range")), (self.last, tr("End of the range"))):
            numerals(field, 12, 500)
            field.setFixedWidth(74)
            field.setAccessibleName(name)
            field.setToolTip(tr("{name}, such as 5:20 or 90 s", name=name))
            field.editingFinished.connect(self._typed)
            row.addWidget(field)
        self.told = QLabel()
        self.told.setProperty("quiet", True)
        row.addWidget(self.told, 1)
        self.buttons: dict[str, QPushButton] = {}
        for text, tip, signal in (
            (tr("Hear it"), tr("Play the range, then pause"), self.hear_asked),
            (tr("Loop it…"), tr("Show Render with a seamless loop of the range"), self.loop_asked),
            (tr("Mark it"), tr("Keep the range as a moment"), self.mark_asked),
            (tr("Keep as take"), tr("Keep the take up to its end with the patch, and mark the range"), self.keep_asked),
            (tr("Render it…"), tr("Show Render with the range of the take"), self.render_asked),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(signal)
            button.setStyleSheet("padding: 4px 9px")
            self.buttons[text] = button
            row.addWidget(button)
        self._range: tuple[float, float] | None = None
        self.show_range(None, None)

    def show_range(self, chosen: tuple[float, float] | None, view: View | None) -> None:
        """Show the ends of the range, and its loudness as far as it is known."""
        self._range = chosen
        for field, at in zip((self.first, self.last), chosen or (None, None), strict=True):
            if not field.hasFocus():
                field.setText("" if at is None else time_told(at))
        for button in self.buttons.values():
            button.setEnabled(chosen is not None)
        self.told.setText(_said(chosen, view) if chosen else tr("Drag over the plots to choose a range."))

    def _typed(self) -> None:
        texts = self.first.text().strip(), self.last.text().strip()
        if not all(texts) or texts == tuple(time_told(at) for at in self._range or ()):
            return
        try:
            first, last = (parse_time(text) for text in texts)
        except ParameterError as error:
            self.refused.emit(str(error))
            return
        self.range_typed.emit(first, last)


def _said(chosen: tuple[float, float], view: View | None) -> str:
    length = (
        decimal(f"{chosen[1] - chosen[0]:.1f} s") if chosen[1] - chosen[0] < 60 else time_told(chosen[1] - chosen[0])
    )
    if view is None:
        return length
    first, last = (view.place_of(at) for at in chosen)
    if last - first < 1:
        return tr("{length}, not looked at yet", length=length)
    lufs = programme_of(view.energy[first:last].astype(float)).integrated
    peak = 20.0 * math.log10(max(float(view.peak[first:last].max()), 1e-6))
    loud = decimal(f"{lufs:.1f} LUFS, ") if lufs > -99 else ""
    return tr("{length}, {loud}peak {peak:.1f} dBTP", length=length, loud=loud, peak=peak).replace("-", "\u2212")
