"""What is allowed in a patch or a take, and is most likely not meant: each as a sentence."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from difflib import get_close_matches

from dunefall.base.language import tr
from dunefall.base.reach import reached
from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import Param
from dunefall.patch.changes import apply_changes
from dunefall.patch.mixing import MOST_EFFECTS, effect_lanes, master_of, mix_of
from dunefall.patch.model import Layer, Link, Module, Patch
from dunefall.patch.partfiles import COMPOUND_FIELDS, LAYER_FIELDS, LINK_FIELDS, MODULE_FIELDS
from dunefall.patch.take import Clear, Edit, Note, Press, Take

__all__ = ["doubts", "doubts_of_take"]

SPANS = 4.0
"""An amount or offset of so many spans of its target does nothing that a smaller one would not."""
UNBOUNDED = 1000.0


def doubts(patch: Patch) -> list[str]:
    """Sentences about what is most likely not meant.

    Parameters
    ----------
    patch : Patch
        A patch that fits the declarations.

    Returns
    -------
    list of str
    """
    found = [*_fields(patch), *_layers(patch)]
    heard = _heard(patch)
    for layer in patch.layers:
        for module in layer.modules:
            found += _module(patch, layer, module, heard)
    for link in patch.links:
        found += _link(patch, link)
    return found


def doubts_of_take(take: Take) -> list[str]:
    """As ``doubts``, for the patch at a take's start, and for entries that name what is not there."""
    found, patch = doubts(take.start), take.start
    for entry in take.entries:
        what, at = entry.what, tr("at {rate_hz:.2f} s", rate_hz=entry.at / take.rate_hz)
        if isinstance(what, Edit):
            patch = apply_changes(patch, what.changes)
        elif isinstance(what, Note | Press | Clear) and what.module and not patch.has(what.module):
            done = {Note: tr("a note is played"), Press: tr("an input is held"), Clear: tr("a memory is cleared")}[
                type(what)
            ]
            found.append(
                tr('{at} {done} on "{module}", and there is no such module', at=at, done=done, module=what.module)
            )
    return found


def _heard(patch: Patch) -> set[str]:
    """Modules from which a way of links leads to a layer's output, to the master, or out to another instrument."""
    specs = {module.id: spec_of(module.type) for module in patch.modules()}
    return reached((name for name, spec in specs.items() if spec and spec.needed), _sources(patch))


def _sources(patch: Patch) -> dict[str, list[str]]:
    """From which modules links lead to each."""
    before: dict[str, list[str]] = {}
    for link in patch.links:
        if link.on:
            before.setdefault(link.target.module, []).append(link.source.module)
    return before


def _fields(patch: Patch) -> Iterator[str]:
    """Names of fields that mean nothing, and the one that may have been meant."""
    parts: list[tuple[str, Mapping[str, object], Sequence[str]]] = []
    for layer in patch.layers:
        parts.append((tr('layer "{name}"', name=layer.name), layer.extra, LAYER_FIELDS))
        parts += [(f'"{module.name}"', module.extra, MODULE_FIELDS) for module in layer.modules]
    parts += [(tr('link "{id}"', id=link.id), link.extra, LINK_FIELDS) for link in patch.links]
    parts += [
        (tr('compound "{name}"', name=compound.name), compound.extra, COMPOUND_FIELDS) for compound in patch.compounds
    ]
    for where, extra, known in parts:
        for name in extra:
            near = get_close_matches(name, known, 1, 0.5)
            if near:
                yield tr('{where} has a field "{name}", which means nothing; is "{near}" meant?', where=where,
                         name=name, near=near[0])  # fmt: skip


def _layers(patch: Patch) -> Iterator[str]:
    lanes = effect_lanes(patch)
    if len(lanes) > MOST_EFFECTS:
        names = ", ".join(layer.name for layer in lanes[MOST_EFFECTS:])
        yield tr("{MOST_EFFECTS} effect lanes are shown in Mix; {names} would be one more", MOST_EFFECTS=MOST_EFFECTS,
                 names=names)  # fmt: skip
    for layer in lanes:
        if not any(module.type == "sends" for module in layer.modules):
            yield tr('the effect lane "{name}" has no Sends: nothing can be sent to it', name=layer.name)
    yield from _inserts(patch)
    for layer in patch.layers:
        if layer.meet and all(module.id != layer.meet for module in layer.modules):
            yield tr('the voices of "{name}" are to meet at "{meet}", which is no module of this layer',
                     name=layer.name, meet=layer.meet)  # fmt: skip


def _inserts(patch: Patch) -> Iterator[str]:
    """Something else than the mix that comes to the master."""
    master, mix = master_of(patch), mix_of(patch)
    fed = [x.source.module for x in patch.links_into(master.id, "audio") if x.on] if master else []
    if master and fed and (mix is None or mix.id not in reached(fed, _sources(patch))):
        yield tr('something else than the whole mix goes into "{name}": the layers are not heard', name=master.name)


def _module(patch: Patch, layer: Layer, module: Module, heard: set[str]) -> Iterator[str]:
    spec, name = spec_of(module.type), tr('"{name}" in {name_2}', name=module.name, name_2=layer.name)
    if spec is None:
        yield tr(
            '{name} is of an unknown kind, "{type}": it stays in the file and is silent', name=name, type=module.type
        )
        return
    if module.id not in heard:
        yield tr("{name} leads to no output: it is not heard", name=name)
    links = patch.links_into(module.id)
    waits = [port for port in spec.inputs if port.listens and "nothing linked" not in port.help]
    fed = {link.target.port for link in links if link.on}
    if waits and not any(port.id in fed for port in spec.inputs):
        yield tr("{name} waits for {name_2}, and nothing is linked to it", name=name, name_2=waits[0].name)
    groups: dict[str, dict[str, int]] = {}
    for series in spec.series:
        if series.group:
            groups.setdefault(series.group, {})[series.name] = len(module.series.get(series.id, series.default))
    for lengths in groups.values():
        if len(set(lengths.values())) > 1:
            yield f"{name} has lists of unequal length: {', '.join(f'{k} {n}' for k, n in lengths.items())}"


def _link(patch: Patch, link: Link) -> Iterator[str]:
    target = patch.module(link.target.module)
    spec = spec_of(target.type)
    port = spec.target(link.target.port) if spec else None
    span = port.domain[1] - port.domain[0] if isinstance(port, Param) else UNBOUNDED
    for what, value in (("amount", link.amount), ("offset", link.offset)):
        if abs(value) > SPANS * span:
            source = patch.module(link.source.module).name
            yield tr('the {what} of {source} on "{name}" {port} is {value:g}, beyond any range', what=what,
                     source=source, name=target.name, port=link.target.port, value=value)  # fmt: skip
