"""The Survey workspace: what a patch will do in the next minutes, heard, judged and put right."""

from __future__ import annotations

from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Page, Workspace
from dunefall.app.workspaces.survey.commands import COMMANDS
from dunefall.app.workspaces.survey.page import SurveyPage
from dunefall.base.language import tr
from dunefall.patch.changes import ParamSet
from dunefall.patch.entryfiles import only_sound
from dunefall.patch.model import Patch
from dunefall.patch.take import Clear, Edit, Entry, Take
from dunefall.session.edits.moments import mark_moment
from dunefall.session.edits.takes import keep_take

__all__ = ["WORKSPACE"]

SCENE_S, WANTED_LUFS = 240.0, -20.0


def _listens(_context: Context) -> tuple[str, ...]:
    return ()


def _rehearsal(patch: Patch) -> Take:
    """Somebody at the bell, the fog and the echo."""
    take, rate = Take(only_sound(patch)), 48000
    moves = (
        ("buoy-bell-output", "level_db", (70.0, 71.0, 72.0, 73.5, 150.0, 151.0, 190.0), (-9, -7, -5, -4, -8, -12, -9)),
        ("fog-air-output", "level_db", (30.0, 33.0, 36.0, 128.0, 131.0, 134.0), (-13, -15, -19, -16, -13, -12)),
        ("drip-line-echo", "feedback", (101.0, 104.0, 110.0, 118.0, 163.0), (0.5, 0.6, 0.7, 0.55, 0.45)),
    )  # fmt: skip
    for module, param, times, values in moves:
        for at, value in zip(times, values, strict=True):
            take = take.with_entry(Entry(round(at * rate), Edit((ParamSet(module, param, float(value)),))))
    return take.with_entry(Entry(118 * rate, Clear(moves[-1][0])))


def _scene(context: Context, page: Page) -> None:
    assert isinstance(page, SurveyPage)
    document = context.session.document
    marked = (48.0, "First bells", 0.0), (101.0, "That swell", 118.0), (152.0, "Bell answers the fog", 0.0)
    for at, name, until in marked:
        mark_moment(document, at, name, until)
    context.session.hear_take(keep_take(document, _rehearsal(document.patch), "Rehearsal"))
    page.looking.set_seconds(SCENE_S)
    page.choose_target(WANTED_LUFS)
    page.listen(True)
    page.plot.set_range(101.0, 118.0)


WORKSPACE = Workspace(
    "survey", tr("Survey"), "Ctrl+4", tr("The Survey workspace"), SurveyPage, COMMANDS, _listens,
    tr("Nothing to survey yet. Add a layer in Build."), _scene,
    chapter="7-look-ahead",
)  # fmt: skip
