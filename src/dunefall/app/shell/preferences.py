"""Commands of the window itself: finding commands, preferences, the theme, quitting."""

from __future__ import annotations

from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.model.command import Command
from dunefall.app.model.context import Context
from dunefall.base.language import tr

__all__ = ["COMMANDS"]


def toggle_theme(context: Context) -> None:
    """The other theme, also from the next start on."""
    theme = DUSK if context.theme is NOON else NOON
    context.shell.set_theme(theme)
    context.settings.change(theme=theme.name)


def ask_preferences(context: Context) -> None:
    """Let the user choose theme, size, folder and keys."""
    context.shell.ask_preferences()


def find_command(context: Context) -> None:
    """Search every command by words, and do one."""
    context.shell.ask_command()


def earlier_notices(context: Context) -> None:
    """Look back at earlier notices."""
    context.shell.show_notices()


def quit_program(context: Context) -> None:
    """Close the window."""
    context.shell.close()


COMMANDS = (
    Command("commands", tr("Find a command…"), "Ctrl+K", "Edit", find_command),
    Command("theme", tr("Noon or Dusk"), "Ctrl+T", "View", toggle_theme),
    Command("preferences", tr("Preferences…"), "Ctrl+,", "Edit", ask_preferences),
    Command("notices", tr("Earlier notices…"), "Ctrl+Shift+N", "Help", earlier_notices),
    Command("quit", tr("Quit"), "Ctrl+Q", "File", quit_program),
)
