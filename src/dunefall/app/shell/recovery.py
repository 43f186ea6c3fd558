"""Copies against a crash: what is not saved is written down now and then, and offered at the next start."""

from __future__ import annotations

import threading
from pathlib import Path

from PySide6.QtCore import QObject, QTimer

from dunefall.app.model.context import Context
from dunefall.app.shell.files import take_up
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr
from dunefall.catalogue.validate import check_patch
from dunefall.patch.model import Patch
from dunefall.patch.recovery import Recovery, recovery_folder

__all__ = ["CrashCopies"]

KEEP_MS = 2_000
"""How often it is looked whether there is something to write, or a copy that is no longer needed."""


class CrashCopies(QObject):
    """Keeps a copy of what is not saved, and none of what is; writes beside the window's work."""

    def __init__(self, context: Context, parent: QObject) -> None:
        super().__init__(parent)
        self._context, self._recovery = context, Recovery(recovery_folder())
        self._kept: tuple[Patch, Path | None] | None = None
        self._writer: threading.Thread | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(KEEP_MS)
        self._timer.timeout.connect(self.keep)
        context.session.document.saved.connect(self.keep)
        if context.settings.lasting:
            self._timer.start()

    def keep(self) -> None:
        """Write a copy of the patch if it is not saved and the copy is another; a copy of what is saved goes."""
        if not self._context.settings.lasting or (self._writer is not None and self._writer.is_alive()):
            return  # soon again
        document = self._context.session.document
        now = (document.patch, document.path) if document.modified else None
        if now == self._kept:
            return
        self._kept = now
        if now is None:
            self._recovery.forget()
        else:
            self._writer = threading.Thread(target=self._write, args=now, daemon=True)
            self._writer.start()

    def _write(self, patch: Patch, path: Path | None) -> None:
        try:
            self._recovery.keep(patch, path)
        except DunefallError:  # a full disk: said when the user saves; tried again soon
            self._kept = None

    def _keep_now(self) -> None:
        self._wait()
        self.keep()
        self._wait()

    def _wait(self) -> None:
        if self._writer is not None:
            self._writer.join()

    def forget(self) -> None:
        """The window closes as it should."""
        self._timer.stop()
        self._wait()
        if self._context.settings.lasting:
            self._recovery.forget()

    def offer(self) -> bool:
        """Ask whether to go on with what an earlier window left behind; whether it was taken up."""
        for found in self._recovery.left_behind():
            try:
                check_patch(found.patch)
            except DunefallError as error:
                self._context.tell(tr("What was not saved cannot be opened: {error}. It stays in {copy}.",
                                      error=error, copy=found.copy))  # fmt: skip
                continue
            where = tr("It was opened from {path}.", path=found.path) if found.path else tr("It had no file yet.")
            text = tr("Dunefall ended unexpectedly while “{title}” was not saved. {where} Opening it changes no "
                      "file; you can save it afterwards. If you leave it, you are asked again at the next start.",
                      title=found.patch.title, where=where)  # fmt: skip
            answers = {
                "open": tr("Open the unsaved patch"),
                "discard": tr("Delete it for good"),
                "later": tr("Leave it for later"),
            }
            choice = self._context.talk.choose(tr("There is unsaved work"), text, answers)
            if choice == "open":
                take_up(self._context, found.patch, found.path)
                self._keep_now()
                if self._kept is not None:  # the old copy goes when there is a new one
                    found.copy.unlink(missing_ok=True)
                return True
            if choice == "discard":
                found.copy.unlink(missing_ok=True)
        return False
