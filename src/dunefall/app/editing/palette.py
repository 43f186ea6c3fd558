"""The palette: everything that can be added, searched by name, purpose or plain words, and heard before it is added."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from functools import cache

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRect, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QCheckBox, QLabel, QListWidgetItem, QWidget

from dunefall.app.controls.painting import draw_text
from dunefall.app.controls.searchdialog import SearchDialog, SearchRow
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.catalogue.search import Entry, found
from dunefall.patch.library import DATA
from dunefall.patch.userlibrary import TinyPicture

__all__ = ["Palette"]

ROW_H, THUMB_W, THUMB_H, STAGE_W = 46, 96, 30, 62
HEAR_MS = 350
"""A choice that is rested on for so long is heard."""
_ENTRY = Qt.ItemDataRole.UserRole


@cache
def _thumbnails() -> dict[str, TinyPicture]:
    made = json.loads((DATA / "thumbnails.json").read_text())
    return {name: TinyPicture(**thumb) for name, thumb in made.items()}


class _Row(SearchRow):
    """Paints an entry: its tiny picture, its name and sentence, its stage."""

    row_h = ROW_H

    def draw(self, painter: QPainter, box: QRect, index: QModelIndex | QPersistentModelIndex, quiet: QColor) -> None:
        theme, entry = self._theme, index.data(_ENTRY)
        self._thumb(painter, QRectF(box.x() + 8, box.y() + (ROW_H - THUMB_H) / 2, THUMB_W, THUMB_H), entry)
        left = box.x() + THUMB_W + 22.0
        room = QRectF(left, box.y() + 4, box.width() - THUMB_W - STAGE_W - 34, 19)
        draw_text(painter, room, entry.name, sans(13, 600), theme.colour("text"))
        wide = QRectF(left, box.y() + 23, box.width() - THUMB_W - 34, 18)
        draw_text(painter, wide, entry.sentence, sans(12), quiet)
        stage = QRectF(box.right() - STAGE_W - 6, box.y() + 4, STAGE_W, 18)
        draw_text(painter, stage, entry.stage.capitalize(), mono(11), quiet, right=True)

    def _thumb(self, painter: QPainter, box: QRectF, entry: Entry) -> None:
        made = entry.picture or _thumbnails().get(entry.id)
        painter.fillRect(box, self._theme.colour("ground"))
        if made is None:
            return
        columns = made.columns
        width, colour = box.width() / len(columns), self._theme.colour(made.role)
        before = columns[0]
        for k, (low, high) in enumerate(columns):
            low, high = min(low, before[1]), max(high, before[0])  # a line that does not tear
            before = columns[k]
            top, bottom = box.bottom() - high / 99 * box.height(), box.bottom() - low / 99 * box.height()
            painter.fillRect(QRectF(box.x() + k * width, top - 0.7, width, bottom - top + 1.4), colour)


class Palette(SearchDialog):
    """Choose a module or a starter; ``chosen`` holds it after the dialog was accepted.

    Parameters
    ----------
    title : str
        Where it will be added.
    told_of : function of Entry to str
        What adding an entry would link, in words.
    hear : function of Entry or None
        Play the patch with an entry added, or as it is.
    kept : sequence of Entry
        The compounds of the user's library.
    """

    def __init__(
        self,
        title: str,
        theme: Theme,
        told_of: Callable[[Entry], str],
        hear: Callable[[Entry | None], None],
        kept: Sequence[Entry] = (),
        parent: QWidget | None = None,
    ) -> None:
        hint = "Type a name, a purpose or plain words: wobble, rain-like, random notes"
        super().__init__(title, hint, "modules and starters", "Add", parent)
        self.chosen: Entry | None = None
        self._told_of, self._hear, self._kept = told_of, hear, kept
        self.resize(720, 560)
        self.list.setItemDelegate(_Row(theme, self.list))
        self.list.currentRowChanged.connect(self._rested)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setMinimumHeight(20)
        self.column.insertWidget(3, self.told)
        self.hearing = QCheckBox("&Hear it in the patch before adding it")
        self.hearing.toggled.connect(self._hearing_changed)
        self.foot.insertWidget(0, self.hearing)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._hear_now)
        self.fill("")

    @property
    def entry(self) -> Entry | None:
        """What is chosen now."""
        item = self.list.currentItem()
        return item.data(_ENTRY) if item else None

    def fill(self, text: str) -> None:
        """What is called so, or does so, the best first."""
        self.list.clear()
        for entry in found(text, self._kept):
            item = QListWidgetItem(entry.name)
            item.setData(_ENTRY, entry)
            item.setToolTip(entry.sentence)
            item.setData(Qt.ItemDataRole.AccessibleDescriptionRole, f"{entry.stage}: {entry.sentence}")
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        if not self.list.count():
            self.told.setText("No module matches. Try another word.")

    def _rested(self, _row: int) -> None:
        entry = self.entry
        self.told.setText(self._told_of(entry) if entry else "")
        if self.hearing.isChecked():
            self._timer.start(HEAR_MS)

    def _hearing_changed(self, on: bool) -> None:
        if on:
            self._hear_now()
        else:
            self._hear(None)

    def _hear_now(self) -> None:
        if self.hearing.isChecked():
            self._hear(self.entry)

    def take(self) -> None:
        """Accept what is chosen, if something is."""
        self.chosen = self.entry
        if self.chosen is not None:
            self.accept()

    def done(self, result: int) -> None:
        """Whatever was heard on trial ends."""
        self._timer.stop()
        if self.hearing.isChecked():
            self._hear(None)
        super().done(result)
