"""Edits of modules: their values, series, sounds, names, bypass; adding and removing.

Each function is one undo step of a document, or part of one.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace

from dunefall.base.door import clean
from dunefall.base.language import tr, tr_count
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.paths import effects_in_order
from dunefall.catalogue.pitch.quantiser import OWN_SCALE
from dunefall.patch.document import Document
from dunefall.patch.model import Patch, Place, SoundRef

__all__ = [
    "bypass_effects",
    "remove_modules",
    "rename",
    "set_param",
    "set_params",
    "set_series",
    "set_sound",
    "set_together",
    "set_tuning",
    "toggle_bypass",
    "toggle_lock",
    "toggle_pin",
    "use_next_effect",
]

MAX_PINS = 4


def set_param(document: Document, module: str, param: str, value: float) -> None:
    """Set one base value; see ``set_params``."""
    set_params(document, module, {param: value})


def set_params(document: Document, module: str, values: Mapping[str, float]) -> None:
    """Set base values of a module; see ``set_together``."""
    set_together(document, {module: values})


def set_together(document: Document, values: Mapping[str, Mapping[str, float]]) -> None:
    """Set base values of modules; the steps of one movement become one undo step (see ``Document.end_merge``).

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    values : mapping of str to mapping of str to float
        Values by module and parameter.

    Raises
    ------
    ParameterError
        If a value is out of range.
    """
    patch = document.patch
    for module, changed in values.items():
        found = patch.module(module)
        spec = spec_for(found)
        if spec is not None:
            for param, value in changed.items():
                spec.param(param).check(
                    value, tr('"{name}" in layer "{name_2}"', name=found.name, name_2=patch.layer_of(module).name)
                )
        patch = patch.with_module(replace(found, params={**found.params, **changed}))
    name = patch.module(next(iter(values))).name if len(values) == 1 else tr("{count} layers", count=len(values))
    merge = ";".join(f"{module}.{','.join(changed)}" for module, changed in values.items())
    document.edit(tr("Change {name}", name=name), patch, merge=merge)


def set_series(
    document: Document, module: str, series: Mapping[str, tuple[float, ...]], *, label: str = tr("Draw in")
) -> None:
    """Give a module other series; the steps of one movement become one undo step.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    module : str
        Id of the module.
    series : mapping of str to tuple of float
        Numbers by the id of the series.
    label : str
        What the undo step is called.

    Raises
    ------
    ParameterError
        If there are too many numbers or one is out of range.
    """
    found = document.patch.module(module)
    spec = spec_for(found)
    for declared in spec.series if spec else ():
        if declared.id in series:
            declared.check(series[declared.id], f'"{found.name}"')
    changed = document.patch.with_series(module, series)
    document.edit(f"{label} {found.name}", changed, merge=f"{module} {','.join(series)}")


def set_tuning(document: Document, module: str, cents: tuple[float, ...]) -> None:
    """Let a quantiser use a tuning of the user's own.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    module : str
        Id of the module.
    cents : tuple of float
        Notes of the scale in cents above the root, the last one the period.
    """
    patch = document.patch.with_series(module, {"steps_ct": cents}).with_param(module, "scale", float(OWN_SCALE))
    document.edit(tr("Tune {name}", name=patch.module(module).name), patch)


def set_sound(document: Document, module: str, sound: SoundRef | None) -> None:
    """Give a module another sound file, or take it away.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    module : str
        Id of the module.
    sound : SoundRef or None
        The file; None takes it away.
    """
    found = document.patch.module(module)
    document.edit(tr("Sound of {name}", name=found.name), document.patch.with_module(replace(found, sound=sound)))


def remove_modules(document: Document, modules: Collection[str]) -> None:
    """Remove modules; a sound that passed through them passes on without them.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    modules : collection of str
        Ids of the modules.
    """
    patch, name = document.patch, ""
    for module in modules:
        name = patch.module(module).name
        patch = _healed(patch, module)
    document.edit(tr_count("Remove {name}", "Remove {count} modules", len(modules), name=name), patch)


def rename(document: Document, module: str, name: str) -> None:
    """Rename a module; the name of a layer's output is the layer's.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    module : str
        Id of the module.
    name : str
        The new name.
    """
    patch, name = document.patch, clean(name)
    if not name:
        return
    layer = patch.layer_of(module)
    changed = patch.with_module(replace(patch.module(module), name=name))
    if module == layer.output_id:
        changed = changed.with_layer(replace(changed.layer(layer.id), name=name))
    document.edit(tr("Rename {name}", name=patch.module(module).name), changed)


def toggle_bypass(document: Document, modules: Collection[str]) -> None:
    """Bypass modules, or use them again where all are bypassed.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    modules : collection of str
        Ids of the modules; those that would be the same are passed over: outputs of layers, and the whole mix.
    """
    found = [document.patch.module(module) for module in modules]
    found = [module for module in found if (spec := spec_for(module)) is None or spec.can_bypass]
    if found:
        on = not all(module.bypassed for module in found)
        name = found[0].name if len(found) == 1 else tr("{count} modules", count=len(found))
        _bypass(document, [module.id for module in found], on, bypass_label(name, on))


def bypass_label(name: str, on: bool) -> str:
    """What the edit menu says of a bypass, and of its end."""
    return tr("Bypass {name}", name=name) if on else tr("Use {name}", name=name)


def bypass_effects(document: Document, layer: str) -> int:
    """Bypass everything that a layer's sound passes through.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layer : str
        Id of the layer.

    Returns
    -------
    int
        How many modules are bypassed now.
    """
    effects = effects_in_order(document.patch, document.patch.layer(layer))
    _bypass(document, effects, True, tr("Bypass the effects of {name}", name=document.patch.layer(layer).name))
    return len(effects)


def use_next_effect(document: Document, layer: str) -> str:
    """Bring back the next bypassed module in the order of the sound.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layer : str
        Id of the layer.

    Returns
    -------
    str
        Its id; "" where none is bypassed.
    """
    patch = document.patch
    found = next((m for m in effects_in_order(patch, patch.layer(layer)) if patch.module(m).bypassed), "")
    if found:
        _bypass(document, [found], False, tr("Use {name}", name=patch.module(found).name))
    return found


def _bypass(document: Document, modules: Collection[str], on: bool, label: str) -> None:
    patch = document.patch
    for module in modules:
        patch = patch.with_module(replace(patch.module(module), bypassed=on))
    document.edit(label, patch)


def toggle_lock(document: Document, place: Place) -> None:
    """Keep a value out of reach of chance, or no longer.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    place : Place
        Module and port.
    """
    found = document.patch.module(place.module)
    locked = found.locked ^ {place.port}
    label = tr("Lock") if place.port in locked else tr("Unlock")
    document.edit(
        tr("{label} a value of {name}", label=label, name=found.name),
        document.patch.with_module(replace(found, locked=locked)),
    )


def toggle_pin(document: Document, place: Place) -> None:
    """Pin an output in Watch, or take it away; the oldest of four goes for a fifth.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    place : Place
        Module and port.
    """
    patch = document.patch
    pins = tuple(pin for pin in patch.pins if pin != place)
    pins = pins if place in patch.pins else (*pins, place)[-MAX_PINS:]
    document.edit(tr("Pin {name}", name=patch.module(place.module).name), replace(patch, pins=pins))


def _healed(patch: Patch, module: str) -> Patch:
    """A patch without a module: what it passed on, sound, movement, trigger or pitch, goes to where it went."""
    spec, healed = spec_for(patch.module(module)), patch.without_module(module)
    if spec and spec.brings_mix:
        healed = _straight_to_master(healed)
    if spec is None or not spec.passes:
        return healed
    after = [link for link in patch.links_from(module) if link.source.port == spec.outputs[0].id]
    for before in patch.links_into(module, spec.passes):
        for link in after:
            known = any(x.source == before.source and x.target == link.target for x in healed.links)
            if module not in (before.source.module, link.target.module) and not known:
                through = replace(
                    link, id=healed.free_id("link"), source=before.source, amount=before.amount * link.amount,
                    offset=link.offset + before.offset * link.amount,
                )  # fmt: skip
                healed = healed.with_link(through)
    return healed


def _straight_to_master(patch: Patch) -> Patch:
    """A patch in which nothing comes between the mix and the master."""
    for module in patch.modules():
        spec = spec_for(module)
        for port in spec.inputs if spec and spec.closes else ():
            for link in patch.links_into(module.id, port.id):
                patch = patch.without_link(link.id)
    return patch
