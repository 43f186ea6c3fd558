"""The files of a job in a table: picture, figures and verdict; what is flagged says why, and offers a cure."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPolygonF
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QStyledItemDelegate, QStyleOptionViewItem, QTableView

from dunefall.app.controls.ownkeys import own_keys
from dunefall.app.controls.painting import draw_text, text_width
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.base.language import decimal, tr
from dunefall.deliver.making import File
from dunefall.deliver.verdict import Finding

__all__ = ["ResultsTable", "draw_waveform", "seam_text"]

HEADS = (tr("Picture"), tr("Name"), tr("Length"), "LUFS", "dBTP", tr("Loop seam"), tr("Clicks"), tr("Verdict"))
WIDTHS = (134, 0, 64, 56, 56, 124, 52, 76)
SEAM, FIGURES, BOLD = 5, (2, 3, 4, 6), (1, 7)
ROW, NOTE, NOTE_X, BUTTON_W = 28, 24, 138, 28
Index = QModelIndex | QPersistentModelIndex


def seam_text(file: File) -> str:
    """The seam in a word and a figure."""
    return (
        tr("{verdict}, {step_db:.0f} dB", verdict=tr(file.seam.verdict), step_db=file.seam.step_db).replace("-", "−")
        if file.seam
        else ""
    )


def draw_waveform(painter: QPainter, box: QRectF, picture: list[list[float]], theme: Theme) -> None:
    """A small waveform, as high as its box."""
    middle, top = box.center().y(), max((max(-low, high) for low, high in picture), default=0.0) or 1.0
    painter.setPen(theme.colour("audio"))
    step = box.width() / max(len(picture), 1)
    for k, (low, high) in enumerate(picture):
        a, b = middle - high / top * box.height() / 2, middle - low / top * box.height() / 2
        painter.drawLine(int(box.x() + k * step), int(a), int(box.x() + k * step), int(max(b, a + 1)))


class _Files(QAbstractTableModel):
    """Rows of a file each, and below what is flagged a row that says why."""

    def __init__(self) -> None:
        super().__init__()
        self.files, self.sorted, self.down, self.only_flagged = list[File](), 1, False, False
        self.rows: list[tuple[File, Finding | None]] = []

    def fill(self) -> None:
        """Work out the rows."""
        self.beginResetModel()
        self.rows = [row for file in self.shown for row in ((file, None), *((file, f) for f in file.findings[:1]))]
        self.endResetModel()

    @property
    def shown(self) -> list[File]:
        """The files in the order of the table."""
        files = [file for file in self.files if file.findings or not self.only_flagged]
        return sorted(files, key=self._key, reverse=self.down)

    def _key(self, file: File) -> float:
        m = file.measures
        return {
            2: m.seconds, 3: m.lufs, 4: m.true_peak_db, SEAM: file.seam.step_db if file.seam else 0.0,
            6: len(file.clicks), 7: len(file.findings),
        }.get(self.sorted, file.number)  # fmt: skip

    def rowCount(self, parent: Index | None = None) -> int:
        """Files and notes."""
        return len(self.rows)

    def columnCount(self, parent: Index | None = None) -> int:
        """As many as there are heads."""
        return len(HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """The heads."""
        text = role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal
        return HEADS[section] if text else None

    def flags(self, index: Index) -> Qt.ItemFlag:
        """Files can be chosen; their notes belong to them."""
        note = self.rows[index.row()][1] is not None
        return Qt.ItemFlag.ItemIsEnabled if note else Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Texts, fonts and tool tips."""
        file, finding = self.rows[index.row()]
        column = index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(file, column) if finding is None else finding.text if column == 0 else ""
        if role == Qt.ItemDataRole.AccessibleTextRole and finding is None:
            return f"{HEADS[column]}: {self._text(file, column)}"
        if role == Qt.ItemDataRole.FontRole:
            return sans(12, 600 if file.findings else 400) if column in BOLD else mono(12, 500)
        if role == Qt.ItemDataRole.ToolTipRole:
            return " ".join(f.text for f in file.findings) or file.told or file.names[0]
        if role == Qt.ItemDataRole.TextAlignmentRole and column in FIGURES:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        return None

    def _text(self, file: File, column: int) -> str:
        m = file.measures
        minutes, seconds = divmod(m.seconds, 60.0)
        return (
            "", file.names[0], f"{int(minutes)}:{seconds:05.2f}", decimal(f"{m.lufs:.1f}").replace("-", "−"),
            f"{m.true_peak_db:.1f}".replace("-", "−"), seam_text(file), str(len(file.clicks)),
            tr("▲ check") if file.findings else tr("✓ good"),
        )[column]  # fmt: skip


