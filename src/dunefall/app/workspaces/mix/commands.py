"""Commands of the Mix workspace, and what its parts ask for: sends, ducking, effect lanes, groups, places, master."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QMenu

from dunefall.app.editing.linkdialog import LinkDialog
from dunefall.app.editing.modules import show_palette
from dunefall.app.model.command import Command
from dunefall.app.model.context import Context
from dunefall.app.workspaces.mix.ruler import SEND_LOW_DB
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr
from dunefall.base.layouts import layout_of
from dunefall.catalogue import spec_of
from dunefall.catalogue.paths import inserts_of
from dunefall.patch.mixing import master_of, mixed_layers, send_of, with_master
from dunefall.patch.model import MASTER_ID, Patch, Place
from dunefall.session.edits.mix import add_effect_lane, add_key, set_group, set_key, set_master, set_send
from dunefall.session.edits.modules import set_params

__all__ = [
    "COMMANDS",
    "add_insert",
    "add_lane",
    "ask_effect_lane",
    "ask_group",
    "ask_insert",
    "ask_key",
    "ducks_by",
    "make_way",
    "show_place_menu",
    "turn_send",
]

LANES = (
    (tr("Wide hall"), ("reverb",)), (tr("Rust echo"), ("delay", "drive")), (tr("Grain cloud"), ("grain-cloud",)),
    (tr("Spring"), ("spring",)), (tr("Plate"), ("plate",)), (tr("Place"), ("convolution",)),
    (tr("Chorus"), ("chorus",)), (tr("Shimmer"), ("pitch-shifter", "reverb")),
)  # fmt: skip
"""Effect lanes that are offered, with their modules in a row."""
PLACE_VALUES = {"centre_share": (0.0, 0.25, 0.5, 0.75, 1.0), "low_effects_db": (-96.0, -24.0, -18.0, -12.0, -6.0, 0.0)}
"""What is offered in the menu of a mark; any other value is set in the inspector."""


def turn_send(context: Context, layer: str, lane: str, level_db: float) -> None:
    """Let a layer send to an effect lane; at the lowest level the send is off."""
    document = context.session.document
    patch = document.patch
    old = send_of(patch, patch.layer(layer), patch.layer(lane))
    before = old is not None and old.source.port == "before"
    set_send(document, layer, lane, 10 ** (level_db / 20) if level_db > SEND_LOW_DB else 0.0, before=before)


def ask_key(context: Context, layer: str) -> None:
    """Let the user choose what a layer makes way for: another layer, or any module."""
    menu, document = QMenu(context.talk.parent), context.session.document
    patch = document.patch
    menu.addAction(tr("What {name} makes way for", name=patch.layer(layer).name)).setEnabled(False)
    for other in mixed_layers(patch):
        if other.id != layer:
            menu.addAction(other.name, partial(set_key, document, layer, Place(other.output_id, "before")))
    menu.addSeparator()
    menu.addAction(tr("Any module…"), partial(_ask_key_module, context, layer))
    if patch.links_into(patch.layer(layer).output_id, "duck"):
        menu.addAction(tr("Nothing"), partial(set_key, document, layer, None))
    context.talk.offer(menu)


def _ask_key_module(context: Context, layer: str) -> None:
    session = context.session
    title = tr("What does {name} make way for?", name=session.patch.layer(layer).name)
    dialog = LinkDialog(session.patch, title, session.engine, context.theme, context.talk.parent)

    def duck() -> None:
        if dialog.chosen:
            set_key(session.document, layer, dialog.chosen)

    context.talk.show(dialog, duck)


def ask_group(context: Context, layer: str) -> None:
    """Let the user choose the group of a layer's row."""
    menu, document = QMenu(context.talk.parent), context.session.document
    found = document.patch.layer(layer)
    menu.addAction(tr("What {name} is moved together with", name=found.name)).setEnabled(False)
    for group in sorted({other.group for other in mixed_layers(document.patch)} - {""}):
        action = menu.addAction(group, partial(set_group, document, layer, group))
        action.setCheckable(True)
        action.setChecked(group == found.group)
    menu.addAction(tr("A new group…"), partial(_ask_new_group, context, layer))
    if found.group:
        menu.addAction(tr("Nothing"), partial(set_group, document, layer, ""))
    context.talk.offer(menu)


