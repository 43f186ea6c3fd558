"""The palette: everything that can be added, searched by name, purpose or plain words, and heard before it is added."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import cache

from PySide6.QtCore import QEvent, QModelIndex, QObject, QPersistentModelIndex, QRect, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QKeyEvent, QPainter
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QListWidgetItem, QWidget

from dunefall.app.controls.painting import draw_text
from dunefall.app.controls.searchdialog import SearchDialog, SearchRow
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.base.door import clean
from dunefall.base.language import tr
from dunefall.catalogue.joining import Joined
from dunefall.catalogue.search import EMPTY_LAYER, Entry, found
from dunefall.patch.library import DATA
from dunefall.patch.userlibrary import TinyPicture

__all__ = ["Palette"]

ROW_H, THUMB_W, THUMB_H, STAGE_W = 46, 96, 30, 190
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
        draw_text(painter, stage, entry.kind, mono(11), quiet, right=True)

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
    """Choose a module, a preset or a starter, and by Left and Right how it is joined; ``chosen`` and ``joined`` hold
    both after the dialog was accepted.

    Parameters
    ----------
    title : str
        Where it will be added.
    ways_of : function of Entry to list of Joined
        The patches that adding an entry can make, the usual one first.
    hear : function of Joined or None
        Play one of them, or the patch as it is.
    kept : sequence of Entry
        The compounds of the user's library.
    first : sequence of str
        Stages of what one would add next.
    layers : bool
        It is a layer that is added: it may be empty, and is called what was typed then.
    """

    def __init__(
        self,
        title: str,
        theme: Theme,
        ways_of: Callable[[Entry], list[Joined]],
        hear: Callable[[Joined | None], None],
        kept: Sequence[Entry] = (),
        parent: QWidget | None = None,
        *,
        first: Sequence[str] = (),
        layers: bool = False,
    ) -> None:
        hint = tr("Type a name, a purpose or plain words: wobble, rain-like, random notes")
        super().__init__(title, hint, tr("modules and starters"), tr("Add"), parent)
        self.chosen: Entry | None = None
        self.ways: list[Joined] = []
        self.way = 0
        self._ways_of, self._hear, self._kept = ways_of, hear, kept
        self._first, self._layers = first, layers
        self.resize(720, 560)
        self.list.setItemDelegate(_Row(theme, self.list))
        self.list.currentRowChanged.connect(self._rested)
        self.told, self.others = QLabel(), QLabel()
        self.told.setWordWrap(True)
        self.told.setMinimumHeight(20)
        self.others.setStyleSheet(f"color: {theme.text2}")
        line = QHBoxLayout()
        line.addWidget(self.told, 1)
        line.addWidget(self.others)
        self.column.insertLayout(3, line)
        self.hearing = QCheckBox(tr("&Hear it in the patch before adding it"))
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
        for entry in (*found(text, self._kept, self._first), *self._empty_layer(text)):
            item = QListWidgetItem(entry.name)
            item.setData(_ENTRY, entry)
            item.setToolTip(entry.sentence)
            item.setData(Qt.ItemDataRole.AccessibleDescriptionRole, f"{entry.kind}: {entry.sentence}")
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        if not self.list.count():
            self.told.setText(tr("No module matches. Try another word."))

    def _empty_layer(self, text: str) -> list[Entry]:
        """The last entry where a layer is added: an empty one, called what was typed."""
        name = clean(text)
        return [replace(EMPTY_LAYER, name=name or EMPTY_LAYER.name)] if self._layers else []

    def _rested(self, _row: int) -> None:
        entry = self.entry
        self.ways, self.way = self._ways_of(entry) if entry else [], 0
        self._show_way()

    def look_again(self) -> None:
        """The patch has other values: the ways are those of now."""
        kept = self.way
        self.ways = self._ways_of(self.entry) if self.entry else []
        self.way = min(kept, max(0, len(self.ways) - 1))

    def _show_way(self) -> None:
        count = len(self.ways)
        impossible = tr("This gives another kind of signal.") if self.entry else ""
        self.told.setText(self.ways[self.way].told if count else impossible)
        self.others.setText(tr("Way {way} of {count}: ← →", way=self.way + 1, count=count) if count > 1 else "")
        if self.hearing.isChecked():
            self._timer.start(HEAR_MS)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Left and Right choose how it is joined."""
        if watched is self.search and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
            if step and len(self.ways) > 1 and not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
                self.way = (self.way + step) % len(self.ways)
                self._show_way()
                return True
        return super().eventFilter(watched, event)

    @property
    def joined(self) -> Joined | None:
        """The patch with what is chosen, joined as chosen."""
        return self.ways[self.way] if self.ways else None

    def _hearing_changed(self, on: bool) -> None:
        if on:
            self._hear_now()
        else:
            self._hear(None)

    def _hear_now(self) -> None:
        if self.hearing.isChecked():
            self._hear(self.joined)

    def take(self) -> None:
        """Accept what is chosen, if something is."""
        self.chosen = self.entry if self.ways else None
        if self.chosen is not None:
            self.accept()

    def done(self, result: int) -> None:
        """Whatever was heard on trial ends."""
        self._timer.stop()
        if self.hearing.isChecked():
            self._hear(None)
        super().done(result)