class _Painter(QStyledItemDelegate):
    """Paints a waveform in the first column, and the notes over the whole width."""

    def __init__(self, table: ResultsTable) -> None:
        super().__init__(table)
        self._table = table

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        """A cell."""
        file, finding = self._table.model_of.rows[index.row()]
        box, theme = QRectF(option.rect), self._table.theme  # type: ignore[attr-defined]
        if finding is not None:
            draw_text(painter, box.adjusted(NOTE_X, 0, 0, 0), finding.text, sans(12), theme.colour("text2"))
            if finding.cure:
                font = sans(12, 600)
                font.setUnderline(True)
                draw_text(painter, QRectF(self._table.cure_box(option.rect, finding)), finding.cure, font,  # type: ignore[attr-defined]
                          theme.colour("text"))  # fmt: skip
            return
        super().paint(painter, option, index)
        if index.column() == 0:
            draw_waveform(painter, box.adjusted(BUTTON_W + 4, 4, -4, -4), file.picture, theme)
            self._button(painter, QRectF(self._table.button_box(option.rect)), file)  # type: ignore[attr-defined]

    def _button(self, painter: QPainter, box: QRectF, file: File) -> None:
        """What plays the file, or stops it."""
        theme = self._table.theme
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(theme.colour("edge"))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("text"))
        x, y = box.center().x(), box.center().y()
        if file.names[0] == self._table.playing:
            painter.drawRect(QRectF(x - 3.5, y - 3.5, 7, 7))
        else:
            painter.drawPolygon(QPolygonF([QPointF(x - 3, y - 4.5), QPointF(x + 5, y), QPointF(x - 3, y + 4.5)]))
        painter.restore()


