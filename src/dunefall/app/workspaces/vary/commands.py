"""Commands of the Vary workspace."""

from __future__ import annotations

from dunefall.app.model.command import Command
from dunefall.app.model.context import Context
from dunefall.app.workspaces.vary.kept import keep_snapshot
from dunefall.base.language import tr

__all__ = ["COMMANDS"]


def keep_part(context: Context) -> None:
    """Keep the selected module or compound as it is now, or its layer where its end is selected."""
    selection, patch = context.selection, context.session.patch
    layer = next((layer for layer in patch.layers if layer.output_id == selection.module), None)
    part = layer.id if layer else selection.module
    if not part:
        context.tell(tr("Select what to keep: a module, a compound, or a layer's head."))
        return
    keep_snapshot(context, selection.name, part)


def more(context: Context) -> None:
    """Fill the board with new variations."""
    context.shell.show_workspace("vary")
    context.shell.page("vary").more()


def play_next(context: Context) -> None:
    """Play the next variation that was not heard."""
    context.shell.page("vary").play_next()


def compare(context: Context) -> None:
    """Hear the patch as it was kept last, or the parent of what plays; again: as it is."""
    page = context.shell.page("vary")
    page.hear_before(not page.before)


COMMANDS = (
    Command("keep_snapshot", tr("Keep a snapshot"), "K", "Edit", keep_snapshot),
    Command("keep_part", tr("Keep a snapshot of the selection"), "Shift+K", "Edit", keep_part),
    Command("more_variations", tr("12 more variations"), "Ctrl+Alt+V", "Edit", more),
    Command("compare", tr("Hear what was before (hold, or press twice)"), "Y", "Listen", compare, held=True),
    Command("next_variation", tr("Play the next variation"), "", "Listen", play_next),
)