def _ask_new_group(context: Context, layer: str) -> None:
    name = context.talk.ask_text(tr("A new group"), tr("Its name"))
    if name is not None and name.strip():
        set_group(context.session.document, layer, name.strip())


def show_place_menu(context: Context, module: str) -> None:
    """What a layer gives to the centre and the low-effects channel of 5.1."""
    menu, spec, patch = QMenu(context.talk.parent), spec_of("output"), context.session.patch
    assert spec is not None
    for param, values in PLACE_VALUES.items():
        declared = spec.param(param)
        part = menu.addMenu(declared.name)
        now = patch.module(module).params.get(param, declared.default)
        for value in values:
            text = tr("off") if declared.unit == "db" and value <= declared.low else declared.format(value)
            action = part.addAction(text, partial(_set_place_value, context, module, param, value))
            action.setCheckable(True)
            action.setChecked(abs(value - now) < 1e-9)
    if layout_of(patch.layout).id != "5.1":
        menu.addSeparator()
        menu.addAction(tr("These count in 5.1 only")).setEnabled(False)
    context.talk.offer(menu)


def _set_place_value(context: Context, module: str, param: str, value: float) -> None:
    set_params(context.session.document, module, {param: value})
    context.session.document.end_merge()


def ducks_by(patch: Patch, layer: str) -> float:
    """How far, in dB, a layer gives way to what ducks it."""
    output, spec = patch.module(patch.layer(layer).output_id), spec_of("output")
    assert spec is not None
    return abs(output.params.get("duck_db", spec.param("duck_db").default))


def make_way(context: Context, above: str, below: str) -> None:
    """Let a layer that covers another make way for it, beside what it makes way for already."""
    document = context.session.document
    add_key(document, above, Place(document.patch.layer(below).output_id, "before"))
    context.tell(tr("{name} now gives way while {name_2} sounds.", name=document.patch.layer(above).name,
                    name_2=document.patch.layer(below).name))  # fmt: skip


def ask_effect_lane(context: Context) -> None:
    """Let the user choose another shared effect lane."""
    menu = QMenu(context.talk.parent)
    for name, types in LANES:
        menu.addAction(name, partial(add_lane, context, name, types))
    context.talk.offer(menu)


def add_lane(context: Context, name: str, types: tuple[str, ...]) -> None:
    """Add a shared effect lane with a chain of modules; says so when no more can be added."""
    try:
        add_effect_lane(context.session.document, name, types)
    except DunefallError as error:
        context.tell(str(error))


def ask_insert(context: Context) -> None:
    """Let the user choose what to insert on the whole mix, or one of what is there."""
    patch = context.session.patch
    there = inserts_of(patch)
    if not there:
        add_insert(context)
        return
    menu = QMenu(context.talk.parent)
    for module in there:
        menu.addAction(patch.module(module).name, partial(context.selection.select_shown, module))
    menu.addSeparator()
    menu.addAction(tr("Add an insert…"), partial(add_insert, context))
    context.talk.offer(menu)


def add_insert(context: Context) -> None:
    """Choose another effect for the whole mix: it goes behind what is selected there, or last before the master."""
    show_palette(context, MASTER_ID)


def select_master(context: Context) -> None:
    """Show the master's values in the inspector of Build."""
    session = context.session
    if session.patch is not with_master(session.patch):
        set_master(session.document, {"level_db": 0.0})
    master = master_of(session.patch)
    assert master is not None
    context.selection.select_shown(master.id)


COMMANDS = (
    Command("effect_lane", tr("Add effect lane…"), "Ctrl+Shift+E", "Add", ask_effect_lane),
    Command("insert", tr("Add insert on the whole mix…"), "Ctrl+Shift+I", "Add", add_insert),
    Command("master", tr("Master settings"), "Ctrl+Shift+M", "Sound", select_master),
)
