"""The workspaces: one folder each, with one declaration. A new one is its folder and one line here."""

from __future__ import annotations

from dunefall.app.model.workspace import Workspace
from dunefall.app.workspaces import build, mix, render, survey, vary

__all__ = ["WORKSPACES"]

WORKSPACES: tuple[Workspace, ...] = (
    build.WORKSPACE,
    mix.WORKSPACE,
    vary.WORKSPACE,
    survey.WORKSPACE,
    render.WORKSPACE,
)
