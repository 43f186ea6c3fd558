"""The Vary workspace: snapshots, blending, the board of variations, what differs, and the family."""

from __future__ import annotations

from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Page, Workspace
from dunefall.app.workspaces.vary.commands import COMMANDS
from dunefall.app.workspaces.vary.page import VaryPage

__all__ = ["WORKSPACE"]


def _listens(_context: Context) -> tuple[str, ...]:
    return ()


def _scene(_context: Context, page: Page) -> None:
    assert isinstance(page, VaryPage)


WORKSPACE = Workspace(
    "vary", "Vary", "Ctrl+3", "The Vary workspace", VaryPage, COMMANDS, _listens,
    "There is nothing to vary yet: add a layer in Build.", _scene,
)  # fmt: skip
