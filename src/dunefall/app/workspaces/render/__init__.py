"""The Render workspace: presets, settings, the queue, and the files that were made."""

from __future__ import annotations

import tempfile
from pathlib import Path

from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Page, Workspace
from dunefall.app.workspaces.render.commands import COMMANDS
from dunefall.app.workspaces.render.page import RenderPage
from dunefall.base.language import tr

__all__ = ["WORKSPACE"]


def _listens(_context: Context) -> tuple[str, ...]:
    return ()


def _scene(_context: Context, page: Page) -> None:
    assert isinstance(page, RenderPage)
    folder = Path(tempfile.gettempdir()) / "Sluice House"
    for name, settings in (
        ("Seamless loop", {"variations": 9, "seconds": 5.0, "search_s": 0.5}),
        ("Game variations", {"layer": "drip-line", "variations": 12, "ends": "cut", "fade_out_s": 0.5}),
        ("Film bed", {"seconds": 600.0}),
    ):  # fmt: skip
        page.choose_named(name)
        page.settings.set(folder=str(folder / name), existing="replace", **settings)
        page.add()
    page.show_entry(page.queue.entries[0] if page.queue.entries else None)
    page.choose_named("Game variations")


WORKSPACE = Workspace(
    "render", tr("Render"), "Ctrl+5", tr("The Render workspace"), RenderPage, COMMANDS, _listens,
    tr("There is nothing to render yet: add a layer in Build."), _scene,
    chapter="8-deliver",
)  # fmt: skip
