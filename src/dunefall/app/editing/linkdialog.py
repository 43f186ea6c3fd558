"""The dialog behind "Move this…": all outputs, searched by name, each with its live trace, and what can be made."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import compress

from PySide6.QtCore import QModelIndex, QObject, QPersistentModelIndex, QRect, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QListWidgetItem, QWidget

from dunefall.app.controls.live import TraceSource
from dunefall.app.controls.painting import TraceImage, draw_text
from dunefall.app.controls.searchdialog import SearchDialog, SearchRow
from dunefall.app.controls.theme import Theme, sans
from dunefall.base.language import tr
from dunefall.catalogue.compounds import face_of, spec_for
from dunefall.catalogue.search import Entry, entries, found
from dunefall.patch.compounds import modules_in
from dunefall.patch.model import Patch, Place

__all__ = ["LinkDialog"]

ROW_H = 36
TRACE_W = 120
_PLACE = Qt.ItemDataRole.UserRole
_ROLE = Qt.ItemDataRole.UserRole + 1
_LAYER = Qt.ItemDataRole.UserRole + 2
_MAKES = Qt.ItemDataRole.UserRole + 3
MOST_OFFERED = 4
"""So many modules to be made are offered before something is typed."""


class _Row(SearchRow):
    """Paints an output: name, layer, and its live trace."""

    row_h = ROW_H

    def __init__(self, traces: TraceSource, theme: Theme, parent: QObject) -> None:
        super().__init__(theme, parent)
        self._traces, self._image = traces, TraceImage()

    def draw(self, painter: QPainter, box: QRect, index: QModelIndex | QPersistentModelIndex, quiet: QColor) -> None:
        theme, role = self._theme, index.data(_ROLE)
        text_box = QRectF(box.x() + 8, box.y() + 2, box.width() - TRACE_W - 32, 18)
        draw_text(painter, text_box, index.data(), sans(13, 500), theme.colour("text"))
        makes: Entry | None = index.data(_MAKES)
        below = makes.sentence if makes else f"{index.data(_LAYER)} · {role}"
        if makes:
            text_box.setRight(box.right() - 8)
        draw_text(painter, text_box.translated(0, 16), below, sans(11), quiet)
        if makes:
            return
        place: Place = index.data(_PLACE)
        inner = place.inner
        bins = self._traces.trace(inner.module, inner.port)
        if bins is not None:
            self._image.clear(TRACE_W, ROW_H - 8, painter.device().devicePixelRatioF())
            low = 0.0 if role == "gate" else -1.0
            self._image.trace(QRect(0, 0, TRACE_W, ROW_H - 8), bins[-400:], role, theme.colour(role), low=low)
            painter.save()
            painter.translate(box.right() - TRACE_W - 8, box.y() + 4)
            self._image.draw(painter)
            painter.restore()


class LinkDialog(SearchDialog):
    """Choose an output, or a module that is to be made.

    Parameters
    ----------
    first : bool
        Each module once, by its first output: a module is looked for.
    role : str
        Outputs of this role come first.
    makes : sequence of str
        Types of module that can be made instead, the usual ones first; they follow the outputs of the role.

    Attributes
    ----------
    chosen : Place or None
        The output, after the dialog was accepted; a compound's where it was found so.
    made : Entry or None
        The module or preset to make instead, if one was chosen.
    """

    def __init__(
        self,
        patch: Patch,
        title: str,
        traces: TraceSource,
        theme: Theme,
        parent: QWidget | None = None,
        *,
        first: bool = False,
        role: str = "",
        makes: Sequence[str] = (),
    ) -> None:
        super().__init__(
            title, tr("Type a name, a layer or a kind"), "outputs", tr("Show") if first else tr("Link"), parent
        )
        self.chosen: Place | None = None
        self.made: Entry | None = None
        self._patch, self._first, self._role, self._makes = patch, first, role, makes
        self.resize(460, 480)
        self.list.setItemDelegate(_Row(traces, theme, self.list))
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.list.viewport().update)
        self._timer.start(66)
        self.fill("")

    def fill(self, text: str) -> None:
        """List what fits all words. Outputs whose names contain them come first, or those of the role where nothing is
        typed; then what can be made, then the rest."""
        words = text.lower().split()
        rows = [row for row in self._outputs() if all(word in row[1] for word in words)]
        named = [all(word in row[0].lower() for word in words) if words else row[3] == self._role for row in rows]
        self.list.clear()
        self._list_outputs(compress(rows, named))
        for entry in self._can_make(text):
            item = QListWidgetItem(tr("New {name}", name=entry.name))
            item.setData(_MAKES, entry)
            self.list.addItem(item)
        self._list_outputs(row for row, first in zip(rows, named, strict=True) if not first)
        self.list.setCurrentRow(0)

    def _list_outputs(self, rows: Iterable[tuple[str, str, Place, str, str]]) -> None:
        for name, _, place, role, layer in rows:
            item = QListWidgetItem(name)
            for key, value in ((_PLACE, place), (_ROLE, role), (_LAYER, layer)):
                item.setData(key, value)
            item.setData(Qt.ItemDataRole.AccessibleDescriptionRole, layer)
            self.list.addItem(item)

    def _can_make(self, text: str) -> list[Entry]:
        """Modules to be made that fit a text; the usual ones where nothing is typed."""
        if not text.strip():
            offered = {entry.id: entry for entry in entries() if not entry.preset}
            return [offered[name] for name in self._makes[:MOST_OFFERED]]
        return [entry for entry in found(text) if entry.id in self._makes]

    def _outputs(self) -> list[tuple[str, str, Place, str, str]]:
        """All outputs, those of layers and the master last: name, the text that is searched, place, role, layer."""
        rows: list[tuple[str, str, Place, str, str]] = []
        ends: list[tuple[str, str, Place, str, str]] = []
        for layer in self._patch.layers:
            inside = {module.id for module in layer.modules}
            compounds = (x for x in self._patch.compounds if modules_in(self._patch, (x.id,))[0] in inside)
            faces = [face_of(self._patch, compound) for compound in compounds]
            for module in (*faces, *layer.modules):
                spec = spec_for(module)
                if spec is None:
                    continue
                outputs = spec.outputs[:1] if self._first else spec.outputs
                for output in outputs:
                    name = module.name if len(outputs) == 1 else f"{module.name}: {output.name}"
                    searched = f"{name} {layer.name} {output.role} {spec.name} {' '.join(spec.words)}".lower()
                    into = ends if spec.ends else rows
                    into.append((name, searched, Place(module.id, output.id), output.role, layer.name))
        return rows + ends

    def take(self) -> None:
        """Accept what is chosen, if something is."""
        item = self.list.currentItem()
        if item is not None:
            self.chosen, self.made = item.data(_PLACE), item.data(_MAKES)
            self.accept()
