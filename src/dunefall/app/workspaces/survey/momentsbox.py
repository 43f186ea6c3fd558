"""Moments that are marked: hear, rename, remove."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dunefall.app.controls.rowlist import RowList
from dunefall.app.controls.theme import sans
from dunefall.base.language import tr
from dunefall.base.words import time_told
from dunefall.patch.model import Moment

__all__ = ["MomentsBox"]


def _offered(moment: Moment) -> list[tuple[str, str]]:
    return [("hear", tr("Hear")), ("rename", tr("Rename…")), ("remove", tr("Remove"))]


class MomentsBox(QWidget):
    """The moments of a patch, and a button that marks another. Its rows can be asked to ``hear``, ``rename`` and
    ``remove`` a Moment.

    Signals
    -------
    mark_asked ()
        Mark what is heard now, or the range.
    """

    mark_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 12, 8)
        column.setSpacing(4)
        head = QHBoxLayout()
        title = QLabel(tr("Moments"))
        title.setFont(sans(14, 600))
        self.mark = QPushButton(tr("Mark now"))
        self.mark.setStyleSheet("padding: 2px 8px")
        self.mark.clicked.connect(self.mark_asked)
        head.addWidget(title, 1)
        head.addWidget(self.mark)
        column.addLayout(head)
        self.list = RowList(tr("Moments"), _offered)
        self.list.setToolTip(tr("Click or Enter: hear it. F2: rename. Delete: remove"))
        self.nothing = QLabel(tr("Nothing is marked yet."))
        self.nothing.setProperty("quiet", True)
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.nothing, 1)
        column.addWidget(self.list, 1)
        self._shown: tuple[Moment, ...] | None = None
        self.show_moments(())

    def show_moments(self, moments: Sequence[Moment]) -> None:
        """Show them, in order of time."""
        if tuple(moments) == self._shown:
            return
        self._shown, row = tuple(moments), self.list.currentRow()
        self.list.clear()
        for moment in moments:
            until = f"\u2013{time_told(moment.until_s)}" if moment.until_s else ""
            self.list.add_row(moment, f"{time_told(moment.at_s)}{until}  {moment.name}")
        self.list.setCurrentRow(min(row, len(moments) - 1))
        self.list.setVisible(bool(moments))
        self.nothing.setVisible(not moments)
