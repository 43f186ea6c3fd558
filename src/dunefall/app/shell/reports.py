"""A report of what was going on when the program was ended by a fault that no Python code can catch.

While it runs it writes down versions, devices and the commands that were done; at such a fault the interpreter adds
where each thread stood (``faulthandler``). There is nothing in it of the patch, the sounds or the user's files. At the
next start it is offered once.
"""

from __future__ import annotations

import contextlib
import faulthandler
import os
import platform
import time
from functools import partial
from pathlib import Path
from typing import TextIO

from PySide6.QtCore import qVersion
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QPlainTextEdit, QVBoxLayout, QWidget

from dunefall import __version__
from dunefall.app.controls.theme import mono
from dunefall.app.model.context import Context
from dunefall.base.folders import state_folder
from dunefall.base.language import tr
from dunefall.base.programs import program_name, program_runs

__all__ = ["Report", "ReportDialog", "offer_reports", "reports_folder"]

RUNNING, CRASHED, ENDING = "running-", "crash-", ".txt"
FAULT = "Fatal Python error"
"""How the interpreter begins."""
MOST_KEPT = 5
MOST_BYTES = 100_000


def reports_folder() -> Path:
    """Where reports are."""
    return state_folder() / "reports"


class Report:
    """What is written down of this process while it runs.

    Parameters
    ----------
    folder : Path
        Where; if nothing can be written there, nothing is.
    devices : str
        What was asked for of sound and keys.
    """

    def __init__(self, folder: Path, devices: str) -> None:
        self._path = folder / f"{RUNNING}{program_name()}{ENDING}"
        self._file: TextIO | None = None
        with contextlib.suppress(OSError):
            folder.mkdir(parents=True, exist_ok=True)
            self._file = self._path.open("w", encoding="utf-8", buffering=1)
        if self._file is not None:
            self._head = tr("Dunefall {version}, Python {python_version}, Qt {qVersion} "
                            "({platformName})\n{platform}, {cpu_count} cores\n{devices}\n\n", version=__version__,
                            python_version=platform.python_version(), qVersion=qVersion(),
                            platformName=QGuiApplication.platformName(), platform=platform.platform(),
                            cpu_count=os.cpu_count(), devices=devices)  # fmt: skip
            self._file.write(self._head)
            faulthandler.enable(self._file)

    def note(self, text: str) -> None:
        """Write down what is done now; the older part goes when there is too much."""
        if self._file is None:
            return
        with contextlib.suppress(OSError, ValueError):
            if self._file.tell() > MOST_BYTES:
                self._file.seek(0)
                self._file.truncate()
                self._file.write(self._head)
            self._file.write(f"{time.strftime('%H:%M:%S')} {text}\n")

    def close(self) -> None:
        """All is well: there is nothing to report."""
        if self._file is not None:
            faulthandler.disable()
            self._file.close()
            self._file = None
            with contextlib.suppress(OSError):
                self._path.unlink(missing_ok=True)


def _left(folder: Path) -> list[Path]:
    """Reports of processes that a fault has ended, the newest last; those that were ended from outside go."""
    found = []
    with contextlib.suppress(OSError):
        for file in sorted(folder.glob(f"{RUNNING}*{ENDING}"), key=lambda file: file.stat().st_mtime):
            if program_runs(file.stem.removeprefix(RUNNING)):
                continue
            if FAULT in file.read_text("utf-8", errors="replace"):
                day = time.strftime("%Y-%m-%d-%H%M%S", time.localtime(file.stat().st_mtime))
                found.append(file.rename(folder / f"{CRASHED}{day}{ENDING}"))
            else:
                file.unlink()
        for old in sorted(folder.glob(f"{CRASHED}*{ENDING}"))[:-MOST_KEPT]:
            old.unlink()
    return found


def offer_reports(context: Context, folder: Path) -> None:
    """Offer the report of the last fault, once.

    Parameters
    ----------
    context : Context
        Of the window.
    folder : Path
        Where reports are.
    """
    if left := _left(folder):
        context.talk.tell(
            tr(
                "Dunefall was ended by a fault last time. A report was written; nothing of your patch or sounds "
                "is in it."
            ),
            (tr("Show the report…"), partial(_show, context, left[-1])),
        )


def _show(context: Context, file: Path) -> None:
    context.talk.show(ReportDialog(file, context.talk.parent))


class ReportDialog(QDialog):
    """Shows a report, and copies it."""

    def __init__(self, file: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Report of a fault"))
        self.resize(760, 480)
        column, words = (
            QVBoxLayout(self),
            QLabel(tr("It is kept in {file}. Please send it to whoever gave you Dunefall.", file=file)),
        )
        words.setWordWrap(True)
        self.text = QPlainTextEdit(file.read_text("utf-8", errors="replace"))
        self.text.setReadOnly(True)
        self.text.setFont(mono(11))
        self.text.setAccessibleName(tr("Report"))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        copy = buttons.addButton(tr("Copy all"), QDialogButtonBox.ButtonRole.ActionRole)
        copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(self.text.toPlainText()))
        buttons.rejected.connect(self.reject)
        for part in (words, self.text, buttons):
            column.addWidget(part)
