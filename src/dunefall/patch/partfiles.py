"""Layers, modules, links and compounds in files; every field is checked as it is read."""

from __future__ import annotations

import json
from collections.abc import Mapping

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.base.layouts import LAYOUTS
from dunefall.patch.fields import get, numbers, objects, others, texts, within
from dunefall.patch.model import (
    CURVES,
    MOST_VOICES,
    Compound,
    Control,
    Layer,
    Link,
    Module,
    Moment,
    Place,
    Port,
    SoundRef,
)

__all__ = [
    "COMPOUND_FIELDS",
    "LAYER_FIELDS",
    "LINK_FIELDS",
    "MAX_LINKS",
    "MAX_MODULES",
    "MAX_MOMENTS",
    "MODULE_FIELDS",
    "SEEDS",
    "TEMPOS_BPM",
    "dump_compound",
    "dump_layer",
    "dump_link",
    "dump_module",
    "dump_moment",
    "layout_in",
    "raw_compound",
    "raw_layer",
    "raw_link",
    "raw_module",
    "raw_moment",
    "split_place",
]

MAX_MODULES, MAX_LINKS = 10_000, 50_000
SEEDS, TEMPOS_BPM = (0, 2**32 - 1), (10, 400)
MAX_MOMENTS, LATEST_S = 1000, 1e6

LAYER_FIELDS = ("id", "name", "folded", "voices", "spread", "meet", "effects", "group", "modules")
_ONE_VOICE = (1, 0.5, "")
MODULE_FIELDS = ("id", "type", "name", "bypassed", "params", "sound", "series", "locked")
LINK_FIELDS = ("id", "from", "to", "amount", "offset", "curve", "on")
COMPOUND_FIELDS = (
    "id", "name", "about", "parts", "controls", "ports", "bypassed", "resting", "library", "digest",
)  # fmt: skip


def dump_layer(layer: Layer) -> dict[str, object]:
    """A layer as a file's object.

    Parameters
    ----------
    layer : Layer
        The layer.

    Returns
    -------
    dict[str, object]
    """
    usual = (layer.voices, layer.spread, layer.meet) == _ONE_VOICE
    voices = {} if usual else {"voices": layer.voices, "spread": layer.spread, "meet": layer.meet}
    modules = [dump_module(module) for module in layer.modules]
    effects = {"effects": True} if layer.effects else {}
    group = {"group": layer.group} if layer.group else {}
    own = {**effects, **group, **voices, "modules": modules, **layer.extra}
    return {"id": layer.id, "name": layer.name, "folded": layer.folded, **own}


def dump_module(module: Module) -> dict[str, object]:
    """A module as a file's object."""
    return {
        "id": module.id,
        "type": module.type,
        "name": module.name,
        "bypassed": module.bypassed,
        "params": dict(module.params),
        **({"sound": {"path": module.sound.path, "digest": module.sound.digest}} if module.sound else {}),
        **({"series": {name: list(values) for name, values in module.series.items()}} if module.series else {}),
        **({"locked": sorted(module.locked)} if module.locked else {}),
        **module.extra,
    }


def dump_moment(moment: Moment) -> dict[str, object]:
    """A moment as a file's object.

    Parameters
    ----------
    moment : Moment
        The moment.

    Returns
    -------
    dict
    """
    ends = {"until_s": moment.until_s} if moment.until_s else {}
    return {"at_s": moment.at_s, "name": moment.name, **ends}


def raw_moment(raw: dict[str, object], place: str) -> Moment:
    """Moment of its object.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.
    place : str
        Its place in the file, such as `moments[2]`.

    Returns
    -------
    Moment

    Raises
    ------
    PatchError
        If a field is missing, of another kind or out of range.
    """
    span = (0.0, LATEST_S)
    at = within(raw, "at_s", float, place, span, unit="s")
    return Moment(at, get(raw, "name", str, place), within(raw, "until_s", float, place, span, 0.0, "s"))


def dump_link(link: Link) -> dict[str, object]:
    """A link as a file's object."""
    return {
        "id": link.id,
        "from": str(link.source),
        "to": str(link.target),
        "amount": link.amount,
        "offset": link.offset,
        "curve": link.curve,
        "on": link.on,
        **link.extra,
    }


def raw_layer(raw: dict[str, object], place: str) -> Layer:
    """Layer of its object.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.
    place : str
        Its place in the file, such as `layers[0].modules[2]`.

    Returns
    -------
    Layer

    Raises
    ------
    PatchError
        If a field is missing or of another kind.
    """
    voices = within(raw, "voices", int, place, (1, MOST_VOICES), 1)
    spread = within(raw, "spread", float, place, (0, 1), 0.5)
    return Layer(
        voices=voices,
        spread=spread,
        meet=get(raw, "meet", str, place, ""),
        id=get(raw, "id", str, place),
        name=get(raw, "name", str, place),
        folded=get(raw, "folded", bool, place, False),
        effects=get(raw, "effects", bool, place, False),
        group=get(raw, "group", str, place, ""),
        modules=tuple(raw_module(item, where) for item, where in objects(raw, "modules", place, MAX_MODULES)),
        extra=others(raw, LAYER_FIELDS),
    )


