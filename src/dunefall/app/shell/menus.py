"""The window's menus and actions, made of the commands."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QMenuBar, QWidget

from dunefall.app.model.command import MENU_TITLES, Command
from dunefall.app.model.context import Context

__all__ = ["actions", "fill_bar", "update"]


def actions(commands: Sequence[Command], context: Context, parent: QWidget) -> dict[str, QAction]:
    """An action for each command, by its id; a held key is not repeated."""
    made = {}
    for command in commands:
        action = QAction(command.text, parent)
        action.triggered.connect(partial(_run, command, context))
        action.setAutoRepeat(not command.held)
        parent.addAction(action)
        made[command.id] = action
    return made


def _run(command: Command, context: Context, _checked: bool = False) -> None:
    command.run(context)


def fill_bar(bar: QMenuBar, commands: Sequence[Command], made: dict[str, QAction], context: Context) -> None:
    """Put the commands into the menu bar, each into the menu that it names."""
    parts = dict[str, QMenu]()
    for command in commands:
        if command.menu not in parts:
            parts[command.menu] = bar.addMenu(MENU_TITLES[command.menu])
            parts[command.menu].aboutToShow.connect(partial(update, commands, made, context))
        part = parts[command.menu]
        if command.lists is None:
            part.addAction(made[command.id])
        else:
            lists = part.addMenu(command.text)
            lists.aboutToShow.connect(partial(_fill, lists, command, context))


def _fill(lists: QMenu, command: Command, context: Context) -> None:
    """The entries of a submenu, as they are now."""
    lists.clear()
    for text, tip, run in command.lists(context) if command.lists else ():
        action = lists.addAction(text)
        action.setToolTip(tip)
        action.setEnabled(run is not None)
        if run is not None:
            action.triggered.connect(lambda _=False, run=run: run())


def update(commands: Sequence[Command], made: dict[str, QAction], context: Context) -> None:
    """Show which commands can be done now, and what they would do."""
    for command in commands:
        action = made[command.id]
        action.setEnabled(command.enabled(context))
        if command.told is not None:
            action.setText(command.told(context))
