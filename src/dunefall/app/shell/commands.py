"""All commands of the window, gathered from the tables beside the functions that do them."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from dunefall.app.editing import compounds, copies, layers, links, modules
from dunefall.app.listening import hearing, keeping, transport
from dunefall.app.model.command import MENUS, Command
from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Workspace
from dunefall.app.shell import files, helping, preferences
from dunefall.base.language import tr

__all__ = ["gathered"]

TABLES = (files, layers, modules, copies, links, compounds, hearing, keeping, transport, preferences, helping)


def _show(workspace: str, context: Context) -> None:
    context.shell.show_workspace(workspace)


def gathered(workspaces: Sequence[Workspace]) -> tuple[Command, ...]:
    """Every command, menu by menu: those of the tables, a command for each workspace, and the workspaces' own.

    Raises
    ------
    ValueError
        If two commands have one id or one key, or a menu does not exist.
    """
    found = [command for table in TABLES for command in table.COMMANDS]
    for workspace in workspaces:
        show = partial(_show, workspace.id)
        found.append(Command(workspace.id, tr("{name} workspace", name=workspace.name), workspace.key, "View", show))
    found += [command for workspace in workspaces for command in workspace.commands]
    for what in ([command.id for command in found], [command.key for command in found if command.key]):
        twice = {name for name in what if what.count(name) > 1}
        if twice:
            raise ValueError(f"declared twice: {', '.join(sorted(twice))}")
    return tuple(sorted(found, key=lambda command: MENUS.index(command.menu)))
