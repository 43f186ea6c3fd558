"""Randomising with taste: how far, and which kinds of values; each press is one undo step."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QDialog, QHBoxLayout, QLabel, QPushButton, QSlider, QVBoxLayout, QWidget

from dunefall.base.language import capital, tr
from dunefall.catalogue.varying import KINDS

__all__ = ["RandomiseDialog"]


class RandomiseDialog(QDialog):
    """Strength, kinds, and a button that can be pressed again and again.

    Signals
    -------
    pressed (float, list)
        Randomise so far, these kinds of values.
    """

    pressed = Signal(float, list)

    def __init__(self, what: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Randomise {what}", what=what))
        column = QVBoxLayout(self)
        told = QLabel(tr("{what}: locked values stay, levels in dB only go down, pitches go in semitones.", what=what))
        told.setWordWrap(True)
        column.addWidget(told)
        line = QHBoxLayout()
        name, self._value = QLabel(tr("&Strength")), QLabel()
        self.strength = QSlider(Qt.Orientation.Horizontal)
        self.strength.setRange(1, 100)
        self.strength.setAccessibleName(tr("Strength"))
        self.strength.valueChanged.connect(lambda value: self._value.setText(f"{value} %"))
        self.strength.setValue(30)
        name.setBuddy(self.strength)
        self._value.setFixedWidth(48)
        line.addWidget(name)
        line.addWidget(self.strength, 1)
        line.addWidget(self._value)
        column.addLayout(line)
        self.kinds = {kind: QCheckBox(capital(tr(kind))) for kind in KINDS}
        for kind, box in self.kinds.items():
            box.setChecked(kind != "choices")
            column.addWidget(box)
        buttons = QHBoxLayout()
        self.again = QPushButton(tr("&Randomise"))
        self.again.setDefault(True)
        self.again.clicked.connect(self._press)
        close = QPushButton(tr("Close"))
        close.clicked.connect(self.accept)
        buttons.addStretch(1)
        buttons.addWidget(self.again)
        buttons.addWidget(close)
        column.addLayout(buttons)
        self.setMinimumWidth(440)

    def _press(self) -> None:
        kinds = [kind for kind, box in self.kinds.items() if box.isChecked()]
        if kinds:
            self.pressed.emit(self.strength.value() / 100, kinds)
