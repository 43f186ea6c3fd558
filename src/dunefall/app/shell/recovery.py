"""Copies against a crash: what is not saved is written down now and then, and offered at the next start."""

from __future__ import annotations

import contextlib
import threading
from pathlib import Path

from PySide6.QtCore import QObject, QTimer

from dunefall.app.model.context import Context
from dunefall.app.shell.files import take_up
from dunefall.base.errors import DunefallError
from dunefall.patch.model import Patch
from dunefall.patch.recovery import Recovery, recovery_folder

__all__ = ["CrashCopies"]

KEEP_MS = 30_000


class CrashCopies(QObject):
    """Keeps a copy of what is not saved; beside the window's work."""

    def __init__(self, context: Context, parent: QObject) -> None:
        super().__init__(parent)
        self._context, self._recovery = context, Recovery(recovery_folder())
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.keep)
        if context.settings.lasting:
            self._timer.start(KEEP_MS)

    def keep(self) -> None:
        """Write a copy of the patch if it is not saved."""
        document = self._context.session.document
        if document.modified:
            threading.Thread(target=self._write, args=(document.patch, document.path), daemon=True).start()
        else:
            self._recovery.forget()

    def _write(self, patch: Patch, path: Path | None) -> None:
        with contextlib.suppress(DunefallError):  # a full disk: said when the user saves
            self._recovery.keep(patch, path)

    def forget(self) -> None:
        """The window closes as it should."""
        self._timer.stop()
        if self._context.settings.lasting:
            self._recovery.forget()

    def offer(self) -> bool:
        """Ask whether to go on with what an earlier window left behind; whether it was taken up."""
        for found in self._recovery.left_behind():
            where = f", changes to {found.path.name}" if found.path else ""
            text = f"Dunefall ended unexpectedly with “{found.patch.title}” not saved{where}. Go on with it?"
            choice = self._context.talk.confirm("An unsaved patch is there", text, ("Yes", "No", "Discard"))
            if choice == "Yes":
                take_up(self._context, found.patch, found.path)
                self.keep()
                found.copy.unlink(missing_ok=True)
                return True
            if choice == "Discard":
                found.copy.unlink(missing_ok=True)
        return False
