"""The window's commands for what is kept between starts: preferences, recent patches, copies against a crash."""

from __future__ import annotations

import contextlib
import threading
from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QMenu, QMessageBox

from dunefall.app.actions import COMMANDS
from dunefall.app.parts import WindowParts
from dunefall.app.theme import wanted_theme
from dunefall.app.widgets.preferencesdialog import PreferencesDialog
from dunefall.base.errors import DunefallError
from dunefall.base.preferences import Preferences, preferences_file
from dunefall.patch.recovery import Recovery, recovery_folder

__all__ = ["PreferenceCommands"]

KEEP_MS = 30_000


class PreferenceCommands(WindowParts):
    """Preferences, recent patches, recovery.

    Attributes
    ----------
    preferences : Preferences
        What is preferred now.
    lasting : bool
        Whether anything is kept on disk: a window of a test or of a picture leaves no trace.
    """

    preferences: Preferences
    lasting: bool
    recent_menu: QMenu

    def connect_preferences(self) -> None:
        """Take up the user's shortcuts; keep a copy of what is not saved every half minute."""
        self.apply_shortcuts()
        self.recent_menu.aboutToShow.connect(self._fill_recent)
        self._recovery = Recovery(recovery_folder())
        self._keep_timer = QTimer(self)
        self._keep_timer.timeout.connect(self.keep_copy)
        if self.lasting:
            self._keep_timer.start(KEEP_MS)

    def prefer(self, preferences: Preferences) -> None:
        """Prefer this from now on."""
        self.preferences = preferences
        if self.lasting:
            preferences.save(preferences_file())

    def apply_shortcuts(self) -> None:
        """Give every command its key: the user's own, or the usual one."""
        for command in COMMANDS:
            key = self.preferences.shortcuts.get(command.id, command.shortcut)
            action = self.actions_by_id[command.id]
            action.setShortcut(QKeySequence(key))
            action.setToolTip(f"{command.text} ({key})" if key else command.text)

    def ask_preferences(self) -> None:
        """Let the user choose theme, size, folder and keys."""
        dialog = PreferencesDialog(self.preferences, self)
        self.ask(dialog, lambda: self._take_preferences(dialog.values))

    def _take_preferences(self, values: Preferences) -> None:
        before = self.preferences
        self.prefer(values)
        self.apply_shortcuts()
        if values.theme != before.theme:
            self.set_theme(wanted_theme(values.theme or None))
        if values.scale != before.scale:
            self.tell(f"Everything is drawn at {values.scale:.0%} from the next start on.".replace("%", " %"))

    # -- recent patches -----------------------------------------------------------------------------------------

    def note_recent(self, path: Path | None) -> None:
        """A patch was opened from a file, or saved to it."""
        if path is not None:
            self.prefer(self.preferences.with_recent(path))

    def _fill_recent(self) -> None:
        self.recent_menu.clear()
        for name in self.preferences.recent:
            path = Path(name)
            action = self.recent_menu.addAction(path.name, partial(self._open_recent, path))
            action.setToolTip(name)
        if not self.preferences.recent:
            self.recent_menu.addAction("None yet").setEnabled(False)

    def _open_recent(self, path: Path) -> None:
        if self.may_leave() and not self.open_path(path):
            others = tuple(name for name in self.preferences.recent if name != str(path))
            self.prefer(replace(self.preferences, recent=others))

    # -- against a crash ----------------------------------------------------------------------------------------

    def keep_copy(self) -> None:
        """Write a copy of the patch if it is not saved; beside the window's work."""
        document = self.session.document
        if document.modified:
            threading.Thread(target=self._write_copy, args=(document.patch, document.path), daemon=True).start()
        else:
            self._recovery.forget()

    def _write_copy(self, *what: object) -> None:
        with contextlib.suppress(DunefallError):  # a full disk: said when the user saves
            self._recovery.keep(*what)  # type: ignore[arg-type]

    def forget_copy(self) -> None:
        """The window closes as it should."""
        self._keep_timer.stop()
        if self.lasting:
            self._recovery.forget()

    def offer_recovery(self) -> bool:
        """Ask whether to go on with what an earlier window left behind; whether it was taken up."""
        for found in self._recovery.left_behind():
            buttons = QMessageBox.StandardButton
            where = f", changes to {found.path.name}" if found.path else ""
            choice = QMessageBox.question(
                self, "An unsaved patch is there",
                f"Dunefall ended unexpectedly with “{found.patch.title}” not saved{where}. Go on with it?",
                buttons.Yes | buttons.No | buttons.Discard,
            )  # fmt: skip
            if choice == buttons.Yes:
                self.take_up(found.patch, found.path)
                self.keep_copy()
                found.copy.unlink(missing_ok=True)
                return True
            if choice == buttons.Discard:
                found.copy.unlink(missing_ok=True)
        return False