class ResultsTable(QTableView):
    """Files in rows; up and down choose, Space plays, Enter opens the patch with the file's seed.

    Signals
    -------
    chosen (object)
        A File, or None.
    play_asked (object), open_asked (object), cure_asked (object, object)
        A File; with the Finding.
    """

    chosen = Signal(object)
    play_asked = Signal(object)
    open_asked = Signal(object)
    cure_asked = Signal(object, object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.model_of, self.current, self.playing = theme, _Files(), None, ""
        self.setModel(self.model_of)
        self.setItemDelegate(_Painter(self))
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(ROW)
        self.setShowGrid(False)
        self.setAccessibleName(tr("Results"))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setTabKeyNavigation(False)
        self.setWordWrap(False)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)  # names of a set differ at their end
        head = self.horizontalHeader()
        head.setHighlightSections(False)
        head.setSectionsClickable(True)
        head.sectionClicked.connect(self._sort_by)
        for column, width in enumerate(WIDTHS):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed if width else QHeaderView.ResizeMode.Stretch)
            if width:
                self.setColumnWidth(column, width)
        self.selectionModel().selectionChanged.connect(self._selected)
        self.doubleClicked.connect(lambda _: self._ask(self.open_asked))
        own_keys(self, Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Up, Qt.Key.Key_Down)
        self._style()

    current: File | None

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self.theme = theme
        self._style()
        self._fill()

    def _style(self) -> None:
        t = self.theme
        self.setStyleSheet(
            f"QTableView {{ background: {t.raised}; border: 1px solid {t.line}; }}"
            f"QTableView::item {{ border-bottom: 1px solid {t.line}; }}"
            f"QTableView::item:selected {{ background: {t.card}; color: {t.text};"
            f" border-top: 2px solid {t.text}; border-bottom: 2px solid {t.text}; }}"
            f"QHeaderView::section {{ background: {t.ground}; color: {t.text2}; border: none; padding: 2px 4px; }}"
        )

    def show_files(self, files: list[File], loops: bool) -> None:
        """Show these files; the seam has its column only where there are loops."""
        self.setColumnHidden(SEAM, not loops)
        if files != self.model_of.files:
            self.model_of.files = list(files)
            self._fill()

    def filter(self, only_flagged: bool) -> None:
        """Show all, or only what is flagged."""
        self.model_of.only_flagged = only_flagged
        self._fill()

    def _sort_by(self, column: int) -> None:
        model = self.model_of
        model.down, model.sorted = (not model.down if model.sorted == column else False), column
        self._fill()

    @property
    def shown(self) -> list[File]:
        """The files in the order of the table."""
        return self.model_of.shown

    def _fill(self) -> None:
        kept = self.current.number if self.current else 0
        selection = self.selectionModel()
        selection.blockSignals(True)
        self.model_of.fill()
        self.clearSpans()
        again = -1
        for row, (file, finding) in enumerate(self.model_of.rows):
            if finding is not None:
                self.setRowHeight(row, NOTE)
                self.setSpan(row, 0, 1, len(HEADS))
            elif file.number == kept:
                again = row
        if self.model_of.rows:
            self.selectRow(max(again, 0))
        selection.blockSignals(False)
        self._selected()

    def file_at(self, row: int) -> File | None:
        """The file of a row, if it is one."""
        file, finding = self.model_of.rows[row]
        return file if finding is None else None

    def _selected(self, *_: object) -> None:
        rows = {index.row() for index in self.selectedIndexes()}
        self.current = self.file_at(min(rows)) if rows else None
        self.chosen.emit(self.current)

    def step_to(self, step: int) -> None:
        """Choose the next file, or the one before."""
        rows = [row for row in range(len(self.model_of.rows)) if self.file_at(row)]
        at = next((k for k, row in enumerate(rows) if self.file_at(row) is self.current), -1 if step > 0 else 0)
        if rows:
            self.selectRow(rows[min(max(at + step, 0), len(rows) - 1)])

    def _ask(self, signal: Any) -> None:
        if self.current is not None:
            signal.emit(self.current)

    def cure_box(self, note: QRect, finding: Finding) -> QRect:
        """Where the cure stands in a note."""
        x = note.x() + NOTE_X + round(text_width(finding.text, sans(12))) + 12
        return QRect(x, note.y(), round(text_width(finding.cure, sans(12, 600))) + 4, note.height())

    def button_box(self, cell: QRect) -> QRect:
        """Where the button that plays a file stands in its first cell."""
        return QRect(cell.x() + 2, cell.y() + 4, BUTTON_W - 4, cell.height() - 8)

    def mark_playing(self, name: str) -> None:
        """Which file plays; none where it is empty."""
        if name != self.playing:
            self.playing = name
            self.viewport().update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A click on a cure asks for it."""
        place = event.position().toPoint()
        index = self.indexAt(place)
        file, finding = self.model_of.rows[index.row()] if index.isValid() else (None, None)
        if finding is not None and self.cure_box(self.visualRect(index), finding).contains(place):
            self.cure_asked.emit(file, finding)
        elif file is not None and index.column() == 0 and self.button_box(self.visualRect(index)).contains(place):
            self.play_asked.emit(file)
        super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and down choose, Space plays, Enter opens."""
        key = event.key()
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.step_to(1 if key == Qt.Key.Key_Down else -1)
        elif key == Qt.Key.Key_Space:
            self._ask(self.play_asked)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._ask(self.open_asked)
        else:
            super().keyPressEvent(event)
