"""Commands of the help."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QApplication

from dunefall.app.model.command import Command
from dunefall.app.model.context import Context
from dunefall.app.shell.helppages import ABOUT, KEYS, NEWS, module_page
from dunefall.base.language import tr
from dunefall.catalogue import catalogue

__all__ = ["COMMANDS"]


def explain(context: Context) -> None:
    """The selected module where it is shown, with the value under the keys; else the workspace, with its part."""
    shown, module_id, names = context.shell.shown, context.selection.module, _names()
    if shown.shows_module and context.session.patch.has(module_id):
        module = context.session.patch.module(module_id)
        spec = catalogue().get(module.type)
        if spec is not None:
            context.shell.show_help(module_page(spec.stage), spec.name, names)
            return
    context.shell.show_help(shown.chapter, "", names)


def _names() -> tuple[str, ...]:
    """What has the keys, and what that is part of, by their names for screen readers."""
    found, widget = list[str](), QApplication.focusWidget()
    while widget is not None and not widget.isWindow():
        found += [name] if (name := widget.accessibleName()) else []
        widget = widget.parentWidget()
    return tuple(found)


def _show(page: str, context: Context) -> None:
    """A page of the help."""
    context.shell.show_help(page)


COMMANDS = (
    Command("explain", tr("Explain this"), "F1", "Help", explain),
    Command("guide", tr("Guide"), "Shift+F1", "Help", partial(_show, "README")),
    Command("keys", tr("Keys"), "", "Help", partial(_show, KEYS)),
    Command("news", tr("What is new"), "", "Help", partial(_show, NEWS)),
    Command("about", tr("About and licences"), "", "Help", partial(_show, ABOUT)),
)
