"""The queue: each job with its progress, a cell for each file, and what can be done about it."""

from __future__ import annotations

import time

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.base.language import tr, tr_count
from dunefall.base.words import time_told
from dunefall.deliver.queue import Entry

__all__ = ["JobBox", "QueueView", "cancelled_told", "done_told", "with_flagged"]

MOST_CELLS = 120
CANCEL, REMOVE = (tr("Cancel"), "cancel"), (tr("Remove"), "remove")
OFFERED = {
    "running": ((tr("Pause"), "pause"), CANCEL), "paused": ((tr("Resume"), "resume"), CANCEL),
    "waiting": ((tr("Do first"), "first"), CANCEL), "done": ((tr("Open folder"), "folder"), REMOVE),
    "failed": ((tr("Retry"), "retry"), REMOVE), "cancelled": ((tr("Retry"), "retry"), REMOVE),
}  # fmt: skip
"""What each state offers: the button's text, and what is asked for."""
STATES = {"waiting": "waiting", "paused": "paused", "done": "done", "cancelled": "cancelled", "failed": "failed"}


class _Cells(QWidget):
    """Progress: a cell for each file, with a triangle under what is flagged; one bar where there are too many."""

    def __init__(self, entry: Entry, theme: Theme) -> None:
        super().__init__()
        self._entry, self._theme = entry, theme
        self.setFixedHeight(26)
        self.setAccessibleName(tr("Progress"))

    def paintEvent(self, event: QPaintEvent) -> None:
        """The cells."""
        entry, theme, painter = self._entry, self._theme, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        count = entry.total if entry.total <= MOST_CELLS else 1
        filled = entry.share * count
        gap = 3.0 if self.width() / count > 8 else 1.0
        width = (self.width() - gap * (count - 1)) / count
        flagged = {file.number for file in entry.files if file.findings}
        each = max(1, len({file.number for file in entry.files}) // max(1, entry.total)) if entry.total else 1
        for k in range(count):
            box = QRectF(k * (width + gap), 2, width, 14)
            painter.setPen(theme.colour("edge"))
            painter.setBrush(theme.colour("card"))
            painter.drawRoundedRect(box, 2, 2)
            share = min(1.0, max(0.0, filled - k))
            if share > 0:
                painter.fillRect(QRectF(box.x(), box.y(), box.width() * share, box.height()), QColor(theme.text2))
            if any(number in flagged for number in range(1 + k * each, 1 + (k + 1) * each)) and count > 1:
                x = box.center().x()
                painter.setBrush(theme.colour("text"))
                painter.drawPolygon(QPolygonF([QPointF(x, 19), QPointF(x - 4, 25), QPointF(x + 4, 25)]))
        self.setAccessibleDescription(f"{entry.share:.0%}")
        painter.end()


class JobBox(QFrame):
    """One job.

    Signals
    -------
    chosen (object), asked (str, object)
        Its results are to be shown; pause, resume, cancel, first, remove or retry was asked for.
    """

    chosen = Signal(object)
    asked = Signal(str, object)

    def __init__(self, entry: Entry, theme: Theme) -> None:
        super().__init__()
        self.entry, self._begun, self._state = entry, time.monotonic(), ""
        self.setObjectName(f"job {entry.id}")
        self.setFrameShape(QFrame.Shape.StyledPanel)
        self._theme = theme
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 5, 10, 5)
        column.setSpacing(4)
        line = QHBoxLayout()
        line.setSpacing(8)
        self.title = QPushButton(tr(entry.job.title))
        self.title.setProperty("plain", True)
        self.title.setFont(sans(13, 600))
        self.title.setToolTip(tr("Show its files"))
        self.title.clicked.connect(lambda: self.chosen.emit(self.entry))
        self.what = QLabel(_subject(entry))
        self.told = QLabel()
        self.told.setFont(mono(12, 500))
        line.addWidget(self.title)
        line.addWidget(self.what)
        line.addStretch(1)
        line.addWidget(self.told)
        self._buttons: list[QPushButton] = []
        self._line = line
        column.addLayout(line)
        self.cells = _Cells(entry, theme)
        column.addWidget(self.cells)
        self.refresh()

    def refresh(self) -> None:
        """Show it as it is now."""
        entry = self.entry
        self.cells.setVisible(entry.state in ("running", "paused"))
        self.cells.update()
        self.told.setText(self._tell())
        if entry.state != self._state:
            self._state = entry.state
            self._begun = time.monotonic()
            self._make_buttons()

    def _tell(self) -> str:
        entry = self.entry
        done = entry.total - len(entry.missing())
        if entry.state == "running":
            passed, share = time.monotonic() - self._begun, entry.share
            left = passed / share * (1.0 - share) if share > 0.02 and passed > 1.0 else 0.0
            told = tr("{done} of {total}", done=done, total=entry.total) if entry.total > 1 else f"{share:.0%}"
            return f"{told}  {tr('{time} left', time=time_told(left))}" if left else told
        if entry.state == "done":
            files = tr_count("{count} file", "{count} files", len(entry.files))
            return with_flagged(tr("done: {files}", files=files), entry)
        if entry.state == "failed":
            return tr("{count} failed: {next}", count=len(entry.failed), next=next(iter(entry.failed.values())))[:80]
        told = STATES[entry.state]
        return tr("{told}, {count} kept", told=told, count=len(entry.files)) if entry.state == "cancelled" else told

    def _make_buttons(self) -> None:
        for button in self._buttons:
            button.hide()
            button.deleteLater()
        offered = OFFERED[self.entry.state]
        self._buttons = []
        for text, what in offered:
            button = QPushButton(text)
            button.setObjectName(f"{what} {self.entry.id}")
            button.setStyleSheet("padding: 2px 8px")
            button.setToolTip(f"{text}: {tr(self.entry.job.title)}")
            button.clicked.connect(lambda _=False, what=what: self.asked.emit(what, self.entry))
            self._line.addWidget(button)
            self._buttons.append(button)

    def set_chosen(self, chosen: bool) -> None:
        """Frame it in ink while its results are shown."""
        colour, width = (self._theme.text, 2) if chosen else (self._theme.line, 1)
        self.setStyleSheet(
            f"JobBox {{ background: {self._theme.raised}; border: {width}px solid {colour}; border-radius: 6px; }}"
        )


