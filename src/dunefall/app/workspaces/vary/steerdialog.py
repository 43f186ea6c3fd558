"""Choosing where variations should go: a slider for each pair of words."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QLabel, QSlider, QVBoxLayout, QWidget

from dunefall.base.language import tr
from dunefall.vary.words import DIMENSIONS

__all__ = ["SteerDialog"]

STEPS = 2


class SteerDialog(QDialog):
    """Words and amounts."""

    def __init__(self, what: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Steer {what}", what=what))
        column = QVBoxLayout(self)
        told = QLabel(
            tr(
                "Where should it go? What stays in the middle is left as it is. Dunefall listens to up to 200 sounds "
                "for each of four variations, and says if it cannot get there."
            )
        )
        told.setWordWrap(True)
        column.addWidget(told)
        grid = QGridLayout()
        self.sliders: list[QSlider] = []
        for k, dimension in enumerate(DIMENSIONS):
            less, more = QLabel(tr(dimension.less)), QLabel(tr(dimension.more))
            less.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(-STEPS, STEPS)
            slider.setPageStep(1)
            slider.setTickPosition(QSlider.TickPosition.TicksBelow)
            slider.setAccessibleName(tr("{less} to {more}", less=less.text(), more=more.text()))
            slider.valueChanged.connect(self._moved)
            grid.addWidget(less, k, 0)
            grid.addWidget(slider, k, 1)
            grid.addWidget(more, k, 2)
            self.sliders.append(slider)
        column.addLayout(grid)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.search = self.buttons.addButton(tr("&Search"), QDialogButtonBox.ButtonRole.AcceptRole)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        column.addWidget(self.buttons)
        self.setMinimumWidth(420)
        self._moved()

    @property
    def words(self) -> dict[str, float]:
        """What is wanted, with amounts."""
        places = [slider.value() for slider in self.sliders]
        return {
            (dimension.more if place > 0 else dimension.less): float(abs(place))
            for dimension, place in zip(DIMENSIONS, places, strict=True) if place
        }  # fmt: skip

    def _moved(self) -> None:
        self.search.setEnabled(bool(self.words))
