"""What a workspace is: one declaration, of which the window knows nothing but this."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple, Protocol

from PySide6.QtCore import QRect
from PySide6.QtWidgets import QWidget

from dunefall.app.controls.theme import Theme
from dunefall.app.model.command import Command
from dunefall.app.model.context import Context

__all__ = ["Hint", "Page", "Workspace"]


class Page(Protocol):
    """What the window asks of a workspace's widget (a QWidget)."""

    def show_patch(self) -> None:
        """Show ``context.selection.seen`` and the document as they are now."""

    def show_selection(self) -> None:
        """Show what is selected now."""

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""

    def listen(self, on: bool) -> None:
        """The page is shown, or hidden: what it has measured for itself begins, or rests."""

    def animate(self) -> None:
        """Show everything that is live; called for each frame while the page is shown and sound runs."""

    def follow(self) -> None:
        """Keep what would be lost otherwise; called for each frame while sound runs, shown or not."""

    def hear(self, message: object) -> None:
        """A message of the engine, whether the page is shown or not."""

    def take_focus(self) -> None:
        """Put the keys where one would begin."""


class Hint(NamedTuple):
    """A text for the first start, and the part of a widget that it points at."""

    text: str
    widget: QWidget
    part: Callable[[], QRect]


def _no_hints(_context: Context, _page: Page) -> tuple[Hint, ...]:
    return ()


@dataclass(frozen=True)
class Workspace:
    """A workspace.

    Attributes
    ----------
    id, name, key : str
        Name in the command line, on the header's button, and the shortcut.
    sentence : str
        What it is for: the button's tooltip.
    make : function of Context to a QWidget that is a ``Page``
        Makes its page.
    commands : tuple of Command
        What can be done in it alone.
    listens : function of Context to tuple of str
        Outputs (by ``trace_key``) that the engine computes for it while it is shown, even if nothing else needs them.
    empty : str
        What to do first, shown while there is no layer.
    scene : function of Context and page
        Prepares what docs/screenshots/ shows of it.
    hints : function of Context and page to tuple of Hint
        What a newcomer should know of it, in the order of doing.
    chapter : str
        The chapter of the guide that explains it, by the name of its file.
    shows_module : bool
        The selected module is shown in it.
    """

    id: str
    name: str
    key: str
    sentence: str
    make: Callable[[Context], Page]
    commands: tuple[Command, ...]
    listens: Callable[[Context], tuple[str, ...]]
    empty: str
    scene: Callable[[Context, Page], None]
    hints: Callable[[Context, Page], tuple[Hint, ...]] = _no_hints
    chapter: str = "README"
    shows_module: bool = False
