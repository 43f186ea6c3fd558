"""Commands that copy and vary: duplicate, copy, paste, randomise."""

from __future__ import annotations

from PySide6.QtWidgets import QApplication

from dunefall.app.editing.randomisedialog import RandomiseDialog
from dunefall.app.model.command import Command, needs_selection
from dunefall.app.model.context import Context
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr, tr_count
from dunefall.patch.copying import clip_text, parse_clip
from dunefall.patch.model import SHARED_ID
from dunefall.session.edits.copies import clip, paste, vary

__all__ = ["COMMANDS"]

A_LITTLE = 0.12


def duplicate(context: Context) -> None:
    """A copy of the selection, moved by the same sources; of a layer with everything in it."""
    _duplicate(context, sources=False)


def duplicate_with_sources(context: Context) -> None:
    """Duplicate the selection together with everything that moves it."""
    _duplicate(context, sources=True)


def _duplicate(context: Context, *, sources: bool) -> None:
    document, modules = context.session.document, context.selection.modules
    if not modules:
        return
    try:
        made = paste(document, clip(document, modules, sources=sources), label=tr("Duplicate"))
    except DunefallError as error:
        context.tell(str(error))
        return
    context.selection.select_all(made)


def copy(context: Context) -> None:
    """Put the selection on the clipboard, also for another patch."""
    if context.selection.modules:
        copied = clip(context.session.document, context.selection.modules)
        QApplication.clipboard().setText(clip_text(copied))
        count = sum(len(layer.modules) for layer in copied.layers)
        context.tell(
            tr_count(
                "Copied: {count} module with {links} links.",
                "Copied: {count} modules with {links} links.",
                count,
                links=len(copied.links),
            )
        )


def paste_clipboard(context: Context) -> None:
    """Put what is on the clipboard into this patch."""
    home = context.selection.layer
    try:
        copied = parse_clip(QApplication.clipboard().text())
        made = paste(context.session.document, copied, home.id if home else SHARED_ID)
    except DunefallError as error:
        context.tell(tr("This cannot be pasted: {error}.", error=error))
        return
    context.selection.select_all(made)


def _to_vary(context: Context) -> frozenset[str]:
    """The selected modules; all of a layer where its head is selected."""
    patch, chosen = context.session.patch, frozenset(context.selection.modules)
    layer = next((layer for layer in patch.layers if layer.output_id in chosen), None)
    return frozenset(module.id for module in layer.modules) if layer else chosen


def select_layer(context: Context) -> None:
    """Select everything in the layer of the selection but its output."""
    layer = context.selection.layer
    if layer is None:
        return
    modules = [module.id for module in layer.modules if module.id != layer.output_id]
    if not modules:
        context.tell(tr("{name} has no modules but its output yet.", name=layer.name))
    context.selection.select_all(modules)


def vary_a_little(context: Context) -> None:
    """Nudge all values of the selection a little."""
    if _to_vary(context):
        vary(context.session.document, _to_vary(context), A_LITTLE)


def ask_randomise(context: Context) -> None:
    """Randomise the selection: how far, which kinds of values."""
    modules, selection = _to_vary(context), context.selection
    if not modules:
        context.tell(tr("Select what to randomise: a module, several (Shift-click), or a layer's head."))
        return
    what = selection.name if len(selection.chosen) == 1 else tr("{count} modules", count=len(modules))
    dialog = RandomiseDialog(what, context.talk.parent)
    dialog.pressed.connect(lambda strength, kinds: vary(context.session.document, modules, strength, kinds))
    context.talk.show(dialog)


COMMANDS = (
    Command("duplicate", tr("Duplicate"), "Ctrl+D", "Edit", duplicate, needs_selection),
    Command("duplicate_all", tr("Duplicate with its own sources"), "Ctrl+Alt+D", "Edit", duplicate_with_sources,
            needs_selection),
    Command("select_layer", tr("Select all of the layer"), "Ctrl+A", "Edit", select_layer, needs_selection),
    Command("copy", tr("Copy"), "Ctrl+C", "Edit", copy, needs_selection),
    Command("paste", tr("Paste"), "Ctrl+V", "Edit", paste_clipboard),
    Command("randomise", tr("Randomise…"), "R", "Edit", ask_randomise),
    Command("vary_a_little", tr("Vary a little"), "Shift+R", "Edit", vary_a_little, needs_selection),
)  # fmt: skip
