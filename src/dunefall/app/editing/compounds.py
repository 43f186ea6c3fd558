"""Commands for compounds: making, opening, changing, and keeping them in the user's library."""

from __future__ import annotations

from dunefall.app.editing.compounddialog import CompoundDialog
from dunefall.app.model.command import Command, needs_selection
from dunefall.app.model.context import Context
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr, tr_count
from dunefall.catalogue.compounds import face_of
from dunefall.patch.compounds import compound_of, parent_of
from dunefall.patch.model import Compound
from dunefall.patch.userlibrary import TinyPicture
from dunefall.session.edits import compounds as edits

__all__ = ["COMMANDS", "offer_changes"]


def toggle(context: Context) -> None:
    """Open the selected compound, or close the one that contains the selection."""
    if context.selection.module:
        context.selection.press_compound(context.selection.module)


def make(context: Context) -> None:
    """Make one module of those that are selected: a dialog asks for its name and what it shows."""
    document, selection = context.session.document, context.selection
    try:
        compound = edits.new_compound(document, selection.chosen)
    except DunefallError as error:
        context.tell(tr("This cannot be one compound: {error}.", error=error))
        return
    dialog = CompoundDialog(document.patch, compound, context.talk.parent, new=True)

    def made() -> None:
        try:
            edits.make_compound(document, dialog.value)
        except DunefallError as error:  # the patch has changed while the dialog was open
            context.tell(tr("This cannot be one compound any more: {error}.", error=error))
            return
        selection.select(dialog.value.id)
        context.tell(tr("{name} is now one module. O opens it, Shift+C changes its controls.", name=dialog.value.name))

    context.talk.show(dialog, made)


def _chosen(context: Context) -> Compound | None:
    """The selected compound, or the one that contains the selection."""
    chosen, patch = context.selection.module, context.session.patch
    found = (compound_of(patch, chosen) or parent_of(patch, chosen)) if chosen else None
    if found is None:
        context.tell(tr("Select a compound first, or a module in one. C makes one of the selected modules."))
    return found


def edit(context: Context) -> None:
    """Change the name, controls and ports of a compound."""
    found, document = _chosen(context), context.session.document
    if found is not None:
        dialog = CompoundDialog(document.patch, found, context.talk.parent)

        def change() -> None:
            if compound_of(document.patch, found.id) is None:
                context.tell(tr("{name} has been removed meanwhile.", name=found.name))
            else:
                edits.change_compound(document, dialog.value)

        context.talk.show(dialog, change)


def take_apart(context: Context) -> None:
    """Take a compound apart; its modules stay."""
    found = _chosen(context)
    if found is not None:
        context.selection.select("")
        edits.take_apart(context.session.document, found.id)
        context.selection.select_shown(found.parts[0])


def keep(context: Context) -> None:
    """Save a compound to the user's library; other ones of its kind in this patch may follow."""
    found, library, document = _chosen(context), context.library, context.session.document
    if found is None:
        return
    name = library.file_for(found)
    if not found.library and library.digest(name):
        text = tr("Your library has a “{name}” already. Replace it?", name=found.name)
        if context.talk.confirm(tr("Save to the library"), text, (tr("Yes"), tr("No"))) != tr("Yes"):
            return
    try:
        edits.keep_compound(document, found.id, library, _picture(context, found))
    except DunefallError as error:
        context.talk.warn(tr("The compound was not saved"), str(error))
        return
    context.tell(tr("{name} is now in your library, as {name_2}: the palette (A) finds it in every patch.",
                    name=found.name, name_2=library.folder / name))  # fmt: skip
    offer_changes(context)


def take_in(context: Context) -> None:
    """Choose the file of a compound that somebody else has made, and take it into the library."""
    path = context.talk.open_file(tr("Import a compound"), tr("Compounds (*.dunefall)"))
    if path:
        try:
            taken = context.library.take_in(path)
        except DunefallError as error:
            context.talk.warn(tr("The compound was not imported"), str(error))
            return
        context.tell(tr("{taken} is now in your library: the palette (A) finds it in every patch.", taken=taken))


def _picture(context: Context, compound: Compound) -> TinyPicture | None:
    """What a compound has given of late."""
    face = face_of(context.session.patch, compound)
    place = face.output
    bins = context.session.engine.trace(place.module, place.port) if place else None
    if bins is None or face.spec is None:
        return None
    low, high = min(float(bins.min()), 0.0), max(float(bins.max()), 1e-6)
    return TinyPicture.drawn(face.spec.outputs[0].role, bins, low, high)


def offer_changes(context: Context) -> None:
    """Ask, where the library has a compound of this patch in another form by now, whether to take that."""
    document = context.session.document
    changed = context.library.changed(document.patch)
    if not changed:
        return
    names = ", ".join(dict.fromkeys(f"“{compound.name}”" for compound in changed))
    answer = context.talk.confirm(
        tr("Your library has a different version"),
        tr_count(
            "{names} in this patch differs from what your library holds under the same name. Take what the library "
            "holds? Values and links stay where they fit; undo brings back what was.",
            "{names} in this patch differ from what your library holds under the same name. Take what the library "
            "holds? Values and links stay where they fit; undo brings back what was.", len(changed), names=names,
        ), (tr("Yes"), tr("No")), tr("No"),
    )  # fmt: skip
    if answer != tr("Yes"):
        return
    try:
        lost = edits.renew_compounds(document, [compound.id for compound in changed], context.library)
    except DunefallError as error:
        context.talk.warn(tr("The library cannot be used"), str(error))
        return
    if lost:
        context.tell(tr_count("{count} link could not be kept. Undo restores it.",
                              "{count} links could not be kept. Undo restores them.", lost))  # fmt: skip


COMMANDS = (
    Command("compound", tr("Make a compound…"), "C", "Module", make),
    Command("open_compound", tr("Open or close the compound"), "O", "Module", toggle, needs_selection),
    Command("edit_compound", tr("Name, controls and ports…"), "Shift+C", "Module", edit),
    Command("keep_compound", tr("Save the compound to your library"), "Ctrl+Alt+C", "Module", keep),
    Command("take_in", tr("Import a compound…"), "", "File", take_in),
    Command("take_apart", tr("Ungroup the compound"), "Shift+O", "Module", take_apart),
)
