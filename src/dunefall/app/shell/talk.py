"""How the window asks and tells: notices, questions, files, menus."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QDialog, QFileDialog, QInputDialog, QMenu, QMessageBox, QWidget

from dunefall.app.controls.menus import show_menu
from dunefall.app.shell.notices import Notices

__all__ = ["WindowTalk"]


class WindowTalk:
    """The window's way to ask and to tell (see ``model.context.Talk``)."""

    def __init__(self, parent: QWidget, notices: Notices) -> None:
        self.parent, self._notices = parent, notices

    def tell(self, text: str, action: tuple[str, Callable[[], object]] | None = None) -> None:
        """Show a sentence for a while, with a button for what can be done about it."""
        self._notices.tell(text, action)

    def quiet(self) -> None:
        """Take all sentences away."""
        self._notices.clear()

    def warn(self, title: str, text: str) -> None:
        """Say what went wrong in a dialog."""
        box = QMessageBox(QMessageBox.Icon.Warning, title, title, QMessageBox.StandardButton.Ok, self.parent)
        box.setInformativeText(text)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()

    def ask_text(self, title: str, label: str, text: str = "") -> str | None:
        """A text that the user types."""
        typed, good = QInputDialog.getText(self.parent, title, label, text=text)
        return typed if good else None

    def ask_item(self, title: str, label: str, items: list[str]) -> str | None:
        """One of some texts."""
        chosen, good = QInputDialog.getItem(self.parent, title, label, items, 0, False)
        return chosen if good else None

    def confirm(self, title: str, text: str, answers: tuple[str, ...], usual: str = "") -> str:
        """One of the answers."""
        buttons = {answer: QMessageBox.StandardButton[answer] for answer in answers}
        offered = QMessageBox.StandardButton.NoButton
        for button in buttons.values():
            offered |= button
        default = buttons.get(usual, QMessageBox.StandardButton.NoButton)
        choice = QMessageBox.question(self.parent, title, text, offered, default)
        return next((answer for answer, button in buttons.items() if button == choice), answers[-1])

    def choose(self, title: str, text: str, answers: dict[str, str]) -> str:
        """The name of one of the answers, whose texts are on the buttons; the last one if the user closes the
        dialog."""
        box = QMessageBox(QMessageBox.Icon.Question, title, title, QMessageBox.StandardButton.NoButton, self.parent)
        box.setInformativeText(text)
        buttons = {name: box.addButton(label, QMessageBox.ButtonRole.ActionRole) for name, label in answers.items()}
        box.setEscapeButton(buttons[list(answers)[-1]])
        box.exec()
        return next((name for name, button in buttons.items() if button is box.clickedButton()), list(answers)[-1])

    def open_file(self, title: str, kinds: str, folder: str = "") -> Path | None:
        """A file to read."""
        name, _ = QFileDialog.getOpenFileName(self.parent, title, folder, kinds)
        return Path(name) if name else None

    def save_file(self, title: str, kinds: str, proposed: str) -> Path | None:
        """A file to write."""
        name, _ = QFileDialog.getSaveFileName(self.parent, title, proposed, kinds)
        return Path(name) if name else None

    def show(self, dialog: QDialog, then: Callable[[], object] | None = None) -> None:
        """Show a dialog and go on when it is accepted."""
        if then is not None:
            dialog.accepted.connect(then)
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def offer(self, menu: QMenu) -> None:
        """Open a menu at the pointer."""
        show_menu(menu, QCursor.pos())
