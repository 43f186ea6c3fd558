"""The window's commands for compounds."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMessageBox

from dunefall.app.seenparts import SeenParts
from dunefall.app.widgets.compounddialog import CompoundDialog
from dunefall.base.errors import DunefallError
from dunefall.catalogue.compounds import face_of
from dunefall.patch.compounds import compound_of, modules_in, parent_of
from dunefall.patch.model import Compound
from dunefall.patch.userlibrary import TinyPicture, UserLibrary, library_folder

__all__ = ["CompoundCommands"]


class CompoundCommands(SeenParts):
    """Making, opening, changing and keeping compounds."""

    library: UserLibrary

    def connect_compounds(self) -> None:
        """Let the lanes' wishes be done."""
        self.library = UserLibrary(library_folder())
        self.canvas.compound_pressed.connect(self.press_compound)

    # -- opening and closing -------------------------------------------------------------------------------------

    def toggle_compound(self) -> None:
        """Open the selected compound, or close the one in which the selection stands."""
        if self.canvas.selection:
            self.press_compound(self.canvas.selection)

    def press_compound(self, part: str) -> None:
        """Open a closed compound; close an open one, or the one in which a module stands."""
        patch = self.session.patch
        here = compound_of(patch, part) or parent_of(patch, part)
        if here is None:
            return
        if here.id in self.opened:
            chosen = self.canvas.selection
            inside = chosen in modules_in(patch, (here.id,)) or chosen in here.parts
            self.opened -= {here.id}
            self.canvas.select("" if inside else chosen)
            self._look_again()
            self.canvas.select(here.id if inside else chosen)
        else:
            self.opened |= {here.id}
            self.canvas.select("")
            self._look_again()
            self.select_seen(here.parts[0])

    # -- making and changing ------------------------------------------------------------------------------------

    def make_compound(self) -> None:
        """Make one module of those that are selected: a dialog asks for its name and what it shows."""
        try:
            compound = self.session.new_compound(self.canvas.chosen)
        except DunefallError as error:
            self.tell(f"This cannot be one compound: {error}.")
            return
        dialog = CompoundDialog(self.session.patch, compound, self, new=True)
        self.ask(dialog, lambda: self._made(dialog.value))

    def _made(self, compound: Compound) -> None:
        self.canvas.select("")
        self.session.make_compound(compound)
        self.canvas.select(compound.id)
        self.tell(f"{compound.name} is one module now. O opens it, Shift+C changes what it shows.")

    def _chosen_compound(self) -> Compound | None:
        """The selected compound, or the one in which the selection stands."""
        chosen, patch = self.canvas.selection, self.session.patch
        found = (compound_of(patch, chosen) or parent_of(patch, chosen)) if chosen else None
        if found is None:
            self.tell("Select a compound first, or a module in one. C makes one of the selected modules.")
        return found

    def edit_compound(self) -> None:
        """Change the name, controls and ports of a compound."""
        found = self._chosen_compound()
        if found is not None:
            dialog = CompoundDialog(self.session.patch, found, self)
            self.ask(dialog, lambda: self.session.change_compound(dialog.value))

    def take_apart(self) -> None:
        """Let the parts of a compound stand by themselves again."""
        found = self._chosen_compound()
        if found is not None:
            self.canvas.select("")
            self.session.take_apart(found.id)
            self.select_seen(found.parts[0])

    # -- the user's library -------------------------------------------------------------------------------------

    def keep_compound(self) -> None:
        """Save a compound to the user's library; other ones of its kind in this patch may follow."""
        found = self._chosen_compound()
        if found is None:
            return
        name = self.library.file_for(found)
        if not found.library and self.library.digest(name):
            buttons = QMessageBox.StandardButton
            text = f"Your library has a “{found.name}” already. Replace it?"
            if QMessageBox.question(self, "Save to the library", text, buttons.Yes | buttons.No) != buttons.Yes:
                return
        try:
            self.session.keep_compound(found.id, self.library, self._picture(found))
        except DunefallError as error:
            self.warn("The compound was not saved", str(error))
            return
        self.tell(f"{found.name} is in your library now, as {self.library.folder / name}: A finds it in every patch.")
        self.offer_changes()

    def take_in_compound(self) -> None:
        """Choose the file of a compound that somebody else has made, and take it into the library."""
        name, _ = QFileDialog.getOpenFileName(self, "Take a compound into your library", "", "Compounds (*.dunefall)")
        if name:
            try:
                taken = self.library.take_in(Path(name))
            except DunefallError as error:
                self.warn("This file cannot be taken in", str(error))
                return
            self.tell(f"{taken} is in your library now: A finds it in every patch.")

    def _picture(self, compound: Compound) -> TinyPicture | None:
        """What a compound has given of late."""
        face = face_of(self.session.patch, compound)
        place = face.output
        bins = self.session.engine.trace(place.module, place.port) if place else None
        if bins is None or face.spec is None:
            return None
        low, high = min(float(bins.min()), 0.0), max(float(bins.max()), 1e-6)
        return TinyPicture.drawn(face.spec.outputs[0].role, bins, low, high)

    def offer_changes(self) -> None:
        """Ask, where the library has a compound of this patch in another form by now, whether to take that."""
        changed = self.library.changed(self.session.patch)
        if not changed:
            return
        names = ", ".join(dict.fromkeys(f"“{compound.name}”" for compound in changed))
        buttons = QMessageBox.StandardButton
        choice = QMessageBox.question(
            self, "Your library has changed",
            f"{names} in this patch {'differs' if len(changed) == 1 else 'differ'} from what your library holds under "
            "the same name. Take what the library holds? Values and links stay where they fit; undo brings back what "
            "was.", buttons.Yes | buttons.No, buttons.No,
        )  # fmt: skip
        if choice != buttons.Yes:
            return
        try:
            lost = self.session.renew_compounds([compound.id for compound in changed], self.library)
        except DunefallError as error:
            self.warn("The library cannot be used", str(error))
            return
        if lost:
            self.tell(f"{lost} link{'s' if lost > 1 else ''} found no place any more. Undo brings back what was.")
