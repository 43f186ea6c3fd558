"""What a command is: text, key, place in the menus, and the function that does it.

Commands are declared beside the functions that do them, in tables called ``COMMANDS``; ``shell.commands`` gathers the
tables. Menus, keys, the preferences and the tests derive from what is gathered.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dunefall.app.model.context import Context
from dunefall.base.language import tr

__all__ = ["MENUS", "MENU_NAMES", "MENU_TITLES", "Command", "needs_selection"]

MENUS = ("File", "Edit", "Add", "Layer", "Module", "Listen", "Sound", "View", "Help")
"""The menus, in the order in which they are shown."""
MENU_TITLES = {
    "File": tr("&File"), "Edit": tr("&Edit"), "Add": tr("&Add"), "Layer": tr("&Layer"), "Module": tr("M&odule"),
    "Listen": tr("Lis&ten"), "Sound": tr("So&und"), "View": tr("&View"), "Help": tr("&Help"),
}  # fmt: skip
"""With the letters that open them; Alt+M and Alt+S mute and solo the layer."""
MENU_NAMES = {menu: title.replace("&", "") for menu, title in MENU_TITLES.items()}


def _always(_context: Context) -> bool:
    return True


@dataclass(frozen=True)
class Command:
    """Something that the user can do.

    Attributes
    ----------
    id : str
        Name under which the user's own key is kept in the preferences.
    text : str
        How it reads in a menu; an ellipsis where it asks for more.
    key : str
        Shortcut as Qt writes it, or "".
    menu : str
        One of ``MENUS``.
    run : function of Context
        Does it.
    enabled : function of Context to bool
        Whether it can be done now.
    told : function of Context to str, optional
        What the menu says now, where that is more than ``text``.
    held : bool
        Its key may be held down: it is not repeated, and ends when the key goes up.
    lists : function of Context to the entries of a submenu, optional
        The command is a submenu: (text, tooltip, function) for each entry.
    """

    id: str
    text: str
    key: str
    menu: str
    run: Callable[[Context], object]
    enabled: Callable[[Context], bool] = _always
    told: Callable[[Context], str] | None = None
    held: bool = False
    lists: Callable[[Context], list[tuple[str, str, Callable[[], object] | None]]] | None = None


def needs_selection(context: Context) -> bool:
    """For ``Command.enabled``: whether something is selected."""
    return bool(context.selection.module)
