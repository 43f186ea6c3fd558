"""The takes of a patch: the one that is played, those that are kept, and those that were left in this session."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dunefall.app.controls.rowlist import RowList
from dunefall.app.controls.theme import sans
from dunefall.base.language import tr, tr_count
from dunefall.base.words import time_told
from dunefall.patch.take import Take

__all__ = ["PLAYED", "Row", "TakesBox"]

PLAYED = tr("Being played")


@dataclass(frozen=True)
class Row:
    """A take in the list.

    Attributes
    ----------
    name : str
    take : Take
    kept : bool
        Whether the patch keeps it.
    heard : bool
        Whether it is what is heard now.
    """

    name: str
    take: Take
    kept: bool
    heard: bool

    @property
    def told(self) -> str:
        """As in the list."""
        end = self.take.entries[-1].at / self.take.rate_hz if self.take.entries else 0.0
        count = tr_count("{count} entry", "{count} entries", len(self.take.entries))
        until = tr("{count}, to {end}", count=count, end=time_told(end)) if end else count
        return f"{self.name}\u2002{until}"


def _offered(row: Row) -> list[tuple[str, str]]:
    offered = [("hear", tr("Hear it")), ("save", tr("Save it as a file…"))]
    if not row.kept:
        offered.insert(1, ("keep", tr("Keep it")))
    if not row.heard:
        offered.append(("compare", tr("Compare with what is played…")))
    if row.kept:
        offered += [("rename", tr("Rename…")), ("remove", tr("Remove"))]
    return offered


class TakesBox(QWidget):
    """The list, with buttons that keep what is played and bring in a file. Its rows can be asked to ``hear``, ``keep``,
    ``compare``, ``rename``, ``save`` and ``remove`` a Row.

    Signals
    -------
    keep_asked (), file_asked ()
        Keep what is played; add a take from a file.
    """

    keep_asked = Signal()
    file_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 12, 8)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.setSpacing(4)
        title = QLabel(tr("Takes"))
        title.setFont(sans(14, 600))
        self.keep, self.file = QPushButton(tr("Keep")), QPushButton(tr("Open…"))
        self.keep.setToolTip(tr("Keep what is played, with the patch"))
        self.file.setToolTip(tr("Add a take from a file"))
        self.keep.clicked.connect(self.keep_asked)
        self.file.clicked.connect(self.file_asked)
        head.addWidget(title, 1)
        for button in (self.keep, self.file):
            button.setStyleSheet("padding: 2px 8px")
            head.addWidget(button)
        column.addLayout(head)
        self.list = RowList(tr("Takes"), _offered)
        self.list.setToolTip(tr("Click or Enter: hear it from its start. F2: rename. Delete: remove"))
        column.addWidget(self.list, 1)
        self._shown: tuple[Row, ...] = ()

    def show_rows(self, rows: Sequence[Row]) -> None:
        """Show these takes; the first one is what is played."""
        if tuple(rows) == self._shown:
            return
        self._shown, place = tuple(rows), self.list.currentRow()
        self.list.clear()
        for row in rows:
            self.list.add_row(row, ("\u25b8 " if row.heard else "\u2003") + row.told)
        self.list.setCurrentRow(min(place, len(rows) - 1))
