"""Commands for links: "Move this…", ranges, movements that are copied, controllers, gathering; going along links."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QMenu

from dunefall.app.editing.linkdialog import LinkDialog
from dunefall.app.model.command import Command, needs_selection
from dunefall.app.model.context import Context
from dunefall.base.errors import DunefallError, ParameterError
from dunefall.base.language import inline, tr
from dunefall.base.units import format_value, parse_range, range_told
from dunefall.catalogue.compounds import target_of
from dunefall.catalogue.declare import Param
from dunefall.catalogue.joining import joinings, movers_of
from dunefall.catalogue.reach import range_of
from dunefall.catalogue.search import Entry
from dunefall.catalogue.story import port_name
from dunefall.patch.compounds import parent_of, with_new_parts
from dunefall.patch.model import SHARED_ID, Place
from dunefall.session.edits.controls import gather, kinds_of_layer
from dunefall.session.edits.links import add_link, paste_movement, remove_link, set_link_range

__all__ = [
    "COMMANDS",
    "ask_link",
    "ask_range",
    "copy_movement",
    "learn_controller",
    "link_places",
    "remove",
    "take_movement",
    "take_range",
]


def link_selection(context: Context) -> None:
    """ "Move this…" for the selected module's main parameter, or the value that has the focus."""
    selection = context.selection
    spec = selection.spec
    if spec is not None:
        port = selection.focused_port() or spec.face or (spec.inputs[0].id if spec.inputs else "")
        if port:
            ask_link(context, port)


def ask_link(context: Context, port: str) -> None:
    """Let the user choose what moves a port of the selected module: an output, or a new module."""
    spec, target = context.selection.spec, context.selection.place_of(port)
    found = spec.target(port) if spec else None
    if found is None:
        return
    verb = "moves" if isinstance(found, Param) else "feeds"
    title = tr("What {verb} {name} of {name_2}?", verb=verb, name=inline(found.name), name_2=context.selection.name)
    dialog = LinkDialog(
        context.session.patch, title, context.session.engine, context.theme, context.talk.parent,
        role="control" if isinstance(found, Param) else found.role, makes=movers_of(found),
    )  # fmt: skip

    def link() -> None:
        if dialog.made:
            _move_by_new(context, dialog.made, target)
        elif dialog.chosen is not None:
            _link(context, dialog.chosen.inner, target)

    context.talk.show(dialog, link)


def _move_by_new(context: Context, entry: Entry, target: Place) -> None:
    """Make what moves a port: the first of its ways that does; a part of the compound that the port is in."""
    patch = context.session.patch
    layer, within = patch.layer_of(target.module).id, parent_of(patch, target.module)
    for way in joinings(patch, layer, entry.id, target.module, target.port, entry.preset):
        if any(link.source.module == way.module for link in way.patch.links_into(target.module, target.port)):
            whole = with_new_parts(patch, way.patch, within.id) if within else way.patch
            context.session.document.edit(tr("Add {name}", name=entry.name), whole)
            context.tell(way.told)
            return


def _link(context: Context, source: Place, target: Place) -> bool:
    """Make a link; returns whether it could be made, and says why if it could not."""
    try:
        add_link(context.session.document, source, target)
    except DunefallError as error:
        context.tell(str(error))
        return False
    return True


def link_places(context: Context, source: Place, target: Place) -> None:
    """Make a link, and show what it moves."""
    if _link(context, source, target):
        context.selection.select_shown(target.module)


def ask_range(context: Context, link_id: str) -> None:
    """Type from where to where a link moves its target, in the target's unit."""
    patch = context.session.patch
    link = patch.link(link_id)
    now, target = range_of(patch, link), target_of(patch, link.target)
    if now is None or target is None:
        context.tell(tr("A sound or a gate is taken unchanged: set this link's amount instead."))
        return
    text = context.talk.ask_text(
        tr("Range of the link"), tr("{name}: from … to …, as the source goes from its lowest to its "
                                    "highest", name=target.name),
        range_told(*(format_value(end, target.unit, choices=target.choices) for end in now)),
    )  # fmt: skip
    if text is not None:
        take_range(context, link_id, text)


def take_range(context: Context, link_id: str, text: str) -> None:
    """Let a link move its target from one typed value to another, such as "100 Hz to 2 kHz"."""
    document = context.session.document
    link = document.patch.link(link_id)
    target = target_of(document.patch, link.target)
    if target is None:
        return
    try:
        ends = parse_range(text, target.unit, choices=target.choices, tempo_bpm=document.patch.tempo_bpm)
        set_link_range(document, link, *ends)
    except ParameterError as error:
        context.tell(str(error))


