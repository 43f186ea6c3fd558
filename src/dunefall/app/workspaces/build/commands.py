"""Commands of the Build workspace: the size of the lanes, the inspector's place, Watch."""

from __future__ import annotations

from dunefall.app.model.command import Command, needs_selection
from dunefall.app.model.context import Context
from dunefall.app.workspaces.build.page import BuildPage
from dunefall.base.language import tr

__all__ = ["COMMANDS"]


def _page(context: Context) -> BuildPage:
    page: BuildPage = context.shell.page("build")
    return page


def zoom_in(context: Context) -> None:
    """Draw the lanes larger."""
    _page(context).canvas.zoom(1)


def zoom_out(context: Context) -> None:
    """Draw the lanes smaller, so that more of them are seen."""
    _page(context).canvas.zoom(-1)


def zoom_back(context: Context) -> None:
    """Draw the lanes as large as they are."""
    _page(context).canvas.zoom(0)


def toggle_inspector(context: Context) -> None:
    """Show the inspector, or give its room to the lanes."""
    _page(context).drawer.toggle()


def find_value(context: Context) -> None:
    """Look for a value of the selected module."""
    page = _page(context)
    page.drawer.need(True)
    page.inspector.find_value()


def toggle_freeze(context: Context) -> None:
    """Hold or release Watch."""
    _page(context).watch.freeze.toggle()


COMMANDS = (
    Command("find_value", tr("Find a value…"), "/", "Module", find_value, needs_selection),
    Command("inspector", tr("Show or hide the inspector"), "I", "View", toggle_inspector),
    Command("larger", tr("Zoom in"), "Ctrl++", "View", zoom_in),
    Command("smaller", tr("Zoom out"), "Ctrl+-", "View", zoom_out),
    Command("real_size", tr("Reset the zoom"), "Ctrl+0", "View", zoom_back),
    Command("freeze", tr("Freeze Watch"), "F", "View", toggle_freeze),
)
