"""Before and after: a button that is held, and whether both are heard equally loud."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dunefall.app.controls.theme import sans
from dunefall.base.language import tr

__all__ = ["CompareBox"]


class CompareBox(QWidget):
    """Hold to hear before.

    Attributes
    ----------
    head : QHBoxLayout
        Title of the snapshots above, with ``keep``, the button that keeps one.

    Signals
    -------
    pressed (), released ()
        Before is wanted; no longer.
    """

    pressed = Signal()
    released = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.head = QHBoxLayout()
        title = QLabel(tr("Snapshots"))
        title.setFont(sans(14, 600))
        self.keep = QPushButton(tr("+ Keep now"))
        self.keep.setProperty("plain", True)
        self.keep.setFont(sans(13, 600))
        self.keep.setToolTip(tr("Keep the patch as it is now"))
        self.head.addWidget(title, 1)
        self.head.addWidget(self.keep)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        compare = QLabel(tr("Compare"))
        compare.setFont(sans(14, 600))
        column.addWidget(compare)
        self.before = QLabel()
        self.before.setWordWrap(True)
        column.addWidget(self.before)
        self.hold = QPushButton(tr("Hold to hear before"))
        self.hold.setAutoRepeat(False)
        self.hold.pressed.connect(self.pressed)
        self.hold.released.connect(self.released)
        column.addWidget(self.hold)
        self.match = QCheckBox(tr("Equally loud"))
        self.match.setChecked(True)
        self.match.setToolTip(tr("Before and after, and all variations, are heard as loud as the parent"))
        column.addWidget(self.match)

    @property
    def matched(self) -> bool:
        """Whether both are heard equally loud."""
        return self.match.isChecked()

    def show_ends(self, before: str) -> None:
        """What is heard as before."""
        self.before.setText(
            tr("Before: {before}", before=before) if before else tr("Keep a snapshot, and compare with it later.")
        )

    def show_before(self, on: bool) -> None:
        """Before is heard, or after."""
        self.hold.setDown(on)
        self.hold.setText(tr("Before") if on else tr("Hold to hear before"))
