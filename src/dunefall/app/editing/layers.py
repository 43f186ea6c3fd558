"""Commands for layers and the patch as a whole: adding, folding, voices; undo and redo."""

from __future__ import annotations

from dunefall.app.editing.modules import add_layer
from dunefall.app.editing.voicesdialog import VoicesDialog
from dunefall.app.model.command import Command, needs_selection
from dunefall.app.model.context import Context
from dunefall.base.language import tr, uncapital
from dunefall.session.edits.layers import reroll, set_voices, toggle_fold

__all__ = ["COMMANDS"]


def fold(context: Context) -> None:
    """Fold or open the selected module's lane."""
    layer = context.selection.layer
    if layer is not None:
        toggle_fold(context.session.document, layer.id)


def ask_voices(context: Context) -> None:
    """Set how many voices the selected module's layer has."""
    layer = context.selection.layer
    if layer is not None and not context.session.patch.has(layer.output_id):
        context.tell(tr("{name} has no sound of its own, and so no voices.", name=layer.name))
    elif layer is not None:
        dialog = VoicesDialog(layer, context.talk.parent)
        context.talk.show(dialog, lambda: set_voices(context.session.document, layer.id, *dialog.values))


def undo(context: Context) -> None:
    """Take back the last step."""
    context.session.document.undo()


def redo(context: Context) -> None:
    """Do again what was taken back."""
    context.session.document.redo()


def another_seed(context: Context) -> None:
    """Take another seed: everything random comes out differently."""
    reroll(context.session.document)


COMMANDS = (
    Command("undo", tr("Undo"), "Ctrl+Z", "Edit", undo, lambda c: bool(c.session.document.undo_label),
            told=lambda c: tr("Undo {step}", step=uncapital(c.session.document.undo_label)).rstrip()),
    Command("redo", tr("Redo"), "Ctrl+Shift+Z", "Edit", redo, lambda c: bool(c.session.document.redo_label),
            told=lambda c: tr("Redo {step}", step=uncapital(c.session.document.redo_label)).rstrip()),
    Command("reroll", tr("Another seed"), "Ctrl+R", "Edit", another_seed),
    Command("add_layer", tr("Add layer…"), "Ctrl+Shift+L", "Add", add_layer),
    Command("voices", tr("Voices of the layer…"), "V", "Layer", ask_voices, needs_selection),
    Command("fold", tr("Fold the lane"), "Ctrl+E", "Layer", fold),
)  # fmt: skip
