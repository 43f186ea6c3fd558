"""The Build workspace: lanes of cards, the inspector and Watch."""

from __future__ import annotations

from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Page, Workspace
from dunefall.app.workspaces.build.commands import COMMANDS
from dunefall.app.workspaces.build.hints import first_hints
from dunefall.app.workspaces.build.page import BuildPage
from dunefall.base.language import tr

__all__ = ["WORKSPACE"]


def _listens(context: Context) -> tuple[str, ...]:
    return context.selection.inside


def _scene(context: Context, _page: Page) -> None:
    context.selection.select("drip-line-low-pass")


WORKSPACE = Workspace(
    "build", tr("Build"), "Ctrl+1", tr("The Build workspace"), BuildPage, COMMANDS, _listens,
    tr("There is no layer yet. Press A, type what you want to hear and press Enter, or open the demo from the menu "
       "File."),
    _scene, first_hints,
    chapter="1-first-sound", shows_module=True,
)  # fmt: skip
