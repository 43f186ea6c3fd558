"""Commands for modules: adding, renaming, bypassing, pinning, removing; sounds and tunings from files."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from pathlib import Path

from dunefall.app.editing.palette import Palette
from dunefall.app.editing.sounddialog import SoundDialog, read_sounds
from dunefall.app.model.command import Command, needs_selection
from dunefall.app.model.context import Context
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr, tr_count
from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import STAGES
from dunefall.catalogue.joining import (
    Joined,
    inserted,
    joinings,
    kept_joinings,
    swapped,
    with_empty_layer,
    with_starter,
)
from dunefall.catalogue.search import Entry, kept_entries, next_stages, starter
from dunefall.compiler.sounds import take_in
from dunefall.patch.compounds import parent_of, with_new_parts
from dunefall.patch.model import MASTER_ID, SHARED_ID, Patch, Place, SoundRef, same_parts
from dunefall.patch.take import Clear
from dunefall.patch.tuning import load_tuning
from dunefall.session.edits.compounds import rename_compound, toggle_compound_bypass
from dunefall.session.edits.layers import remove_layer, set_title
from dunefall.session.edits.modules import (
    bypass_effects,
    remove_modules,
    rename,
    set_sound,
    set_tuning,
    toggle_bypass,
    toggle_pin,
    use_next_effect,
)

__all__ = [
    "COMMANDS", "add_layer", "choose_sound", "choose_tuning", "remove_sound", "show_palette", "take_way", "unpin",
    "use_sound", "use_tuning",
]  # fmt: skip

SOUND_FILES = tr("Sounds (*.wav *.flac *.ogg *.oga *.aif *.aiff *.au *.caf *.w64 *.rf64);;All files (*)")


def add_module(context: Context) -> None:
    """Add a module or a starter beside what is selected, or to Shared; to a new layer where there is none."""
    layer, patch = context.selection.layer, context.session.patch
    if layer is None and all(known.id in (SHARED_ID, MASTER_ID) for known in patch.layers):
        add_layer(context)
    else:
        show_palette(context, layer.id if layer else SHARED_ID)


def show_palette(context: Context, layer: str) -> None:
    """Let the user choose what to add to a layer; it can be heard before."""
    session, selection = context.session, context.selection
    home, beside = selection.layer, Place("", "")
    if home is not None and home.id in (layer, SHARED_ID):
        port = selection.focused_port()
        beside = selection.place_of(port) if port else Place(selection.last_within(), "")
    within = parent_of(session.patch, selection.module) if home and home.id == layer else None

    link = selection.focused_link()

    def ways(entry: Entry) -> list[Joined]:
        new = list(_ways(context, session.patch, layer, entry, beside))
        if link and entry.stage in STAGES and (between := inserted(session.patch, link, entry.id, entry.preset)):
            new.insert(0, between)
        return [way if within is None else _within(context, way, within.id) for way in new]

    spec = selection.spec if beside.module else None
    role = spec.outputs[0].role if spec and spec.outputs and not spec.ends else ""
    first = next_stages(role, value=bool(beside.port))
    where = session.patch.layer(layer).name if layer != MASTER_ID else tr("the whole mix")
    _choose(context, tr("Add to {where}", where=where), ways, first)


def add_layer(context: Context) -> None:
    """Add a layer: empty, with its first module in it, or a starter."""

    def ways(entry: Entry) -> list[Joined]:
        patch = context.session.patch
        if entry.stage == "starter":
            return list(_ways(context, patch, "", entry, Place("", "")))
        made = with_empty_layer(patch, entry.name)
        if entry.stage == "layer":
            return [made]
        layer = made.patch.layer_of(made.module).id
        return list(_ways(context, made.patch, layer, entry, Place("", "")))

    _choose(context, tr("Add a layer that begins with…"), ways, next_stages("", value=False), layers=True)


def _ways(context: Context, patch: Patch, layer: str, entry: Entry, beside: Place) -> Iterable[Joined]:
    """The patches that adding an entry to a layer can make."""
    if entry.stage == "starter":
        return [with_starter(patch, starter(entry.id))]
    if entry.stage == "compound":
        return kept_joinings(patch, layer, context.library.load(entry.id), beside.module, beside.port)
    return joinings(patch, layer, entry.id, beside.module, beside.port, entry.preset)


def _choose(
    context: Context, title: str, ways: Callable[[Entry], list[Joined]], first: Sequence[str], *, layers: bool = False
) -> None:
    """Show the palette, and add what is chosen in it."""
    trial = context.session.trial
    kept, troubles = kept_entries(context.library)

    def hear(way: Joined | None) -> None:
        if way is None:
            trial.end()
        else:
            trial.hear(way.patch)

    def add() -> None:
        if palette.chosen is not None:
            take_way(context, tr("Add {name}", name=palette.chosen.name), palette.ways, palette.way)

    palette = Palette(title, context.theme, ways, hear, kept, context.talk.parent, first=first, layers=layers)

    def look_again(before: Patch, patch: Patch) -> None:
        """What is offered follows a value that moves meanwhile; where modules or links went, it is over."""
        if same_parts(before, patch):
            palette.look_again()
        else:
            palette.reject()

    changed = context.session.document.changed
    changed.connect(look_again)
    palette.finished.connect(lambda _: changed.disconnect(look_again))
    context.talk.show(palette, add)
    if troubles:
        context.tell(tr("In your library: {listed}.", listed="; ".join(troubles)))


def _within(context: Context, way: Joined, compound: str) -> Joined:
    """A way in which everything new belongs to an open compound."""
    return way._replace(patch=with_new_parts(context.session.patch, way.patch, compound))


def take_way(context: Context, label: str, ways: Sequence[Joined], chosen: int) -> None:
    """Add a module as one of the ways has it: one undo step. The notice offers the next way."""
    document, way = context.session.document, ways[chosen]
    document.edit(label, way.patch)
    context.selection.select_shown(way.module)
    context.selection.added.emit()

    def otherwise() -> None:
        if document.patch is way.patch:
            document.undo()
            take_way(context, label, ways, (chosen + 1) % len(ways))
        else:
            context.tell(tr("The patch has changed since. Undo back to the added module first."))

    told = f"{way.told} {_nowhere(context, way)}".rstrip()
    context.talk.tell(told, (tr("Join otherwise"), otherwise) if len(ways) > 1 else None)


def _nowhere(context: Context, way: Joined) -> str:
    """What to do where a new module sends, and nothing takes it."""
    options = context.session.options
    spec = spec_of(way.patch.module(way.module).type) if way.patch.has(way.module) else None
    if spec is None or not spec.sends or (options.osc_out if spec.sends == "osc" else options.midi_out != "none"):
        return ""
    return tr("Choose where it goes in Sound devices.")


def choose_sound(context: Context) -> None:
    """Choose a sound file for the selected module."""
    path = context.session.document.path
    found = context.talk.open_file(tr("Choose a sound"), SOUND_FILES, str(path.parent) if path else "")
    if found:
        use_sound(context, found)


def use_sound(context: Context, path: Path) -> None:
    """Let the selected module play a file; a dialog says what is wrong with it."""
    module = context.selection.module
    dialog = SoundDialog(
        tr("Reading {name}…", name=path.name), lambda report: take_in(path, report), context.talk.parent
    )

    def done() -> None:
        if isinstance(dialog.result_value, SoundRef):
            set_sound(context.session.document, module, dialog.result_value)

    read_sounds(context, dialog, done)


def remove_sound(context: Context) -> None:
    """Take the selected module's own sound file away."""
    set_sound(context.session.document, context.selection.module, None)


