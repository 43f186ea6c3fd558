"""Commands for files: patches, takes, renders, and the patches that were open of late."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QStandardPaths

from dunefall.app.editing.compounds import offer_changes
from dunefall.app.editing.sounddialog import SoundDialog, read_sounds
from dunefall.app.model.command import Command
from dunefall.app.model.context import Context
from dunefall.base.desktoprecent import desktop_list, note_in_desktop
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr
from dunefall.compiler.sounds import import_sounds, sounds_ready
from dunefall.patch.files import save_patch
from dunefall.patch.library import DEMO
from dunefall.patch.model import Patch
from dunefall.patch.takefiles import TAKE_SUFFIX, save_take
from dunefall.session import open_patch

__all__ = [
    "COMMANDS",
    "may_leave",
    "note_recent",
    "open_document",
    "open_path",
    "save_copy",
    "save_path",
    "show_document",
    "take_up",
]

PATCHES = tr("Patches (*.dunefall)")
PATCH_MIME = "application/x-dunefall-patch"


def _folder(context: Context) -> str:
    """Where files are looked for first."""
    path, preferred = context.session.document.path, context.settings.values.folder
    if path is not None:
        return str(path.parent)
    if preferred and Path(preferred).is_dir():
        return preferred
    music = Path(QStandardPaths.writableLocation(QStandardPaths.StandardLocation.MusicLocation) or Path.home())
    return str(music if music.is_dir() else Path.home())


# -- opening ----------------------------------------------------------------------------------------------------------


def new_patch(context: Context) -> None:
    """An empty patch."""
    if may_leave(context):
        show_document(context, Patch(), None)


def open_demo(context: Context) -> None:
    """The shipped demo."""
    if may_leave(context):
        open_document(context, *open_patch(DEMO))


def open_file(context: Context) -> None:
    """Choose a file and open it."""
    if may_leave(context):
        path = context.talk.open_file(tr("Open a patch"), PATCHES, _folder(context))
        if path:
            open_path(context, path)


def open_path(context: Context, path: Path) -> bool:
    """Open a file; a dialog says what is wrong with it, and the open patch stays."""
    try:
        patch, _ = open_patch(str(path))
    except DunefallError as error:
        context.talk.warn(tr("This file cannot be opened"), str(error))
        return False
    open_document(context, patch, path)
    return True


def open_document(context: Context, patch: Patch, path: Path | None) -> None:
    """Switch to another document once its sounds are loaded."""
    if sounds_ready(patch):
        show_document(context, patch, path)
        return
    text = tr("Reading the sounds of “{title}”…", title=patch.title)
    dialog = SoundDialog(text, lambda report: import_sounds(patch, report), context.talk.parent)

    def done() -> None:
        show_document(context, patch, path)
        if isinstance(dialog.result_value, list) and dialog.result_value:
            context.talk.warn(tr("Some sounds are missing"), "\n".join(dialog.result_value))

    read_sounds(context, dialog, done)


def show_document(context: Context, patch: Patch, path: Path | None) -> None:
    """Go on with another document."""
    context.selection.select("")
    context.session.replace_document(patch, path)
    context.selection.look_again()
    note_recent(context, path)
    offer_changes(context)


def take_up(context: Context, patch: Patch, path: Path | None) -> None:
    """Go on with a patch that was not saved."""
    show_document(context, patch, path)
    context.session.document.mark_unsaved()
    context.selection.look_again()


def may_leave(context: Context) -> bool:
    """Whether the patch is saved, or the user does not mind."""
    document = context.session.document
    if not document.modified:
        return True
    text = tr("Save the changes to “{title}”?", title=document.patch.title)
    choice = context.talk.confirm(tr("Unsaved changes"), text, (tr("Save"), tr("Discard"), tr("Cancel")))
    return save(context) if choice == tr("Save") else choice == tr("Discard")


# -- patches that were open of late --------------------------------------------------------------------------------


def note_recent(context: Context, path: Path | None) -> None:
    """A patch was opened from a file, or saved to it."""
    _claim(context, path)
    if path is not None:
        context.settings.take(context.settings.values.with_recent(path))
        if context.settings.lasting:
            note_in_desktop(path, PATCH_MIME, desktop_list())


def _claim(context: Context, path: Path | None) -> None:
    """Say that this file is open here; tell if it is open in another program as well."""
    if context.settings.lasting and not context.claim.take(path) and path is not None:
        context.talk.tell(
            tr(
                "“{name}” is open in another Dunefall as well: what is saved last would replace the other.",
                name=path.name,
            ),
            (tr("Go on with a copy"), partial(_go_on_with_copy, context, path)),
        )


def _go_on_with_copy(context: Context, path: Path) -> None:
    document = context.session.document
    if document.path == path:
        document.path = None
        document.mark_unsaved()
        context.selection.look_again()
        context.tell(tr("This is a copy of “{name}” now: saving asks for its name.", name=path.name))


def recent(context: Context) -> list[tuple[str, str, Callable[[], object] | None]]:
    """What the menu of recent patches lists."""
    found = [(Path(name).name, name, partial(_open_recent, context, name)) for name in context.settings.values.recent]
    return [*found] or [(tr("None yet"), "", None)]


def _open_recent(context: Context, name: str) -> None:
    if may_leave(context) and not open_path(context, Path(name)):
        values = context.settings.values
        context.settings.take(replace(values, recent=tuple(other for other in values.recent if other != name)))


# -- saving ---------------------------------------------------------------------------------------------------------


def save(context: Context) -> bool:
    """Save to the patch's file, or ask for one."""
    path = context.session.document.path
    if context.session.changed_elsewhere:
        text = tr("Another program has written to {path} since you opened it. Replacing it loses what is in it now.",
                  path=path)  # fmt: skip
        answers = {"as": tr("Save under another name…"), "replace": tr("Replace it"), "cancel": tr("Do not save")}
        choice = context.talk.choose(tr("The file has changed"), text, answers)
        if choice != "replace":
            return choice == "as" and save_as(context)
    return save_as(context) if path is None else save_path(context, path)


