"""What commands act on: the session, the selection, and a way to ask and to tell. No command knows the window."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, Protocol

from PySide6.QtWidgets import QDialog, QMenu, QWidget

from dunefall.app.controls.theme import Theme
from dunefall.app.model.selection import Selection
from dunefall.base.events import Event
from dunefall.base.folders import data_folder
from dunefall.base.language import tr
from dunefall.base.preferences import Preferences, preferences_file
from dunefall.patch.claims import Claim
from dunefall.patch.model import Link
from dunefall.patch.userlibrary import UserLibrary
from dunefall.session import Session

__all__ = ["Context", "Settings", "Shell", "Talk"]


class Talk(Protocol):
    """How commands ask and tell. The window's own is ``shell.talk``; a test's answers by itself."""

    @property
    def parent(self) -> QWidget | None:
        """What dialogs and menus belong to."""

    def tell(self, text: str, action: tuple[str, Callable[[], object]] | None = None) -> None:
        """Say what happened, for a while, with a button for what can be done about it."""

    def quiet(self) -> None:
        """The last notice no longer applies."""

    def warn(self, title: str, text: str) -> None:
        """Say what went wrong in a dialog."""

    def ask_text(self, title: str, label: str, text: str = "") -> str | None:
        """A text that the user types; None if the user thought better of it."""

    def ask_item(self, title: str, label: str, items: list[str]) -> str | None:
        """One of some texts; None if the user thought better of it."""

    def confirm(self, title: str, text: str, answers: tuple[str, ...], usual: str = "") -> str:
        """One of the answers, which are names of Qt's standard buttons ("Yes", "No", "Save", "Discard", "Cancel")."""

    def choose(self, title: str, text: str, answers: dict[str, str]) -> str:
        """The name of one of the answers, whose texts are on the buttons; the last one is the harmless one."""

    def open_file(self, title: str, kinds: str, folder: str = "") -> Path | None:
        """A file to read; None if the user thought better of it."""

    def save_file(self, title: str, kinds: str, proposed: str) -> Path | None:
        """A file to write; None if the user thought better of it."""

    def show(self, dialog: QDialog, then: Callable[[], object] | None = None) -> None:
        """Show a dialog, and go on when it is accepted; nothing waits for it."""

    def offer(self, menu: QMenu) -> None:
        """Open a menu at the pointer."""


class Shell(Protocol):
    """What commands may ask the window to do."""

    def key_of(self, command: str) -> str:
        """The key of a command by its id, as text."""

    def show_workspace(self, name: str) -> None:
        """Show another workspace, by its id."""

    def page(self, name: str) -> Any:
        """The page of a workspace, by its id."""

    def set_theme(self, theme: Theme) -> None:
        """Draw everything in this theme."""

    def ask_preferences(self) -> None:
        """Let the user choose theme, size, folder and keys."""

    def show_notices(self) -> None:
        """Show earlier notices."""

    @property
    def shown(self) -> Any:
        """The workspace that is shown (a ``Workspace``)."""

    def show_help(self, page: str, heading: str = "", words: Sequence[str] = ()) -> None:
        """Show a page of the help, from a heading on, at the first of some words that stands there."""

    def ask_command(self) -> None:
        """Let the user search every command, and do one."""

    def close(self) -> object:
        """End, if nothing unsaved would be lost."""


class Settings:
    """The user's preferences of now.

    Attributes
    ----------
    lasting : bool
        Whether they are kept on disk: a window of a test or of a picture leaves no trace.
    """

    def __init__(self, values: Preferences | None = None) -> None:
        self.values, self.lasting = values or Preferences(), values is not None

    def take(self, values: Preferences) -> None:
        """Prefer this from now on."""
        self.values = values
        if self.lasting:
            values.save(preferences_file())

    def change(self, **values: object) -> None:
        """Prefer other values of these names from now on."""
        change: Callable[..., Preferences] = replace
        self.take(change(self.values, **values))


class Context:
    """What commands act on.

    Attributes
    ----------
    claim : Claim
        The file that is open here, for other programs to know.
    movement : tuple of Link
        What moved the value whose movement was copied last.
    closing : Event
        The window closes; what goes on by itself ends.
    held_key_up : Event
        The key of a command that may be held went up.
    """

    def __init__(
        self, session: Session, talk: Talk, shell: Shell, theme: Theme, settings: Settings, library: UserLibrary
    ) -> None:
        self.session, self.talk, self.shell, self.theme = session, talk, shell, theme
        self.settings, self.library = settings, library
        self.selection = Selection(session.document)
        self.claim = Claim(data_folder() / "open")
        self.movement: tuple[Link, ...] = ()
        self.closing: Event[[]] = Event()
        self.held_key_up: Event[[]] = Event()

    def tell(self, text: str) -> None:
        """Say what happened, for a while."""
        self.talk.tell(text)

    def tell_undoable(self, done: str) -> None:
        """Say what was done ("Gusts was removed."), with a way to take it back."""
        self.talk.tell(done, (tr("Undo"), self.session.document.undo))

    def key_of(self, command: str) -> str:
        """The key of a command by its id, as text."""
        return self.shell.key_of(command)
