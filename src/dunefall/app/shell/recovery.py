"""Copies against a crash: what is not saved is written down now and then, and offered at the next start."""

from __future__ import annotations

import contextlib
import threading
from pathlib import Path

from PySide6.QtCore import QObject, QTimer

from dunefall.app.model.context import Context
from dunefall.app.shell.files import take_up
from dunefall.base.errors import DunefallError
from dunefall.catalogue.validate import check_patch
from dunefall.patch.model import Patch
from dunefall.patch.recovery import Recovery, recovery_folder

__all__ = ["CrashCopies"]

KEEP_MS = 2_000
"""After an edit it takes at most so long until the copy is written: what a crash takes away."""


class CrashCopies(QObject):
    """Keeps a copy of what is not saved; beside the window's work."""

    def __init__(self, context: Context, parent: QObject) -> None:
        super().__init__(parent)
        self._context, self._recovery = context, Recovery(recovery_folder())
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.keep)
        self._writer: threading.Thread | None = None
        context.session.document.changed.connect(lambda *_: self._edited())

    def _edited(self) -> None:
        if self._context.settings.lasting and not self._timer.isActive():
            self._timer.start(KEEP_MS)

    def keep(self) -> None:
        """Write a copy of the patch if it is not saved."""
        document = self._context.session.document
        if self._writer is not None and self._writer.is_alive():
            self._timer.start(KEEP_MS)
        elif document.modified:
            self._writer = threading.Thread(target=self._write, args=(document.patch, document.path), daemon=True)
            self._writer.start()
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
            try:
                check_patch(found.patch)
            except DunefallError as error:
                self._context.tell(f"What was not saved cannot be opened: {error}. It stays in {found.copy}.")
                continue
            where = f"It was opened from {found.path}." if found.path else "It had no file yet."
            text = (
                f"Dunefall ended unexpectedly while “{found.patch.title}” was not saved. {where} Opening it changes no "
                "file; you can save it afterwards. If you leave it, you are asked again at the next start."
            )
            answers = {"open": "Open the unsaved patch", "discard": "Delete it for good", "later": "Leave it for later"}
            choice = self._context.talk.choose("There is unsaved work", text, answers)
            if choice == "open":
                take_up(self._context, found.patch, found.path)
                self.keep()
                found.copy.unlink(missing_ok=True)
                return True
            if choice == "discard":
                found.copy.unlink(missing_ok=True)
        return False