def save_as(context: Context) -> bool:
    """Choose a file and save to it."""
    path = _ask_file(context, tr("Save the patch"), tr("Patches"), ".dunefall")
    return save_path(context, path) if path else False


def save_copy(context: Context) -> None:
    """Choose a file and write the patch to it; the open document stays with its own."""
    path = _ask_file(context, tr("Save a copy of the patch"), tr("Patches"), ".dunefall")
    if path:
        try:
            save_patch(context.session.patch, path)
        except DunefallError as error:
            context.talk.warn(tr("The copy was not saved"), str(error))
        else:
            context.tell(tr("A copy is in {path}.", path=path))


def save_path(context: Context, path: Path) -> bool:
    """Save to a file; a dialog says why it could not be, and the old file stays whole."""
    try:
        context.session.save(path)
    except DunefallError as error:
        context.talk.warn(tr("The patch was not saved"), str(error))
        return False
    context.selection.look_again()
    note_recent(context, path)
    return True


def _path_named(context: Context, ending: str) -> Path:
    """A file named after the patch, in the folder where one would look for it."""
    return Path(_folder(context)) / f"{context.session.patch.title}{ending}".replace("/", "-")


def _ask_file(context: Context, title: str, kind: str, suffix: str) -> Path | None:
    """File to save to, with the suffix where none was given; None if the user thought better of it."""
    path = context.talk.save_file(title, f"{kind} (*{suffix})", str(_path_named(context, suffix)))
    if path is None or path.suffix:
        return path
    whole = path.with_name(path.name + suffix)  # the dialog has asked about the name without it
    text = tr("{name} already exists in {parent}. Replace it?", name=whole.name, parent=whole.parent)
    if whole.exists():
        answers = (tr("Yes"), tr("No"))
        if context.talk.confirm(tr("Replace the file"), text, answers, answers[1]) != answers[0]:
            return None
    return whole


def save_played(context: Context) -> None:
    """Choose a file and save what has been played since the start, with everything that was changed by hand."""
    path = _ask_file(context, tr("Save the take"), tr("Takes"), TAKE_SUFFIX)
    if path:
        try:
            save_take(context.session.engine.take, path)
        except DunefallError as error:
            context.talk.warn(tr("The take was not saved"), str(error))


COMMANDS = (
    Command("new", tr("New patch"), "Ctrl+N", "File", new_patch),
    Command("open", tr("Open…"), "Ctrl+O", "File", open_file),
    Command("recent", tr("Open recent"), "", "File", lambda context: None, lists=recent),
    Command("demo", tr("Open the demo"), "", "File", open_demo),
    Command("save", tr("Save"), "Ctrl+S", "File", save),
    Command("save_as", tr("Save as…"), "Ctrl+Shift+S", "File", save_as),
    Command("save_copy", tr("Save a copy…"), "", "File", save_copy),
    Command("save_take", tr("Save the take…"), "Ctrl+Alt+S", "File", save_played),
)