def choose_tuning(context: Context) -> None:
    """Choose a tuning file for the selected module."""
    found = context.talk.open_file(tr("Choose a tuning"), tr("Tunings (*.scl);;All files (*)"))
    if found:
        use_tuning(context, found)


def use_tuning(context: Context, path: Path) -> None:
    """Let the selected quantiser use a tuning file: one undo step; a faulty file is reported."""
    try:
        title, cents = load_tuning(path)
    except DunefallError as error:
        context.tell(str(error))
        return
    set_tuning(context.session.document, context.selection.module, cents)
    context.tell(tr("Tuning “{title}”: {count} notes up to {cents:.0f} ct.", title=title or path.stem,
                    count=len(cents), cents=cents[-1]))  # fmt: skip


def bypass(context: Context) -> None:
    """Bypass the selected modules, or use them again."""
    selection, document = context.selection, context.session.document
    if selection.face is not None and len(selection.chosen) == 1:
        toggle_compound_bypass(document, selection.module)
    else:
        toggle_bypass(document, selection.modules)


def bypass_all(context: Context) -> None:
    """Bypass all effects of the layer, to bring them back one by one."""
    layer = context.selection.layer
    if layer is not None:
        count = bypass_effects(context.session.document, layer.id)
        key = context.key_of("use_next")
        context.tell(tr("{count} effects of {name} are bypassed. {key} brings back "
                        "the next.", count=count, name=layer.name, key=key) if count else
                     tr("The sound of {name} passes through no effect.", name=layer.name))  # fmt: skip


