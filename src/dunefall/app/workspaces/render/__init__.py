"""The Render workspace: presets, settings, the queue, and the files that were made."""

from __future__ import annotations

from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Page, Workspace
from dunefall.app.workspaces.render.commands import COMMANDS
from dunefall.app.workspaces.render.page import RenderPage

__all__ = ["WORKSPACE"]


def _listens(_context: Context) -> tuple[str, ...]:
    return ()


def _scene(_context: Context, page: Page) -> None:
    assert isinstance(page, RenderPage)
    page.choose_preset(1)


WORKSPACE = Workspace(
    "render", "Render", "Ctrl+5", "The Render workspace", RenderPage, COMMANDS, _listens,
    "There is nothing to render yet: add a layer in Build.", _scene,
)  # fmt: skip
