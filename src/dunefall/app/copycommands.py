"""The window's commands for copying, varying and concentrating on one thing."""

from __future__ import annotations

import time
from dataclasses import replace
from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QApplication, QMenu, QWidget

from dunefall.app.seenparts import SeenParts
from dunefall.app.widgets.linkdialog import LinkDialog
from dunefall.app.widgets.menus import show_menu
from dunefall.app.widgets.rail import Rail
from dunefall.app.widgets.randomisedialog import RandomiseDialog
from dunefall.base.errors import DunefallError
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Param
from dunefall.catalogue.story import port_name
from dunefall.patch.copying import clip_text, parse_clip
from dunefall.patch.model import MASTER_ID, SHARED_ID, Link, Patch, Place

__all__ = ["CopyCommands"]

A_LITTLE = 0.12
HELD_S = 0.4
"""A key that stays down for longer is held: what it does ends when it goes up."""


class CopyCommands(SeenParts):
    """Duplicate, copy, paste, randomise; mute, solo, hear from here, hear without; links drawn with the mouse."""

    _movement: tuple[Link, ...] = ()
    _heard_from, _heard_since = "", 0.0

    def connect_copying(self) -> None:
        """Let the lanes' wishes be done."""
        self.canvas.button_pressed.connect(self._turn_button)
        self.canvas.link_drawn.connect(self.take_drawn_link)
        self.session.document.changed.connect(lambda *_: self._end_hearing())

    def _end_hearing(self) -> None:
        """Any edit sounds as it is, with everything."""
        self._heard_from = ""

    # -- copying ------------------------------------------------------------------------------------------------

    def duplicate(self) -> None:
        """A copy of the selection, moved by the same sources; of a layer with everything in it."""
        self._duplicate(sources=False)

    def duplicate_with_sources(self) -> None:
        """A copy of the selection with copies of all that moves it."""
        self._duplicate(sources=True)

    def _duplicate(self, *, sources: bool) -> None:
        if not self.chosen_modules:
            return
        try:
            made = self.session.paste(self.session.clip(self.chosen_modules, sources=sources), label="Duplicate")
        except DunefallError as error:
            self.tell(str(error))
            return
        self._select_all(made)

    def copy(self) -> None:
        """Put the selection on the clipboard, also for another patch."""
        if self.chosen_modules:
            clip = self.session.clip(self.chosen_modules)
            QApplication.clipboard().setText(clip_text(clip))
            count = sum(len(layer.modules) for layer in clip.layers)
            self.tell(f"Copied: {count} module{'s' if count != 1 else ''} with {len(clip.links)} links.")

    def paste(self) -> None:
        """Put what is on the clipboard into this patch."""
        home = self.layer_of_selection
        layer = home.id if home else SHARED_ID
        try:
            made = self.session.paste(parse_clip(QApplication.clipboard().text()), layer)
        except DunefallError as error:
            self.tell(f"This cannot be pasted: {error}.")
            return
        self._select_all(made)

    def _select_all(self, made: tuple[str, ...]) -> None:
        ends = [layer.output_id for layer in self.session.patch.layers if layer.output_id in made]
        shown = [part for part in made if self.seen.has(part)]
        self.canvas.select(ends[0] if ends else shown[0])
        for module in () if ends else shown[1:]:
            self.canvas.mark(module)

    def copy_movement(self, port: str) -> None:
        """Keep what moves a parameter, to move another one so."""
        place = self.place_of(port)
        self._movement = self.session.patch.links_into(place.module, place.port)
        names = ", ".join(self.session.patch.module(link.source.module).name for link in self._movement)
        self.tell(f"Movement copied: {names}." if names else "Nothing moves this: there is no movement to copy.")

    def paste_movement(self, port: str) -> None:
        """Let a parameter be moved as the one whose movement was copied."""
        if not self._movement:
            self.tell("Copy a movement first: the menu of a parameter that something moves has it.")
            return
        self.session.paste_movement(self._movement, self.place_of(port))

    # -- chance -------------------------------------------------------------------------------------------------

    def _to_vary(self) -> frozenset[str]:
        """The selected modules; all of a layer where its head is selected."""
        patch, chosen = self.session.patch, frozenset(self.chosen_modules)
        layer = next((layer for layer in patch.layers if layer.output_id in chosen), None)
        return frozenset(module.id for module in layer.modules) if layer else chosen

    def vary(self) -> None:
        """Nudge all values of the selection a little."""
        if self._to_vary():
            self.session.vary(self._to_vary(), A_LITTLE)

    def ask_randomise(self) -> None:
        """Randomise the selection: how far, which kinds of values."""
        modules = self._to_vary()
        if not modules:
            self.tell("Select what is to be randomised: a module, several (Shift-click), or a layer's head.")
            return
        first = self.seen.module(self.canvas.selection).name
        dialog = RandomiseDialog(first if len(self.canvas.chosen) == 1 else f"{len(modules)} modules", self)
        dialog.pressed.connect(lambda strength, kinds: self.session.vary(modules, strength, kinds))
        self.ask(dialog, lambda: None)

    # -- concentrating ------------------------------------------------------------------------------------------

    def mute_layer(self) -> None:
        """Mute the selected module's layer, or let it be heard again."""
        self._turn_layer("mute")

    def solo_layer(self) -> None:
        """Solo the selected module's layer, or no longer."""
        self._turn_layer("solo")

    def _turn_layer(self, param: str) -> None:
        layer = self.layer_of_selection
        if layer is not None:
            self._turn_button(layer.id, param)

    def _turn_button(self, layer: str, param: str) -> None:
        patch = self.session.patch
        output = patch.layer(layer).output_id
        if patch.has(output):
            on = 0.0 if patch.module(output).params.get(param, 0.0) else 1.0
            self.session.set_param(output, param, on)
            self.session.document.end_merge()

    def _hear(self, part: str) -> None:
        self._heard_from, self._heard_since = part, time.monotonic()

    def let_go(self, key: int) -> None:
        """A key went up: what was heard only while it was held ends."""
        names = [self.actions_by_id[name].shortcut().toString().rpartition("+")[2] for name in ("hear", "without")]
        held = self._heard_from and time.monotonic() - self._heard_since > HELD_S
        if held and QKeySequence(key).toString() in names:
            self.hear_from_here()

    def hear_from_here(self) -> None:
        """Hear the selected module's own output and nothing else, or everything again; the patch stays as it is."""
        chosen, place = self.canvas.selection, self.output_place()
        if self._heard_from or place is None:
            self._heard_from = ""
            self.session.try_out(None)
            self.tell("Everything is heard again.")
            return
        self._hear(chosen)
        self.session.try_out(_only(self.session.patch, place))
        self.tell(f"Only {self.seen.module(chosen).name} is heard. H again: everything.")

    def hear_without(self) -> None:
        """Hear the patch without the selection, or with it again: before and after."""
        chosen, patch = self.chosen_modules, self.session.patch
        if self._heard_from or not chosen:
            self.hear_from_here()
            return
        self._hear(self.canvas.selection)
        for module in chosen:
            patch = patch.with_module(replace(patch.module(module), bypassed=True))
        self.session.try_out(patch)
        self.tell("Heard without what is selected. Shift+H again: with it.")

    def hear_link_alone(self, link_id: str) -> None:
        """Hear what one link does to its value without the others that move it; again, or any edit: all of them."""
        patch = self.session.patch
        link = patch.link(link_id)
        if self._heard_from:
            self.hear_from_here()
            return
        self._hear(link.target.module)
        for other in patch.links_into(link.target.module, link.target.port):
            patch = patch.with_link(replace(other, on=other.id == link_id))
        self.session.try_out(patch)
        name = patch.module(link.source.module).name
        self.tell(f"Here only {name} moves what it moves. The same again, or H: everything.")

    def go_to_source(self) -> None:
        """Up the chain: to what moves the selection, or to one of several."""
        chosen = self.canvas.selection
        self._go_along({x.source.module: x.target for x in self.seen.links_into(chosen)}, "moves")

    def go_to_target(self) -> None:
        """Down the chain: to what the selection moves, or to one of several."""
        chosen = self.canvas.selection
        self._go_along({x.target.module: x.target for x in self.seen.links_from(chosen)}, "is moved by")

    def _go_along(self, ends: dict[str, Place], does: str) -> None:
        chosen = self.canvas.selection
        ends.pop(chosen, None)
        if not chosen or not ends:
            self.tell(f"Nothing {does} {self.seen.module(chosen).name}." if chosen else "Select a module first.")
        elif len(ends) == 1:
            self.canvas.select(next(iter(ends)))
        else:
            menu = QMenu(self)
            for module, place in ends.items():
                told = port_name(self.seen, place.module, place.port)
                name = self.seen.module(module).name
                menu.addAction(f"{name} ({told})" if does == "moves" else told, partial(self.canvas.select, module))
            show_menu(menu, self.canvas.viewport().mapToGlobal(self.canvas.card_rect(chosen).bottomLeft()))

    def find_module(self) -> None:
        """Search all modules of the patch by name, and select one."""
        dialog = LinkDialog(self.session.patch, "Find a module", self.session.engine, self._theme, self, first=True)
        self.ask(dialog, lambda: self.reveal(dialog.chosen.module) if dialog.chosen else None)

    # -- links drawn with the mouse -----------------------------------------------------------------------------

    def take_drawn_link(self, source: str, card: str, where: QPoint) -> None:
        """A link was drawn from a card's edge: onto a rail it is made at once, onto a card its ports are offered."""
        spec = spec_for(self.seen.module(source))
        if spec is None or not spec.outputs:
            return
        output = Place(source, spec.outputs[0].id).inner
        widget: QWidget | None = QApplication.widgetAt(where)
        if not card and isinstance(widget, Rail):
            onto = next((port for port, rail in self.inspector.rails.items() if rail is widget), "")
            if onto:
                self.link_places(output, self.place_of(onto))
            return
        target = spec_for(self.seen.module(card)) if card else None
        if target is None:
            return
        menu = QMenu(self)
        name = self.seen.module(card).name
        menu.addAction(f"{self.seen.module(source).name} into {name}").setEnabled(False)
        ports = [port for port in target.targets if not (isinstance(port, Param) and port.follows)]
        role = spec.outputs[0].role
        ports.sort(key=lambda port: getattr(port, "role", "") != role)  # what fits comes first
        for port in ports:
            menu.addAction(port.name, partial(self.link_places, output, Place(card, port.id).inner))
        show_menu(menu, where)

    def link_places(self, source: Place, target: Place) -> None:
        """Make a link, and show what it moves."""
        try:
            self.session.add_link(source, target)
        except DunefallError as error:
            self.tell(str(error))
            return
        self.select_seen(target.module)


def _only(patch: Patch, output: Place) -> Patch:
    """A patch in which an output is all that is heard, in the middle."""
    home = patch.layer_of(output.module)
    outputs = [layer.output_id for layer in patch.layers if layer.id not in (SHARED_ID, MASTER_ID)]
    ends = [x for x in outputs if patch.has(x)]
    own = home.output_id if home.output_id in ends else next(iter(ends), "")
    if not own or output.module == own:
        return patch.with_param(own, "solo", 1.0) if own else patch
    for end in ends:
        patch = patch.with_param(end, "mute", 0.0 if end == own else 1.0)
    for link in patch.links_into(own):
        patch = patch.without_link(link.id)
    for name, value in (("level_db", -12.0), ("angle_deg", 0.0), ("distance_m", 1.0), ("solo", 0.0)):
        patch = patch.with_param(own, name, value)
    link = Link(patch.free_id("link"), output, Place(own, "audio"))
    return patch.with_link(link)
