"""The window's commands for the mix: workspaces, sends, ducking, effect lanes, places, master."""

from __future__ import annotations

from functools import partial

from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QInputDialog, QMenu

from dunefall.app.mix.ruler import SEND_LOW_DB
from dunefall.app.mix.workspace import MixWorkspace
from dunefall.app.parts import WindowParts
from dunefall.app.widgets.linkdialog import LinkDialog
from dunefall.app.widgets.menus import show_menu
from dunefall.base.errors import DunefallError
from dunefall.base.layouts import layout_of
from dunefall.catalogue import spec_of
from dunefall.patch.mixing import mixed_layers, send_of, with_master
from dunefall.patch.model import Place

__all__ = ["MixCommands"]

LANES = (
    ("Wide hall", ("reverb",)), ("Rust echo", ("delay", "drive")), ("Grain cloud", ("grain-cloud",)),
    ("Spring", ("spring",)), ("Plate", ("plate",)), ("Place", ("convolution",)), ("Chorus", ("chorus",)),
    ("Shimmer", ("pitch-shifter", "reverb")),
)  # fmt: skip
"""Effect lanes that are offered, with their modules in a row."""
PLACE_VALUES = {"centre_share": (0.0, 0.25, 0.5, 0.75, 1.0), "low_effects_db": (-96.0, -24.0, -18.0, -12.0, -6.0, 0.0)}
"""What is offered in the menu of a mark; any other value is set in the inspector."""


class MixCommands(WindowParts):
    """What the Mix workspace asks for."""

    mix: MixWorkspace

    def connect_mix(self) -> None:
        """Let the workspace's wishes be done."""
        mix, session = self.mix, self.session
        for part in (mix.rows, mix.field):
            part.selected.connect(self.canvas.select)
            part.settled.connect(session.document.end_merge)
        mix.rows.moved.connect(session.set_together)
        mix.rows.group_asked.connect(self.ask_group)
        mix.field.moved.connect(session.set_params)
        mix.rows.send_moved.connect(self.set_send)
        mix.rows.key_asked.connect(self.ask_key)
        mix.rows.key_dropped.connect(lambda layer: session.set_key(layer, None))
        mix.rows.lane_asked.connect(self.add_effect_lane)
        mix.rows.order_asked.connect(session.move_layer)
        mix.field.drawn.connect(lambda module, loop: session.move_along(session.patch.layer_of(module).id, loop))
        mix.field.reshaped.connect(lambda gesture, series: session.set_series(gesture, series, label="Reshape"))
        mix.field.menu_asked.connect(self.show_place_menu)
        mix.layout_asked.connect(session.set_layout)
        mix.master.moved.connect(session.set_master)
        mix.master.settled.connect(session.document.end_merge)
        mix.duck_asked.connect(self.make_way)

    def show_build(self) -> None:
        """The Build workspace."""
        self.show_workspace("build")

    def show_mix(self) -> None:
        """The Mix workspace."""
        self.show_workspace("mix")

    def set_send(self, layer: str, lane: str, level_db: float) -> None:
        """Let a layer send to an effect lane; at the lowest level the send is off."""
        patch = self.session.patch
        old = send_of(patch, patch.layer(layer), patch.layer(lane))
        before = old is not None and old.source.port == "before"
        self.session.set_send(layer, lane, 10 ** (level_db / 20) if level_db > SEND_LOW_DB else 0.0, before=before)

    def ask_key(self, layer: str) -> None:
        """Let the user choose what a layer makes way for: another layer, or any module."""
        menu, session = QMenu(self), self.session
        title = menu.addAction(f"{session.patch.layer(layer).name} makes way for")
        title.setEnabled(False)
        for other in mixed_layers(session.patch):
            if other.id != layer:
                menu.addAction(other.name, partial(session.set_key, layer, Place(other.output_id, "before")))
        menu.addSeparator()
        menu.addAction("Any module…", partial(self._ask_key_module, layer))
        if session.patch.links_into(session.patch.layer(layer).output_id, "duck"):
            menu.addAction("Nothing", partial(session.set_key, layer, None))
        show_menu(menu, QCursor.pos())

    def _ask_key_module(self, layer: str) -> None:
        title = f"What does {self.session.patch.layer(layer).name} make way for?"
        dialog = LinkDialog(self.session.patch, title, self.session.engine, self._theme, self)
        self.ask(dialog, lambda: self.session.set_key(layer, dialog.chosen) if dialog.chosen else None)

    def ask_group(self, layer: str) -> None:
        """Let the user choose the group of a layer's row."""
        menu, session = QMenu(self), self.session
        found = session.patch.layer(layer)
        menu.addAction(f"{found.name} is moved together with").setEnabled(False)
        for group in sorted({other.group for other in mixed_layers(session.patch)} - {""}):
            action = menu.addAction(group, partial(session.set_group, layer, group))
            action.setCheckable(True)
            action.setChecked(group == found.group)
        menu.addAction("A new group…", partial(self._ask_new_group, layer))
        if found.group:
            menu.addAction("Nothing", partial(session.set_group, layer, ""))
        show_menu(menu, QCursor.pos())

    def _ask_new_group(self, layer: str) -> None:
        name, chosen = QInputDialog.getText(self, "A new group", "Its name")
        if chosen and name.strip():
            self.session.set_group(layer, name.strip())

    def show_place_menu(self, module: str) -> None:
        """What a layer gives to the centre and the low-effects channel of 5.1."""
        menu, spec = QMenu(self), spec_of("output")
        assert spec is not None
        for param, values in PLACE_VALUES.items():
            declared = spec.param(param)
            part = menu.addMenu(declared.name)
            now = self.session.patch.module(module).params.get(param, declared.default)
            for value in values:
                text = "off" if declared.unit == "db" and value <= declared.low else declared.format(value)
                action = part.addAction(text, partial(self._set_place_value, module, param, value))
                action.setCheckable(True)
                action.setChecked(abs(value - now) < 1e-9)
        if layout_of(self.session.patch.layout).id != "5.1":
            menu.addSeparator()
            menu.addAction("These count in 5.1 only").setEnabled(False)
        show_menu(menu, QCursor.pos())

    def _set_place_value(self, module: str, param: str, value: float) -> None:
        self.session.set_params(module, {param: value})
        self.session.document.end_merge()

    def make_way(self, above: str, below: str) -> None:
        """Let a layer that covers another make way for it."""
        self.session.set_key(above, Place(self.session.patch.layer(below).output_id, "before"))

    def add_effect_lane(self) -> None:
        """Let the user choose another shared effect lane."""
        menu = QMenu(self)
        for name, types in LANES:
            menu.addAction(name, partial(self._add_effect_lane, name, types))
        show_menu(menu, QCursor.pos())

    def _add_effect_lane(self, name: str, types: tuple[str, ...]) -> None:
        try:
            self.session.add_effect_lane(name, types)
        except DunefallError as error:
            self.tell(str(error))

    def select_master(self) -> None:
        """Show the master's values in the inspector of Build."""
        session = self.session
        if session.patch is not with_master(session.patch):
            session.set_master({"level_db": 0.0})
        self.canvas.select("master-strip")
