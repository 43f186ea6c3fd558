"""The window's commands for modules, links and layers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QInputDialog

from dunefall.app.seenparts import SeenParts
from dunefall.app.widgets.linkdialog import LinkDialog
from dunefall.app.widgets.palette import Palette
from dunefall.app.widgets.sounddialog import SoundDialog
from dunefall.app.widgets.voicesdialog import VoicesDialog
from dunefall.base.errors import DunefallError, ParameterError
from dunefall.base.units import parse_range
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Param
from dunefall.catalogue.joining import Joined, joined, with_kept_compound, with_starter
from dunefall.catalogue.search import Entry, kept_entries, starter
from dunefall.compiler.sounds import take_in
from dunefall.patch.compounds import parent_of, with_new_parts
from dunefall.patch.model import SHARED_ID, Place, SoundRef
from dunefall.patch.tuning import load_tuning
from dunefall.patch.userlibrary import UserLibrary

__all__ = ["ModuleCommands"]

HIGHEST_CONTROLLER = 127
"""Higher ones are the wheel and the pressure, which go to the keyboards."""
SOUND_FILES = "Sounds (*.wav *.flac *.ogg *.oga *.aif *.aiff *.au *.caf *.w64 *.rf64);;All files (*)"


def _most_first(kind: tuple[str, list[str]]) -> tuple[int, str]:
    return -len(kind[1]), kind[0]


class ModuleCommands(SeenParts):
    """Adding, linking, renaming, removing; undo and redo."""

    library: UserLibrary
    _learning: Place | None = None

    def link_selection(self) -> None:
        """ "Move this…" for the selected module's main parameter, or the rail that has the focus."""
        focused = next((port for port, rail in self.inspector.rails.items() if rail.hasFocus()), None)
        spec = self.spec_of_selection
        if spec is not None:
            port = focused or spec.face or (spec.inputs[0].id if spec.inputs else "")
            if port:
                self.ask_link(port)

    def ask_link(self, port: str) -> None:
        """Let the user choose what moves a port of the selected module."""
        spec, target = self.spec_of_selection, self.place_of(port)
        found = spec.target(port) if spec else None
        if found is None:
            return
        verb = "moves" if isinstance(found, Param) else "feeds"
        title = f"What {verb} {found.name.lower()} of {self.seen.module(self.canvas.selection).name}?"
        dialog = LinkDialog(self.session.patch, title, self.session.engine, self._theme, self)
        self.ask(dialog, lambda: self._link(dialog.chosen, target))

    def _link(self, source: Place | None, target: Place) -> None:
        if source is not None:
            try:
                self.session.add_link(source.inner, target)
            except DunefallError as error:
                self.tell(str(error))

    def add_module(self) -> None:
        """Add a module or a starter beside what is selected, or to Shared."""
        layer = self.layer_of_selection
        self.show_palette(layer.id if layer else SHARED_ID)

    def show_palette(self, layer: str) -> None:
        """Let the user choose what to add to a layer; it can be heard before."""
        session = self.session
        title = f"Add to {session.patch.layer(layer).name}"
        home, beside = self.layer_of_selection, None
        if home is not None and home.id in (layer, SHARED_ID):
            port = next((port for port, rail in self.inspector.rails.items() if rail.hasFocus()), "")
            beside = self.place_of(port) if port else replace(self.output_place() or self.place_of(""), port="")
        within = parent_of(session.patch, self.canvas.selection) if home and home.id == layer else None
        kept, troubles = kept_entries(self.library)

        def made(entry: Entry) -> Joined:
            here = beside or Place("", "")
            if entry.stage == "starter":
                return with_starter(session.patch, starter(entry.id))
            if entry.stage == "compound":
                new = with_kept_compound(session.patch, layer, self.library.load(entry.id), here.module, here.port)
            else:
                new = joined(session.patch, layer, entry.id, here.module, here.port)
            return new if within is None else new._replace(patch=with_new_parts(session.patch, new.patch, within.id))

        palette = Palette(
            title, self._theme, lambda entry: made(entry).told,
            lambda entry: session.try_out(made(entry).patch if entry else None), kept, self,
        )  # fmt: skip
        self.ask(palette, lambda: self._add(palette.chosen, made))
        if troubles:
            self.tell(f"In your library: {'; '.join(troubles)}.")

    def _add(self, entry: Entry | None, made: Callable[[Entry], Joined]) -> None:
        if entry is not None:
            new = made(entry)
            self.session.document.edit(f"Add {entry.name}", new.patch)
            self.select_seen(new.module)
            self.tell(new.told)

    def choose_sound(self) -> None:
        """Choose a sound file for the selected module."""
        folder = str(self.session.document.path.parent) if self.session.document.path else ""
        name, _ = QFileDialog.getOpenFileName(self, "Choose a sound", folder, SOUND_FILES)
        if name:
            self.use_sound(Path(name))

    def use_sound(self, path: Path) -> None:
        """Let the selected module play a file; a dialog says what is wrong with it."""
        module = self.canvas.selection
        dialog = SoundDialog(f"Reading {path.name}…", lambda report: take_in(path, report), self)

        def done() -> None:
            if isinstance(dialog.result_value, SoundRef):
                self.session.set_sound(module, dialog.result_value)

        self.read_sounds(dialog, done)

    def choose_tuning(self) -> None:
        """Choose a tuning file for the selected module."""
        name, _ = QFileDialog.getOpenFileName(self, "Choose a tuning", "", "Tunings (*.scl);;All files (*)")
        if name:
            self.use_tuning(Path(name))

    def use_tuning(self, path: Path) -> None:
        """Let the selected quantiser use a tuning file: one undo step; what is wrong with the file is told."""
        try:
            title, cents = load_tuning(path)
        except DunefallError as error:
            self.tell(str(error))
            return
        self.session.set_tuning(self.canvas.selection, cents)
        self.tell(f"Tuning “{title or path.stem}”: {len(cents)} notes up to {cents[-1]:.0f} ct.")

    def remove_sound(self) -> None:
        """Take the selected module's own sound file away."""
        self.session.set_sound(self.canvas.selection, None)

    def add_layer(self) -> None:
        """Add an empty layer under a name."""
        name, good = QInputDialog.getText(self, "Add layer", "Name of the new layer")
        if good and name.strip():
            self.canvas.select(self.session.add_layer(name.strip()[:60]))

    def ask_range(self, link_id: str) -> None:
        """Type from where to where a link moves its parameter, in the parameter's unit."""
        link = self.session.patch.link(link_id)
        now = self.session.link_range(link)
        spec = spec_for(self.session.patch.module(link.target.module))
        param = spec.target(link.target.port) if spec else None
        if now is None or not isinstance(param, Param):
            self.tell("An input takes the signal as it is: give this link an amount instead.")
            return
        text, good = QInputDialog.getText(
            self, "Range of the link", f"{param.name}: from … to …, as the source goes from its lowest to its highest",
            text=f"{param.format(now[0])} to {param.format(now[1])}",
        )  # fmt: skip
        if good:
            try:
                self.session.set_link_range(link, *parse_range(text, param.unit, choices=param.choices))
            except ParameterError as error:
                self.tell(str(error))

    def ask_gather(self) -> None:
        """Put all parameters of a kind, in the selected module's layer, under one new control."""
        home = self.layer_of_selection
        layer = home.id if home else SHARED_ID
        kinds = self.session.kinds_of_layer(layer)
        if not kinds:
            self.tell("There is nothing to gather in this layer yet: add modules first.")
            return
        texts = {f"{kind} ({len(modules)})": kind for kind, modules in sorted(kinds.items(), key=_most_first)}
        text, good = QInputDialog.getItem(
            self, "Gather under a control", "All parameters of this kind in the layer", list(texts), 0, False
        )
        if good:
            self.canvas.select(self.session.gather(layer, texts[text]))

    def learn_controller(self, port: str = "") -> None:
        """Let the next MIDI controller that moves move a value of the selection: its main one, if none is named."""
        spec = self.spec_of_selection
        port = port or (spec.face if spec else "")
        if not port or spec is None:
            self.tell("Select what a controller shall move: a module, or better a Named control.")
            return
        self._learning = self.place_of(port)
        name = self.seen.module(self.canvas.selection).name
        self.tell(f"Turn a MIDI controller now: it will move {spec.param(port).name.lower()} of {name}.")

    def take_controller(self, controller: int) -> bool:
        """A controller was turned; whether it was waited for."""
        place = self._learning
        if place is None or controller > HIGHEST_CONTROLLER or not self.session.patch.has(place.module):
            return False
        self._learning = None
        control = self.session.learn(place, controller)
        self.tell(f"Controller {controller} moves {self.session.patch.module(control).name} from now on.")
        return True

    def toggle_bypass(self) -> None:
        """Bypass the selected module, or use it again."""
        chosen, spec = self.canvas.selection, self.spec_of_selection
        if self.face is not None:
            self.session.toggle_compound_bypass(chosen)
        elif spec and not spec.lane_end:
            self.session.toggle_bypass(chosen)

    def toggle_pin(self) -> None:
        """Pin the selected module in Watch, or take it away."""
        place = self.output_place()
        if place is not None:
            self.session.toggle_pin(place)

    def rename(self) -> None:
        """Rename the selected module or layer, or the patch if nothing is selected."""
        chosen, patch = self.canvas.selection, self.session.patch
        now = self.seen.module(chosen).name if chosen else patch.title
        name, good = QInputDialog.getText(self, "Rename", "Name" if chosen else "Title of the patch", text=now)
        if good and self.face is not None:
            self.session.rename_compound(chosen, name)
        elif good and chosen:
            self.session.rename(chosen, name)
        elif good:
            self.session.set_title(name)

    def remove(self) -> None:
        """Remove what is selected: modules, compounds with all in them, or the layer whose head is selected."""
        layer = self.layer_of_selection
        if layer is None:
            return
        if self.canvas.selection == layer.output_id:
            self.session.remove_layer(layer.id)
        else:
            self.session.remove_modules(self.chosen_modules)

    def toggle_fold(self) -> None:
        """Fold or open the selected module's lane."""
        layer = self.layer_of_selection
        if layer is not None:
            self.session.toggle_fold(layer.id)

    def ask_voices(self) -> None:
        """Set how many voices the selected module's layer has."""
        layer = self.layer_of_selection
        if layer is not None:
            dialog = VoicesDialog(layer, self)
            self.ask(dialog, lambda: self.session.set_voices(layer.id, *dialog.values))

    def undo(self) -> None:
        """Take back the last step."""
        self.session.document.undo()

    def redo(self) -> None:
        """Do again what was taken back."""
        self.session.document.redo()
