"""The Vary workspace: snapshots, blending, the board of variations, what differs, and the family."""

from __future__ import annotations

from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Page, Workspace
from dunefall.app.workspaces.vary.commands import COMMANDS
from dunefall.app.workspaces.vary.page import VaryPage
from dunefall.base.language import tr
from dunefall.patch.family import DISCARDED, KEPT
from dunefall.session.edits import family as edits
from dunefall.session.edits.modules import set_param

__all__ = ["WORKSPACE"]


def _listens(_context: Context) -> tuple[str, ...]:
    return ()


def _scene(context: Context, page: Page) -> None:
    assert isinstance(page, VaryPage)
    document = context.session.document
    edits.keep_snapshot(document, "First idea")
    set_param(document, "drip-line-low-pass", "cutoff_hz", 1400.0)
    edits.keep_snapshot(document, "Calm")
    edits.keep_snapshot(document, "Before the gate opens")
    page.desk.layers = ("drip-line", "buoy-bell")
    edits.fill_board(document, page.desk.chosen(document.patch), 0.35, page.desk.kinds, seed=417, count=12)
    for place, mark in ((2, KEPT), (6, DISCARDED), (7, KEPT)):
        edits.mark_state(document, document.patch.family.board[place], mark)
    page.listen(True)
    page.board.focus(document.patch.family.board[5])


WORKSPACE = Workspace(
    "vary", tr("Vary"), "Ctrl+3", tr("The Vary workspace"), VaryPage, COMMANDS, _listens,
    tr("There is nothing to vary yet: add a layer in Build."), _scene,
    chapter="5-vary",
)  # fmt: skip
