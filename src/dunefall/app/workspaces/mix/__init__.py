"""The Mix workspace: layers in rows, the field, masking and the master."""

from __future__ import annotations

from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Page, Workspace
from dunefall.app.workspaces.mix.commands import COMMANDS
from dunefall.app.workspaces.mix.page import MixPage
from dunefall.base.language import tr
from dunefall.engine.shared import trace_key
from dunefall.patch.mixing import mixed_layers

__all__ = ["WORKSPACE"]

MEASURED = ("peak", "loudness", "ducking")
"""What each layer's output measures for its row."""


def _listens(context: Context) -> tuple[str, ...]:
    layers = mixed_layers(context.session.patch)
    return tuple(trace_key(layer.output_id, port) for layer in layers for port in MEASURED)


def _scene(context: Context, _page: Page) -> None:
    context.selection.select("buoy-bell-output")


WORKSPACE = Workspace(
    "mix", tr("Mix"), "Ctrl+2", tr("The Mix workspace"), MixPage, COMMANDS, _listens,
    tr("There is nothing to mix yet: add a layer in Build."), _scene,
    chapter="6-place-and-mix",
)  # fmt: skip
