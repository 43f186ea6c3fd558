"""Commands to concentrate on one thing: mute, solo, hear from here, hear without, hear one link alone."""

from __future__ import annotations

from dataclasses import replace

from dunefall.app.model.command import Command, needs_selection
from dunefall.app.model.context import Context
from dunefall.base.language import tr
from dunefall.patch.model import MASTER_ID, SHARED_ID, Link, Patch, Place
from dunefall.session.edits.modules import set_param, set_together

__all__ = ["COMMANDS", "HELD_S", "hear_link_alone", "key_released", "turn_button"]

HELD_S = 0.4
"""A key that stays down for longer is held: what it does ends when it goes up."""


def mute_layer(context: Context) -> None:
    """Mute the selected module's layer, or let it be heard again."""
    _turn_layer(context, "mute")


def solo_layer(context: Context) -> None:
    """Solo the selected module's layer, or no longer."""
    _turn_layer(context, "solo")


def _turn_layer(context: Context, param: str) -> None:
    """Turn the button of the selected module's layer, and of the layers of all that are marked beside it."""
    document, selection = context.session.document, context.selection
    layers = dict.fromkeys(selection.seen.layer_of(module).output_id for module in sorted(selection.chosen))
    outputs = [output for output in layers if document.patch.has(output)]
    if outputs:
        now = document.patch.module(outputs[0]).params.get(param, 0.0)
        set_together(document, {output: {param: 0.0 if now else 1.0} for output in outputs})
        document.end_merge()


def turn_button(context: Context, layer: str, param: str) -> None:
    """Turn a layer's "mute" or "solo" on or off."""
    document = context.session.document
    output = document.patch.layer(layer).output_id
    if document.patch.has(output):
        on = 0.0 if document.patch.module(output).params.get(param, 0.0) else 1.0
        set_param(document, output, param, on)
        document.end_merge()


def key_released(context: Context) -> None:
    """A key that may be held went up: what was heard only while it was down ends."""
    if context.session.trial.part and context.session.trial.seconds > HELD_S:
        _hear_everything(context)


def _hear_everything(context: Context) -> None:
    context.session.trial.end()
    context.tell(tr("Solo off: you hear everything again."))


def hear_from_here(context: Context) -> None:
    """Solo the selected module's own output, or undo that; the patch does not change."""
    trial, place, key = context.session.trial, context.selection.output(), context.key_of("hear")
    if trial.part or place is None:
        _hear_everything(context)
        return
    trial.hear(_only(context.session.patch, place), context.selection.module)
    context.tell(tr("Playing only {name}. {key} again: everything.", name=context.selection.name, key=key))


def hear_without(context: Context) -> None:
    """Hear the patch without the selection, or with it again: before and after."""
    chosen, patch, trial = context.selection.modules, context.session.patch, context.session.trial
    if trial.part or not chosen:
        _hear_everything(context)
        return
    for module in chosen:
        patch = patch.with_module(replace(patch.module(module), bypassed=True))
    trial.hear(patch, context.selection.module)
    context.tell(tr("Playing without the selection. {key_of} again: with it.", key_of=context.key_of("without")))


def hear_link_alone(context: Context, link_id: str) -> None:
    """Hear what one link does to its value without the others that move it; again, or any edit: all of them."""
    patch, trial = context.session.patch, context.session.trial
    if trial.part:
        _hear_everything(context)
        return
    link = patch.link(link_id)
    for other in patch.links_into(link.target.module, link.target.port):
        patch = patch.with_link(replace(other, on=other.id == link_id))
    trial.hear(patch, link.target.module)
    name = patch.module(link.source.module).name
    context.tell(tr("Only {name} modulates its target now. Repeat, or press {key_of}, for everything.", name=name,
                    key_of=context.key_of("hear")))  # fmt: skip


def _only(patch: Patch, output: Place) -> Patch:
    """A patch in which only one output is heard, in the centre."""
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


COMMANDS = (
    Command("mute", tr("Mute the layer"), "Alt+M", "Listen", mute_layer, needs_selection),
    Command("solo", tr("Solo the layer"), "Alt+S", "Listen", solo_layer, needs_selection),
    Command("hear", tr("Hear from here"), "H", "Listen", hear_from_here, held=True),
    Command("without", tr("Hear it without (hold, or press twice)"), "Shift+H", "Listen", hear_without, held=True),
)
