"""Reading sound files beside the window: shown with its progress when it takes a moment, and to be cancelled."""

from __future__ import annotations

import threading
from collections.abc import Callable

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QDialog, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from dunefall.app.model.context import Context
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr

__all__ = ["SoundDialog", "read_sounds"]

SHOW_AFTER_MS, POLL_MS = 300, 30
Report = Callable[[int, int], None]


class _CancelledError(Exception):
    """The user thought better of it."""


class SoundDialog(QDialog):
    """Runs ``work`` in a thread.

    Attributes
    ----------
    result_value : object
        What the work gave, once the dialog is accepted.
    error : str
        Why it was rejected; empty if it was cancelled.
    """

    def __init__(self, text: str, work: Callable[[Report], object], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.result_value: object = None
        self.error = ""
        self._work, self._cancel, self._share = work, threading.Event(), 0.0
        self.setWindowTitle(tr("Reading sound"))
        self.setMinimumWidth(420)
        column = QVBoxLayout(self)
        column.addWidget(QLabel(text))
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setAccessibleName(tr("Progress"))
        column.addWidget(self.bar)
        self.stop = QPushButton(tr("Cancel"))
        self.stop.clicked.connect(self._cancel.set)
        column.addWidget(self.stop)
        self._thread = threading.Thread(target=self._run, name=tr("reading sound"), daemon=True)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._follow)
        self._waited = 0

    def begin(self) -> None:
        """Start the work."""
        self._thread.start()
        self._timer.start(POLL_MS)

    def _run(self) -> None:
        try:
            self.result_value = self._work(self._report)
        except _CancelledError:
            self._cancel.set()
        except DunefallError as error:
            self.error = str(error)

    def _report(self, done: int, total: int) -> None:
        self._share = done / max(total, 1)
        if self._cancel.is_set():
            raise _CancelledError

    def _follow(self) -> None:
        self.bar.setValue(round(1000 * self._share))
        if self._thread.is_alive():
            self._waited += POLL_MS
            if self._waited >= SHOW_AFTER_MS and not self.isVisible():
                self.open()
            return
        self._timer.stop()
        if self.error or self._cancel.is_set():
            self.reject()
        else:
            self.accept()

    def reject(self) -> None:
        """Escape and the window's cross cancel; the dialog goes when the work has ended."""
        if self._thread.is_alive():
            self._cancel.set()
        else:
            super().reject()


def read_sounds(context: Context, dialog: SoundDialog, then: Callable[[], object]) -> None:
    """Read sound files while the window goes on; ``then`` follows when they are there, a dialog if they cannot be
    read."""

    def failed() -> None:
        if dialog.error:
            context.talk.warn(tr("This sound cannot be used"), dialog.error)

    dialog.accepted.connect(then)
    dialog.rejected.connect(failed)
    dialog.finished.connect(dialog.deleteLater)
    dialog.begin()
