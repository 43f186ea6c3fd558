"""The window's commands for files: patches, takes, renders."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QStandardPaths, Qt
from PySide6.QtWidgets import QFileDialog, QMessageBox

from dunefall.app.parts import WindowParts
from dunefall.app.widgets.renderdialog import RenderDialog
from dunefall.app.widgets.sounddialog import SoundDialog
from dunefall.base.errors import DunefallError
from dunefall.compiler.sounds import at_hand, take_in_all
from dunefall.patch.library import DEMO
from dunefall.patch.model import Patch
from dunefall.patch.take import Take
from dunefall.patch.takefiles import TAKE_SUFFIX, save_take
from dunefall.session import open_patch

__all__ = ["FileCommands"]


class FileCommands(WindowParts):
    """Opening, saving and rendering."""

    def _folder(self) -> str:
        path = self.session.document.path
        if path is not None:
            return str(path.parent)
        if self.preferences.folder and Path(self.preferences.folder).is_dir():
            return self.preferences.folder
        music = Path(QStandardPaths.writableLocation(QStandardPaths.StandardLocation.MusicLocation) or Path.home())
        return str(music if music.is_dir() else Path.home())

    def new_patch(self) -> None:
        """An empty patch."""
        if self.may_leave():
            self._open(Patch(), None)

    def open_demo(self) -> None:
        """The shipped demo."""
        if self.may_leave():
            self._open(*open_patch(DEMO))

    def open_file(self) -> None:
        """Choose a file and open it."""
        if self.may_leave():
            name, _ = QFileDialog.getOpenFileName(self, "Open a patch", self._folder(), "Patches (*.dunefall)")
            if name:
                self.open_path(Path(name))

    def open_path(self, path: Path) -> bool:
        """Open a file; a dialog says what is wrong with it, and the open patch stays."""
        try:
            patch, _ = open_patch(str(path))
        except DunefallError as error:
            self.warn("This file cannot be opened", str(error))
            return False
        self._open(patch, path)
        return True

    def _open(self, patch: Patch, path: Path | None) -> None:
        if at_hand(patch):
            self._show(patch, path)
            return
        dialog = SoundDialog(f"Reading the sounds of “{patch.title}”…", lambda report: take_in_all(patch, report), self)

        def done() -> None:
            self._show(patch, path)
            if isinstance(dialog.result_value, list) and dialog.result_value:
                self.warn("Some sounds are missing", "\n".join(dialog.result_value))

        self.read_sounds(dialog, done)

    def _show(self, patch: Patch, path: Path | None) -> None:
        before = self.session.patch
        self.canvas.select("")
        self.session.replace_document(patch, path)
        self.show_patch(before, patch)
        self.note_recent(path)
        self.offer_changes()

    def take_up(self, patch: Patch, path: Path | None) -> None:
        """Go on with a patch that was not saved."""
        self._show(patch, path)
        self.session.document.mark_unsaved()
        self.show_patch(patch, patch)

    def save(self) -> bool:
        """Save to the patch's file, or ask for one."""
        path = self.session.document.path
        return self.save_as() if path is None else self.save_path(path)

    def save_as(self) -> bool:
        """Choose a file and save to it."""
        path = self._ask_file("Save the patch", "Patches", ".dunefall")
        return self.save_path(path) if path else False

    def save_path(self, path: Path) -> bool:
        """Save to a file; a dialog says why it could not be, and the old file stays whole."""
        try:
            self.session.save(path)
        except DunefallError as error:
            self.warn("The patch was not saved", str(error))
            return False
        self.show_patch(self.session.patch, self.session.patch)
        self.note_recent(path)
        return True

    def render_file(self) -> None:
        """Open the render dialog for the patch."""
        self._render(self.session.patch, "60 s", ".wav")

    def render_take(self) -> None:
        """Open the render dialog for what has been played since the start."""
        seconds = max(1.0, self.session.seconds)
        self._render(self.session.engine.take, f"{seconds:.1f} s", " take.wav")

    def _path_named(self, ending: str) -> Path:
        """A file named after the patch, in the folder where one would look for it."""
        return Path(self._folder()) / f"{self.session.patch.title}{ending}".replace("/", "-")

    def _ask_file(self, title: str, kind: str, suffix: str) -> Path | None:
        """File to save to, with the suffix where none was given; None if the user thought better of it."""
        name, _ = QFileDialog.getSaveFileName(self, title, str(self._path_named(suffix)), f"{kind} (*{suffix})")
        path = Path(name)
        return (path if path.suffix else path.with_suffix(suffix)) if name else None

    def _render(self, take: Patch | Take, length: str, ending: str) -> None:
        dialog = RenderDialog(take, self._path_named(ending), self.session.options.rate, length, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def save_take(self) -> None:
        """Choose a file and save what has been played since the start, with everything that was changed by hand."""
        path = self._ask_file("Save the take", "Takes", TAKE_SUFFIX)
        if path:
            try:
                save_take(self.session.engine.take, path)
            except DunefallError as error:
                self.warn("The take was not saved", str(error))

    def may_leave(self) -> bool:
        """Whether the patch is saved, or the user does not mind."""
        if not self.session.document.modified:
            return True
        buttons = QMessageBox.StandardButton
        choice = QMessageBox.question(
            self, "Unsaved changes", f"Save the changes to “{self.session.patch.title}”?",
            buttons.Save | buttons.Discard | buttons.Cancel,
        )  # fmt: skip
        return self.save() if choice == buttons.Save else choice == buttons.Discard