def raw_module(raw: dict[str, object], place: str) -> Module:
    """Module of its object.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.
    place : str
        Its place in the file, such as `layers[0].modules[2]`.

    Returns
    -------
    Module
    """
    params = get(raw, "params", dict, place, {})
    values = {name: get(params, name, float, f"{place}.params") for name in params}
    type_id = get(raw, "type", str, place)
    return Module(
        id=get(raw, "id", str, place),
        type=type_id,
        name=get(raw, "name", str, place, type_id),
        bypassed=get(raw, "bypassed", bool, place, False),
        params=values,
        sound=_raw_sound(get(raw, "sound", dict, place, {}), f"{place}.sound"),
        series=_raw_series(get(raw, "series", dict, place, {}), f"{place}.series"),
        locked=frozenset(texts(raw, "locked", place)),
        extra=others(raw, MODULE_FIELDS),
    )


def dump_compound(compound: Compound) -> dict[str, object]:
    """A compound as a file's object.

    Parameters
    ----------
    compound : Compound
        The compound.

    Returns
    -------
    dict[str, object]
    """
    resting = {"bypassed": True, "resting": list(compound.resting)} if compound.bypassed else {}
    library = {"library": compound.library, "digest": compound.digest} if compound.library else {}
    return {
        "id": compound.id,
        "name": compound.name,
        **({"about": compound.about} if compound.about else {}),
        "parts": list(compound.parts),
        "controls": [{"at": str(x.place), "name": x.name, "low": x.low, "high": x.high} for x in compound.controls],
        "ports": [{"at": str(port.place), "name": port.name} for port in compound.ports],
        **resting,
        **library,
        **compound.extra,
    }


def raw_compound(raw: dict[str, object], place: str) -> Compound:
    """Compound of its object.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.
    place : str
        Its place in the file, such as `layers[0].modules[2]`.

    Returns
    -------
    Compound
    """
    shown = {name: objects(raw, name, place, MAX_MODULES) for name in ("controls", "ports")}
    return Compound(
        id=get(raw, "id", str, place),
        name=get(raw, "name", str, place),
        about=get(raw, "about", str, place, ""),
        parts=tuple(texts(raw, "parts", place)),
        controls=tuple(_raw_control(item, where) for item, where in shown["controls"]),
        ports=tuple(Port(_place_at(item, where), get(item, "name", str, where)) for item, where in shown["ports"]),
        bypassed=get(raw, "bypassed", bool, place, False),
        resting=tuple(texts(raw, "resting", place)),
        library=get(raw, "library", str, place, ""),
        digest=get(raw, "digest", str, place, ""),
        extra=others(raw, COMPOUND_FIELDS),
    )


def _raw_control(raw: dict[str, object], place: str) -> Control:
    low, high = get(raw, "low", float, place), get(raw, "high", float, place)
    if low >= high:
        raise PatchError(tr("must be above low ({low:g}); got {high:g}", low=low, high=high), place=f"{place}.high")
    return Control(_place_at(raw, place), get(raw, "name", str, place), low, high)


def _place_at(raw: dict[str, object], place: str) -> Place:
    return split_place(get(raw, "at", str, place), f"{place}.at")


def _raw_sound(raw: dict[str, object], place: str) -> SoundRef | None:
    return SoundRef(get(raw, "path", str, place), get(raw, "digest", str, place)) if raw else None


def _raw_series(raw: dict[str, object], place: str) -> dict[str, tuple[float, ...]]:
    return {name: numbers(raw, name, place) for name in raw}


def raw_link(raw: dict[str, object], place: str) -> Link:
    """Link of its object.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.
    place : str
        Its place in the file, such as `layers[0].modules[2]`.

    Returns
    -------
    Link

    Raises
    ------
    PatchError
        If a field is missing or of another kind.
    """
    curve = get(raw, "curve", str, place, CURVES[0])
    if curve not in CURVES:
        raise PatchError(
            tr('must be one of {listed}; got "{curve}"', listed=", ".join(CURVES), curve=curve), place=f"{place}.curve"
        )
    return Link(
        id=get(raw, "id", str, place),
        source=split_place(get(raw, "from", str, place), f"{place}.from"),
        target=split_place(get(raw, "to", str, place), f"{place}.to"),
        amount=get(raw, "amount", float, place, 1.0),
        offset=get(raw, "offset", float, place, 0.0),
        curve=curve,
        on=get(raw, "on", bool, place, True),
        extra=others(raw, LINK_FIELDS),
    )


def split_place(text: object, place: str) -> Place:
    """Module and port of "module.port".

    Parameters
    ----------
    text : object
        The value in the file.
    place : str
        Its place in the file, such as `layers[0].modules[2]`.

    Returns
    -------
    Place

    Raises
    ------
    PatchError
        If it is not of the form module.port.

    Examples
    --------
    >>> split_place("clock-1.gate", "links[0].from")
    Place(module='clock-1', port='gate')
    """
    module, dot, port = text.partition(".") if isinstance(text, str) else ("", "", "")
    if not (module and dot and port):
        raise PatchError(tr('needs "module.port"; got {dumps}', dumps=json.dumps(text)[:40]), place=place)
    return Place(module, port)


def layout_in(raw: Mapping[str, object], place: str) -> str:
    """The layout that an object names, stereo by default; raises PatchError if there is no such layout.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.
    place : str
        Its place in the file, such as `layers[0].modules[2]`.

    Returns
    -------
    str

    Raises
    ------
    PatchError
        If there is no such layout.
    """
    layout: str = get(raw, "layout", str, place, LAYOUTS[0].id)
    known = [known.id for known in LAYOUTS]
    if layout not in known:
        raise PatchError(
            tr('must be one of {listed}; got "{layout}"', listed=", ".join(known), layout=layout),
            place=f"{place}.layout".lstrip("."),
        )
    return layout