def use_next(context: Context) -> None:
    """Bring back the next bypassed effect in the order of the sound."""
    layer = context.selection.layer
    if layer is not None:
        module = use_next_effect(context.session.document, layer.id)
        name = context.session.patch.module(module).name if module else ""
        context.tell(
            tr("{name} is heard again.", name=name) if module else tr("Nothing in {name} is bypassed.", name=layer.name)
        )
        if module:
            context.selection.select_shown(module)


def ask_swap(context: Context) -> None:
    """Put another kind of module in the place of the selected one; its links stay."""
    patch, selection = context.session.patch, context.selection
    module, spec = selection.module, selection.spec
    if not module or selection.face is not None or (spec and (spec.ends or spec.brings_mix)):
        context.tell(tr("Select one module to put another in its place."))
        return

    def ways(entry: Entry) -> list[Joined]:
        new = swapped(patch, module, entry.id, entry.preset) if entry.stage in STAGES else None
        return [new] if new else []

    stage = spec.stage if spec else "source"
    _choose(context, tr("In the place of {name}", name=selection.name), ways, (stage,))


def pin(context: Context) -> None:
    """Pin the selected module in Watch, or take it away."""
    place = context.selection.output()
    if place is not None:
        toggle_pin(context.session.document, place)


def ask_name(context: Context) -> None:
    """Rename the selected module or layer, or the patch if nothing is selected."""
    selection, document = context.selection, context.session.document
    chosen = selection.module
    now = selection.name if chosen else document.patch.title
    name = context.talk.ask_text(tr("Rename"), tr("Name") if chosen else tr("Title of the patch"), now)
    if name is None:
        return
    if selection.face is not None:
        rename_compound(document, chosen, name)
    elif chosen:
        rename(document, chosen, name)
    else:
        set_title(document, name)


def ask_title(context: Context) -> None:
    """Rename the patch."""
    title = context.talk.ask_text(tr("Rename the patch"), tr("Title of the patch"), context.session.patch.title)
    if title is not None:
        set_title(context.session.document, title)


def reset(context: Context) -> None:
    """Clear what the selected modules remember; one that was stopped sounds again."""
    for module in context.selection.modules:
        context.session.engine.act(Clear(module))


def unpin(context: Context, place: Place) -> None:
    """Take a signal out of Watch."""
    toggle_pin(context.session.document, place)
    name = context.session.patch.module(place.module).name
    context.tell_undoable(tr("{name} was removed from Watch.", name=name))


def remove(context: Context) -> None:
    """Remove what is selected: modules, compounds with all in them, or the layer whose head is selected."""
    selection, document = context.selection, context.session.document
    layer, name, count = selection.layer, selection.name, len(selection.chosen)
    if layer is None:
        return
    if selection.module == layer.output_id:
        remove_layer(document, layer.id)
        told = tr_count(
            "The layer {name} was removed with its module.", "The layer {name} was removed with its {count} modules.",
            len(layer.modules), name=layer.name,
        )  # fmt: skip
    else:
        remove_modules(document, selection.modules)
        told = tr("{name} was removed.", name=name) if count == 1 else tr("{count} modules were removed.", count=count)
    context.tell_undoable(told)


COMMANDS = (
    Command("add_module", tr("Add…"), "A", "Add", add_module),
    Command("bypass", tr("Bypass"), "B", "Module", bypass, needs_selection),
    Command("bypass_all", tr("Bypass all effects of the layer"), "Shift+B", "Module", bypass_all, needs_selection),
    Command("use_next", tr("Bring back the next effect"), "Ctrl+B", "Module", use_next, needs_selection),
    Command("swap", tr("Swap for another…"), "X", "Module", ask_swap, needs_selection),
    Command("pin", tr("Pin in Watch"), "P", "Module", pin, needs_selection),
    Command("rename", tr("Rename…"), "F2", "Module", ask_name),
    Command("reset", tr("Restart the module"), "Ctrl+Backspace", "Module", reset, needs_selection),
    Command("remove", tr("Remove"), "Delete", "Module", remove, needs_selection),
)
