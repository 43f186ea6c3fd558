"""What the window's groups of commands know of the window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QDialog, QMainWindow, QMessageBox

from dunefall.app.build.canvas import BuildCanvas
from dunefall.app.header import Header
from dunefall.app.theme import Theme
from dunefall.app.widgets.inspector import Inspector
from dunefall.app.widgets.sounddialog import SoundDialog
from dunefall.app.widgets.watch import Watch
from dunefall.base.preferences import Preferences
from dunefall.patch.model import Patch
from dunefall.session import Session

__all__ = ["WindowParts"]


class WindowParts(QMainWindow):
    """The window's parts; ``MainWindow`` makes them."""

    session: Session
    header: Header
    canvas: BuildCanvas
    inspector: Inspector
    watch: Watch
    actions_by_id: dict[str, QAction]
    _theme: Theme
    preferences: Preferences

    def tell(self, text: str) -> None:
        """Show a sentence below the header for a while."""
        raise NotImplementedError

    def show_patch(self, before: Patch, after: Patch) -> None:
        """Show another state of the patch."""
        raise NotImplementedError

    def set_theme(self, theme: Theme) -> None:
        """Draw everything in this theme."""
        raise NotImplementedError

    def may_leave(self) -> bool:
        """Whether the patch is saved, or the user does not mind."""
        raise NotImplementedError

    def open_path(self, path: Path) -> bool:
        """Open a file; whether that was possible."""
        raise NotImplementedError

    def prefer(self, preferences: Preferences) -> None:
        """Prefer this from now on."""
        raise NotImplementedError

    def take_up(self, patch: Patch, path: Path | None) -> None:
        """Go on with a patch that was not saved."""
        raise NotImplementedError

    def offer_changes(self) -> None:
        """Ask whether compounds that the library has in another form should change."""
        raise NotImplementedError

    def note_recent(self, path: Path | None) -> None:
        """A patch was opened from a file, or saved to it."""
        raise NotImplementedError

    def show_workspace(self, name: str) -> None:
        """Show a workspace."""
        raise NotImplementedError

    def ask(self, dialog: QDialog, then: Callable[[], None]) -> None:
        """Show a dialog and go on when it is accepted; the window does not wait."""
        dialog.accepted.connect(then)
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def read_sounds(self, dialog: SoundDialog, then: Callable[[], None]) -> None:
        """Read sound files while the window goes on; ``then`` follows when they are there, a dialog if they cannot be
        read."""
        dialog.accepted.connect(then)
        dialog.rejected.connect(lambda: self.warn("This sound cannot be used", dialog.error) if dialog.error else None)
        dialog.finished.connect(dialog.deleteLater)
        dialog.begin()

    def warn(self, title: str, text: str) -> None:
        """Say what went wrong in a dialog."""
        box = QMessageBox(QMessageBox.Icon.Warning, title, title, QMessageBox.StandardButton.Ok, self)
        box.setInformativeText(text)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()
