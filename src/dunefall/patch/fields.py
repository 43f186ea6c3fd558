"""Fields of JSON objects, checked for their kind, every error with its place in the file."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from typing import TypeVar, cast

from dunefall.base.errors import PatchError
from dunefall.base.language import tr

__all__ = ["get", "numbers", "objects", "others", "texts", "within"]

T = TypeVar("T")
N = TypeVar("N", int, float)

MAX_SERIES = 4_096

_KINDS = {
    str: "text",
    float: tr("a number"),
    bool: tr("true or false"),
    list: tr("a list"),
    dict: tr("an object"),
    int: tr("a whole number"),
}


def get(raw: Mapping[str, object], name: str, kind: type[T], place: str, default: T | None = None) -> T:
    """Field of an object, checked for its kind; missing fields give ``default`` or raise.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.
    name : str
        Name of the field.
    kind : type
        str, float, int, bool, list or dict.
    place : str
        The object's place in the file.
    default : T, optional
        What is given where the field is missing; without one it must be there.

    Returns
    -------
    T

    Raises
    ------
    PatchError
        If the field is missing or of another kind; with its place.
    """
    where = f"{place}.{name}" if place else name
    if name not in raw:
        if default is None:
            raise PatchError(tr('the field "{name}" is missing', name=name), place=place or tr("the file"))
        return default
    value = raw[name]
    fits = isinstance(value, (int, float) if kind is float else kind)
    if not fits or (isinstance(value, bool) and kind is not bool):
        shown = json.dumps(value)[:40]
        raise PatchError(tr("needs {KINDS}; got {shown}", KINDS=_KINDS[kind], shown=shown), place=where)
    if kind is float and isinstance(value, int | float):
        if not abs(value) <= 1e300 or not math.isfinite(value):
            raise PatchError(tr("the number is too large"), place=where)
        return cast(T, float(value))
    return cast(T, value)


def within(
    raw: Mapping[str, object], name: str, kind: type[N], place: str, span: tuple[float, float],
    default: N | None = None, unit: str = "",
) -> N:  # fmt: skip
    """Number of an object, checked for its kind and range.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.
    name : str
        Name of the field.
    kind : type
        int or float.
    place : str
        The object's place in the file.
    span : (float, float)
        The lowest and the highest that it may be.
    default : number, optional
        What is given where the field is missing; without one it must be there.
    unit : str
        What is told behind the range.

    Returns
    -------
    number

    Raises
    ------
    PatchError
        If it is missing, of another kind or out of range; with its place.
    """
    value = get(raw, name, kind, place, default)
    if not span[0] <= value <= span[1]:
        got = str(value)[:20] if kind is int else f"{value:g}"
        told = tr("must be {span} to {span_2} {unit}", span=span[0], span_2=span[1], unit=unit).rstrip()
        raise PatchError(tr("{told}; got {got}", told=told, got=got), place=f"{place}.{name}".lstrip("."))
    return value


def others(raw: dict[str, object], known: tuple[str, ...]) -> Mapping[str, object]:
    """The fields of an object that are not among those known."""
    return {name: value for name, value in raw.items() if name not in known}


def objects(raw: Mapping[str, object], name: str, place: str, most: int) -> list[tuple[dict[str, object], str]]:
    """The objects of a list, each with its place.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.
    name : str
        Name of the field.
    place : str
        Its place in the file, such as `layers[0].modules[2]`.
    most : int
        How many there may be.

    Returns
    -------
    list[tuple[dict[str, object], str]]

    Raises
    ------
    PatchError
        If it is no list of objects, or too long.
    """
    items = get(raw, name, list, place, [])
    where = f"{place}.{name}" if place else name
    if len(items) > most:
        raise PatchError(
            tr("has {count} entries; at most {most} are allowed", count=len(items), most=most), place=where
        )
    for index, item in enumerate(items):
        if not isinstance(item, dict):
            raise PatchError(tr("needs an object"), place=f"{where}[{index}]")
    return [(item, f"{where}[{index}]") for index, item in enumerate(items)]


def texts(raw: Mapping[str, object], name: str, place: str) -> list[str]:
    """The texts of a list, none where it is missing.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.
    name : str
        Name of the field.
    place : str
        Its place in the file, such as `layers[0].modules[2]`.

    Returns
    -------
    list[str]

    Raises
    ------
    PatchError
        If it is no list of texts.
    """
    items: list[object] = get(raw, name, list, place, [])
    if not all(isinstance(item, str) for item in items):
        raise PatchError(tr("needs a list of texts"), place=f"{place}.{name}")
    return [str(item) for item in items]


def numbers(raw: Mapping[str, object], name: str, place: str) -> tuple[float, ...]:
    """The numbers of a list; raises PatchError with the place of what is none.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.
    name : str
        Name of the field.
    place : str
        Its place in the file, such as `layers[0].modules[2]`.

    Returns
    -------
    tuple[float, ...]

    Raises
    ------
    PatchError
        If it is no list of numbers, or too long.
    """
    items = get(raw, name, list, place)
    where = f"{place}.{name}"
    if len(items) > MAX_SERIES:
        raise PatchError(
            tr("has {count} entries; at most {MAX_SERIES} are allowed", count=len(items), MAX_SERIES=MAX_SERIES),
            place=where,
        )
    return tuple(get({f"{k}": item}, f"{k}", float, where) for k, item in enumerate(items))
