"""Commands of the Render workspace."""

from __future__ import annotations

from dunefall.app.model.command import Command
from dunefall.app.model.context import Context

__all__ = ["COMMANDS", "render_patch", "render_take"]


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


def add(context: Context) -> None:
    """Add the job to the queue."""
    context.shell.show_workspace("render")
    context.shell.page("render").add()


COMMANDS = (
    Command("render_patch", "Render…", "Ctrl+Shift+R", "File", render_patch),
    Command("render_take", "Render the take…", "Ctrl+Alt+R", "File", render_take),
    Command("render_add", "Add to the render queue", "Ctrl+Return", "File", add),
)