def remove(context: Context, link_id: str) -> None:
    """Take a link away."""
    patch = context.session.patch
    link = patch.link(link_id)
    remove_link(context.session.document, link_id)
    name = port_name(patch, link.target.module, link.target.port)
    source = patch.module(link.source.module).name
    context.tell_undoable(tr("The link from {name} to {name_2} was removed.", name=source, name_2=name))


def copy_movement(context: Context, port: str) -> None:
    """Keep what moves a parameter, to move another one so."""
    place, patch = context.selection.place_of(port), context.session.patch
    context.movement = patch.links_into(place.module, place.port)
    names = ", ".join(patch.module(link.source.module).name for link in context.movement)
    context.tell(
        tr("Movement copied: {names}.", names=names)
        if names
        else tr("Nothing moves this value, so there is no movement to copy.")
    )


def take_movement(context: Context, port: str) -> None:
    """Let a parameter be moved as the one whose movement was copied."""
    if not context.movement:
        context.tell(tr("Copy a movement first, from the menu of a modulated value."))
        return
    paste_movement(context.session.document, context.movement, context.selection.place_of(port))


def ask_gather(context: Context) -> None:
    """Put all parameters of a kind, in the selected module's layer, under one new control."""
    document, home = context.session.document, context.selection.layer
    layer = home.id if home else SHARED_ID
    kinds = kinds_of_layer(document, layer)
    if not kinds:
        context.tell(tr("This layer has no values to put under a control yet: add modules first."))
        return
    most_first = sorted(kinds.items(), key=lambda kind: (-len(kind[1]), kind[0]))
    texts = {f"{kind} ({len(modules)})": kind for kind, modules in most_first}
    text = context.talk.ask_item(
        tr("Put under a named control"), tr("All parameters of this kind in the layer"), list(texts)
    )
    if text is not None:
        context.selection.select(gather(document, layer, texts[text]))


def learn_controller(context: Context, port: str = "") -> None:
    """Let the next MIDI controller that moves move a value of the selection: its main one, if none is named."""
    selection = context.selection
    spec = selection.spec
    port = port or (spec.face if spec else "")
    if not port or spec is None:
        context.tell(tr("Select what the controller should move: a module, or better a Named control."))
        return
    context.session.control.learn_next(selection.place_of(port))
    name = inline(spec.param(port).name)
    context.tell(tr("Turn a MIDI controller now to assign it to {name} of {name_2}.", name=name, name_2=selection.name))


def go_to_source(context: Context) -> None:
    """Up the chain: to what moves the selection, or to one of several."""
    links = context.selection.seen.links_into(context.selection.module)
    _go_along(context, {x.source.module: x.target for x in links}, "moves")


def go_to_target(context: Context) -> None:
    """Down the chain: to what the selection moves, or to one of several."""
    links = context.selection.seen.links_from(context.selection.module)
    _go_along(context, {x.target.module: x.target for x in links}, tr("is moved by"))


def _go_along(context: Context, ends: dict[str, Place], does: str) -> None:
    selection = context.selection
    chosen = selection.module
    ends.pop(chosen, None)
    if not chosen or not ends:
        context.tell(
            tr("Nothing {does} {name}.", does=does, name=selection.name) if chosen else tr("Select a module first.")
        )
    elif len(ends) == 1:
        selection.select(next(iter(ends)))
    else:
        menu = QMenu(context.talk.parent)
        for module, place in ends.items():
            told = port_name(selection.seen, place.module, place.port)
            name = selection.seen.module(module).name
            menu.addAction(f"{name} ({told})" if does == "moves" else told, partial(selection.select, module))
        context.talk.offer(menu)


def find_module(context: Context) -> None:
    """Search all modules of the patch by name, and select one."""
    session = context.session
    dialog = LinkDialog(
        session.patch, tr("Find a module"), session.engine, context.theme, context.talk.parent, first=True
    )

    def reveal() -> None:
        if dialog.chosen:
            context.selection.reveal(dialog.chosen.module)

    context.talk.show(dialog, reveal)


COMMANDS = (
    Command("link", tr("Move this…"), "M", "Module", link_selection, needs_selection),
    Command("gather", tr("Put under a named control…"), "Ctrl+Shift+G", "Module", ask_gather),
    Command("learn", tr("Learn a MIDI controller…"), "Ctrl+Alt+M", "Module", learn_controller),
    Command("up", tr("What moves this?"), "Alt+Left", "Listen", go_to_source),
    Command("down", tr("What does this move?"), "Alt+Right", "Listen", go_to_target),
    Command("find", tr("Find a module…"), "Ctrl+F", "Listen", find_module),
)
