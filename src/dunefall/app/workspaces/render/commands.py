"""Commands of the Render workspace."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from dunefall.app.model.command import Command
from dunefall.app.model.context import Context
from dunefall.base.language import tr

__all__ = ["COMMANDS", "offer_range", "offer_set", "render_patch", "render_take"]


def _offer(context: Context, name: str) -> None:
    """Show Render with one of its presets."""
    context.shell.show_workspace("render")
    page = context.shell.page("render")
    page.choose_named(name)
    page.settings.setFocus()


def render_patch(context: Context) -> None:
    """Render the patch: presets and settings."""
    context.shell.show_workspace("render")


def render_take(context: Context) -> None:
    """Render what was played."""
    _offer(context, "Take")


def offer_set(context: Context, recipe: Mapping[str, Any], numbers: Sequence[int]) -> None:
    """Show Render with settings for a set of variations whose values are spread.

    Parameters
    ----------
    context : Context
        The window's.
    recipe : mapping
        See ``patch.family.Family``.
    numbers : sequence of int
        Of the variations.
    """
    _offer(context, "Game variations")
    context.shell.page("render").settings.set(
        what="mix", seeds=tuple(numbers), spread=float(recipe["strength"]), spread_kinds=tuple(recipe["kinds"]),
        spread_modules=tuple(recipe["modules"]), name="{title}_{n:02}",
    )  # fmt: skip
    context.tell(
        tr("A job of {count} variations: choose length and format, then add it to the queue.", count=len(numbers))
    )


def offer_range(context: Context, first_s: float, last_s: float, *, loop: bool) -> None:
    """Show Render with settings for a range of the take.

    Parameters
    ----------
    context : Context
        The window's.
    first_s, last_s : float
        From and to where, in seconds.
    loop : bool
        As a seamless loop.
    """
    _offer(context, "Seamless loop" if loop else "Take")
    context.shell.page("render").settings.set(
        of="range", what="mix", start_s=round(first_s, 3), seconds=round(last_s - first_s, 3), bars=0.0
    )


def add(context: Context) -> None:
    """Add the job to the queue."""
    context.shell.show_workspace("render")
    context.shell.page("render").add()


COMMANDS = (
    Command("render_patch", tr("Render…"), "Ctrl+Shift+R", "File", render_patch),
    Command("render_take", tr("Render the take…"), "Ctrl+Alt+R", "File", render_take),
    Command("render_add", tr("Add to the render queue"), "Ctrl+Return", "File", add),
)
