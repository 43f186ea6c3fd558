"""Render to WAV: length and file, a progress bar, and a way to stop it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.controls.theme import sans
from dunefall.base.errors import ParameterError
from dunefall.base.units import parse_value
from dunefall.patch.model import Patch
from dunefall.patch.take import Take
from dunefall.render.job import RenderJob

__all__ = ["RenderDialog"]

MAX_S = 86_400.0


class RenderDialog(QDialog):
    """Renders a patch, or a take, as it was when the dialog opened; sound and window carry on."""

    def __init__(
        self, take: Patch | Take, path: Path, rate: float, length: str = "60 s", parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._take, self._rate = take, rate
        patch = take if isinstance(take, Patch) else take.start
        self._tempo_bpm = patch.tempo_bpm
        self.job: RenderJob | None = None
        self.setWindowTitle("Render to WAV")
        self.setMinimumWidth(480)
        column = QVBoxLayout(self)
        heading = QLabel(
            f"Render “{patch.title}”" if isinstance(take, Patch) else f"Render the take of “{patch.title}”"
        )
        heading.setFont(sans(14, 600))
        column.addWidget(heading)
        form = QFormLayout()
        self.length = QLineEdit(length)
        self.length.setToolTip("For example 90, 2 min or 1/4 (of a bar at this tempo)")
        form.addRow("Length", self.length)
        self.file = QLineEdit(str(path))
        browse = QPushButton("Choose…")
        browse.clicked.connect(self._browse)
        row = QHBoxLayout()
        row.addWidget(self.file, 1)
        row.addWidget(browse)
        form.addRow("File", row)
        column.addLayout(form)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setAccessibleName("Progress")
        column.addWidget(self.bar)
        count = 0 if isinstance(take, Patch) else len(take.entries)
        changes = "1 change" if count == 1 else f"{count} changes"
        what = "with the patch's seed" if isinstance(take, Patch) else f"with {changes} made by hand"
        self.note = QLabel(f"24-bit WAV, stereo, from the beginning, {what}.")
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        self.cancel, self.start = QPushButton("Close"), QPushButton("Render")
        self.start.setDefault(True)
        self.cancel.clicked.connect(self._stop_or_close)
        self.start.clicked.connect(self._begin)
        buttons.addWidget(self.cancel)
        buttons.addWidget(self.start)
        column.addLayout(buttons)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._follow)

    def _browse(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Render to", self.file.text(), "WAV files (*.wav)")
        if name:
            self.file.setText(name)

    def _begin(self) -> None:
        try:
            seconds = parse_value(self.length.text(), "s", tempo_bpm=self._tempo_bpm)
            if not 0 < seconds <= MAX_S:
                raise ParameterError(f"the length must be above 0 and at most 24 h; got {self.length.text()}")
        except ParameterError as error:
            self.note.setText(str(error))
            return
        self.job = RenderJob(self._take, Path(self.file.text()).expanduser(), seconds=seconds, rate=self._rate)
        self.note.setText("Rendering…")
        self.start.setEnabled(False)
        self.cancel.setText("Cancel")
        self._timer.start(50)

    def _follow(self) -> None:
        assert self.job is not None
        state = self.job.poll()
        self.bar.setValue(round(1000 * self.job.share))
        if state == "running":
            return
        self._timer.stop()
        self.start.setEnabled(True)
        self.cancel.setText("Close")
        words = {"done": f"Done: {self.job.path}", "cancelled": "Cancelled. No file was written."}
        self.note.setText(words.get(state, f"Rendering failed: {self.job.error}"))
        if state != "done":
            self.bar.setValue(0)

    @property
    def running(self) -> bool:
        """Whether a render is under way."""
        return self._timer.isActive()

    def _stop_or_close(self) -> None:
        if self.running and self.job is not None:
            self.job.cancel()
            self.note.setText("Cancelling…")
        else:
            self.close()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Closing cancels."""
        if self.running and self.job is not None:
            self.job.cancel()
        event.accept()
