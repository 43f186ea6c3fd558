"""Commands of the Survey workspace."""

from __future__ import annotations

from dunefall.app.model.command import Command
from dunefall.app.model.context import Context
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.session.edits.moments import mark_moment

__all__ = ["COMMANDS", "mark_now"]


def mark_now(context: Context) -> None:
    """Mark what is heard now as a moment, in every workspace."""
    session = context.session
    try:
        moment = mark_moment(session.document, session.seconds)
    except ParameterError as error:
        context.tell(f"{error}.")
        return
    context.tell(tr("{name} is marked; Survey lists it.", name=moment.name))


def survey_now(context: Context) -> None:
    """Look ahead."""
    context.shell.show_workspace("survey")


def next_finding(context: Context) -> None:
    """Go to the next finding."""
    _go(context, 1)


def last_finding(context: Context) -> None:
    """Go to the finding before."""
    _go(context, -1)


def _go(context: Context, by: int) -> None:
    context.shell.show_workspace("survey")
    context.shell.page("survey").go_to_finding(by)


COMMANDS = (
    Command("mark_moment", tr("Mark this moment"), "J", "Listen", mark_now),
    Command("next_finding", tr("Next finding"), "Ctrl+J", "Listen", next_finding),
    Command("previous_finding", tr("Previous finding"), "Ctrl+Shift+J", "Listen", last_finding),
)
