"""Changes of a patch in files, each an object such as ``{"set": "m.cutoff_hz", "to": 500}``."""

from __future__ import annotations

from collections.abc import Mapping

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.patch.changes import (
    Change,
    LayerGone,
    LayerPut,
    LayoutSet,
    LinkGone,
    LinkPut,
    ModuleGone,
    ModulePut,
    ParamSet,
    SeedSet,
    SeriesSet,
    TempoSet,
)
from dunefall.patch.fields import get, numbers, within
from dunefall.patch.partfiles import (
    MAX_LINKS,
    SEEDS,
    TEMPOS_BPM,
    dump_layer,
    dump_link,
    dump_module,
    layout_in,
    raw_layer,
    raw_link,
    raw_module,
    split_place,
)

__all__ = ["dump_change", "raw_change"]


def dump_change(change: Change) -> dict[str, object]:
    """A change as a file's object.

    Parameters
    ----------
    change : Change
        What changed.

    Returns
    -------
    dict[str, object]
    """
    if isinstance(change, ParamSet):
        return {"set": f"{change.module}.{change.param}", "to": change.value}
    if isinstance(change, SeriesSet):
        return {"draw": f"{change.module}.{change.series}", "to": list(change.values)}
    if isinstance(change, TempoSet):
        return {"tempo_bpm": change.bpm}
    if isinstance(change, SeedSet):
        return {"seed": change.seed}
    if isinstance(change, LayoutSet):
        return {"layout": change.layout}
    if isinstance(change, ModulePut):
        return {"module": dump_module(change.module), "layer": change.layer, "index": change.index}
    if isinstance(change, LinkPut):
        return {"link": dump_link(change.link), "index": change.index}
    if isinstance(change, LayerPut):
        return {"put_layer": dump_layer(change.layer), "index": change.index}
    if isinstance(change, ModuleGone):
        return {"without_module": change.module}
    if isinstance(change, LinkGone):
        return {"without_link": change.link}
    return {"without_layer": change.layer}


def raw_change(item: Mapping[str, object], place: str) -> Change:
    """Change of its object.

    Parameters
    ----------
    item : mapping
        The object's fields in the file.
    place : str
        Its place in the file, such as `entries[3].do[0]`.

    Returns
    -------
    Change

    Raises
    ------
    PatchError
        If it is none, or a field is of another kind or out of range; with its place.
    """
    if "set" in item:
        target = split_place(item["set"], f"{place}.set")
        return ParamSet(target.module, target.port, get(item, "to", float, place))
    if "draw" in item:
        target = split_place(item["draw"], f"{place}.draw")
        return SeriesSet(target.module, target.port, numbers(item, "to", place))
    if "tempo_bpm" in item:
        return TempoSet(within(item, "tempo_bpm", float, place, TEMPOS_BPM, unit="BPM"))
    if "seed" in item:
        return SeedSet(within(item, "seed", int, place, SEEDS))
    if "layout" in item:
        return LayoutSet(layout_in(item, place))
    if "module" in item:
        module = raw_module(get(item, "module", dict, place), f"{place}.module")
        return ModulePut(get(item, "layer", str, place), within(item, "index", int, place, (0, MAX_LINKS)), module)
    if "link" in item:
        return LinkPut(
            within(item, "index", int, place, (0, MAX_LINKS)), raw_link(get(item, "link", dict, place), f"{place}.link")
        )
    if "put_layer" in item:
        layer = raw_layer(get(item, "put_layer", dict, place), f"{place}.put_layer")
        return LayerPut(within(item, "index", int, place, (0, MAX_LINKS)), layer)
    for name, kind in (("without_module", ModuleGone), ("without_link", LinkGone), ("without_layer", LayerGone)):
        if name in item:
            return kind(get(item, name, str, place))
    raise PatchError(tr("this action is not known: {listed}", listed=", ".join(item) or "empty"), place=place)
