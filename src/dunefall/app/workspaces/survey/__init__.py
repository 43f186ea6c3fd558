"""The Survey workspace: what a patch will do in the next minutes, heard, judged and put right."""

from __future__ import annotations

from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Page, Workspace
from dunefall.app.workspaces.survey.commands import COMMANDS
from dunefall.app.workspaces.survey.page import SurveyPage
from dunefall.session.edits.moments import mark_moment

__all__ = ["WORKSPACE"]

SCENE_S, WANTED_LUFS = 240.0, -20.0


def _listens(_context: Context) -> tuple[str, ...]:
    return ()


def _scene(context: Context, page: Page) -> None:
    assert isinstance(page, SurveyPage)
    document = context.session.document
    marked = (48.0, "First bells", 0.0), (101.0, "That swell", 118.0), (152.0, "Bell answers the fog", 0.0)
    for at, name, until in marked:
        mark_moment(document, at, name, until)
    page.looking.seconds = SCENE_S
    page.choose_target(WANTED_LUFS)
    page.listen(True)
    page.plot.set_range(101.0, 118.0)


WORKSPACE = Workspace(
    "survey", "Survey", "Ctrl+4", "The Survey workspace", SurveyPage, COMMANDS, _listens,
    "Nothing to survey yet. Add a layer in Build.", _scene,
)  # fmt: skip