def _subject(entry: Entry) -> str:
    job, patch = entry.job, entry.source.patch
    if job.what == "layer":
        return next((layer.name for layer in patch.layers if layer.id == job.layer), "")
    if job.what == "hits" and patch.has(job.module):
        return patch.module(job.module).name
    return {"stems": tr("layers apart")}.get(job.what, tr("whole mix"))


class QueueView(QWidget):
    """All jobs, the newest last.

    Signals
    -------
    chosen (object), asked (str, object)
        Of one of its boxes.
    """

    chosen = Signal(object)
    asked = Signal(str, object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.boxes: list[JobBox] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(6)
        self._column.setAlignment(Qt.AlignmentFlag.AlignTop)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        entries = [box.entry for box in self.boxes]
        self.show_entries([], None)
        self.show_entries(entries, None)

    def show_entries(self, entries: list[Entry], chosen: Entry | None) -> None:
        """Show these jobs; boxes that are there stay."""
        if [box.entry for box in self.boxes] != entries:
            kept = {id(box.entry): box for box in self.boxes}
            for box in self.boxes:
                self._column.removeWidget(box)
                if box.entry not in entries:
                    box.hide()
                    box.deleteLater()
            self.boxes = [kept.get(id(entry)) or self._box(entry) for entry in entries]
            for box in self.boxes:
                self._column.addWidget(box)
        for box in self.boxes:
            box.refresh()
            box.set_chosen(box.entry is chosen)

    def _box(self, entry: Entry) -> JobBox:
        box = JobBox(entry, self._theme)
        box.chosen.connect(self.chosen.emit)
        box.asked.connect(self.asked.emit)
        return box


def with_flagged(files: str, entry: Entry) -> str:
    """What is told of a job's files, and how many of them are to be checked."""
    return tr("{files}, {flagged} to check", files=files, flagged=entry.flagged) if entry.flagged else files


def cancelled_told(entry: Entry) -> str:
    """Sentences about a job that is cancelled."""
    return tr_count(
        "{title} is cancelled. {count} file is whole and kept.",
        "{title} is cancelled. {count} files are whole and kept.", len(entry.files), title=tr(entry.job.title),
    )  # fmt: skip


def done_told(entry: Entry) -> str:
    """A sentence about a job that is done."""
    title, folder = tr(entry.job.title), entry.tasks[0].folder
    told = [
        tr_count(
            "{title}: {count} file is in {folder}.", "{title}: {count} files are in {folder}.", len(entry.files),
            title=title, folder=folder,
        )
    ]  # fmt: skip
    told += [tr("{flagged} of them to check.", flagged=entry.flagged)] if entry.flagged else []
    return " ".join(told)
