"""The way of a sound through the modules of a layer."""

from __future__ import annotations

from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Input, ModuleSpec
from dunefall.patch.mixing import master_of
from dunefall.patch.model import Layer, Patch

__all__ = ["effects_in_order", "end_of", "inserts_of", "sound_path"]


def end_of(layer: Layer) -> str:
    """The module in which a layer's sound ends: its output, or the master; empty where there is none.

    Parameters
    ----------
    layer : Layer
        A layer.

    Returns
    -------
    str
    """
    return next((module.id for module in layer.modules if (spec := spec_for(module)) and spec.ends), "")


def sound_path(patch: Patch, layer: Layer) -> dict[str, int]:
    """How many modules a sound has passed, at most, before each module on the way to the layer's output.

    Parameters
    ----------
    patch : Patch
        The patch, or the patch as it is seen.
    layer : Layer
        One of its layers.

    Returns
    -------
    dict of str to int
        By module, in the order of the sound; a loop is entered at its first module. The output is not in it, but the
        master is.
    """
    feeds = _feeds(patch, layer)
    todo = [end_of(layer)]
    path = {*todo} - {""}
    while todo:
        for source in sorted(feeds.get(todo.pop(), ())):
            if source not in path:
                path.add(source)
                todo.append(source)
    path.discard(layer.output_id)
    return _depths([module.id for module in layer.modules if module.id in path], feeds)


def effects_in_order(patch: Patch, layer: Layer) -> tuple[str, ...]:
    """The modules through which a layer's sound passes, in its order: sources are not among them."""
    path = sound_path(patch, layer)
    passing = {module.id for module in layer.modules if (spec := spec_for(module)) and _passes_sound(spec)}
    return tuple(sorted((module for module in path if module in passing), key=lambda module: path[module]))


def inserts_of(patch: Patch) -> tuple[str, ...]:
    """The modules through which the whole mix passes before the master, in its order."""
    master = master_of(patch)
    return effects_in_order(patch, patch.layer_of(master.id)) if master else ()


def _passes_sound(spec: ModuleSpec) -> bool:
    target = spec.target(spec.passes) if spec.passes else None
    return isinstance(target, Input) and target.role == "audio"


def _feeds(patch: Patch, layer: Layer) -> dict[str, set[str]]:
    """For each module of a layer, the modules of the layer whose sound it takes."""
    inside = {module.id: spec_for(module) for module in layer.modules}
    feeds: dict[str, set[str]] = {module: set() for module in inside}
    for link in (link for module in inside for link in patch.links_into(module)):
        source, target = inside.get(link.source.module), inside[link.target.module]
        if source is None or target is None:
            continue
        output, port = source.output(link.source.port), target.target(link.target.port)
        if output and output.role == "audio" and isinstance(port, Input) and port.role == "audio":
            feeds[link.target.module].add(link.source.module)
    return feeds


def _depths(path: list[str], feeds: dict[str, set[str]]) -> dict[str, int]:
    """How many modules of the path a sound has passed before each, at most; a loop is entered at its first module."""
    depths: dict[str, int] = {}
    waiting = list(path)
    while waiting:
        module = next((m for m in waiting if not (feeds[m] - {m}) & set(waiting)), waiting[0])
        waiting.remove(module)
        depths[module] = 1 + max((depths[source] for source in feeds[module] if source in depths), default=-1)
    return depths
