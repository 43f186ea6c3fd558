"""Reading and writing JSON: fields checked for their kind, every error with its place in the file."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from typing import TypeVar, cast

from dunefall.base.errors import PatchError

__all__ = ["dump_json", "get", "numbers", "objects", "others", "parse_json", "texts"]

T = TypeVar("T")

MAX_DEPTH = 32
MAX_TEXT = 10_000
MAX_SERIES = 4_096

_KINDS = {
    str: "text",
    float: "a number",
    bool: "true or false",
    list: "a list",
    dict: "an object",
    int: "a whole number",
}


def parse_json(data: bytes) -> object:
    """Objects, lists and values of a file's bytes; raises PatchError with the place of the first fault.

    Parameters
    ----------
    data : bytes
        Bytes of the file.

    Returns
    -------
    object

    Raises
    ------
    PatchError
        If it is no valid JSON; with line and column.

    Examples
    --------
    >>> parse_json(b'{"title": "Night"}')
    {'title': 'Night'}
    """
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError as error:
        raise PatchError(f"byte {error.start} is not UTF-8 text; is this a patch file?") from error
    try:
        raw = json.loads(text, parse_constant=_refuse_constant, object_pairs_hook=_unique_object)
    except json.JSONDecodeError as error:
        raise PatchError(f"line {error.lineno}, column {error.colno}: this is not valid JSON ({error.msg})") from error
    except RecursionError as error:
        raise PatchError("the file is nested too deeply to be a patch") from error
    except ValueError as error:
        raise PatchError(f"a number in the file cannot be read ({error})") from error
    _check_depth(raw)
    return raw


def dump_json(raw: object) -> str:
    """The text of objects and lists in a file."""
    return json.dumps(raw, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def _refuse_constant(name: str) -> float:
    raise PatchError(f"{name} is not a number a patch may hold")


def _unique_object(pairs: list[tuple[str, object]]) -> dict[str, object]:
    result = dict(pairs)
    if len(result) != len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise PatchError(f'the field "{twice}" appears twice in one object')
    return result


def _check_depth(raw: object) -> None:
    level, depth = [raw], 0
    while level:
        depth += 1
        if depth > MAX_DEPTH:
            raise PatchError(f"the file is nested deeper than {MAX_DEPTH} levels")
        parts = [part.values() if isinstance(part, dict) else part for part in level if isinstance(part, dict | list)]
        level = [item for part in parts for item in part]


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
            raise PatchError(f'the field "{name}" is missing', place=place or "the file")
        return default
    value = raw[name]
    fits = isinstance(value, (int, float) if kind is float else kind)
    if not fits or (isinstance(value, bool) and kind is not bool):
        shown = json.dumps(value)[:40]
        raise PatchError(f"needs {_KINDS[kind]}; got {shown}", place=where)
    if kind is float and isinstance(value, int | float):
        if not abs(value) <= 1e300 or not math.isfinite(value):
            raise PatchError("the number is too large", place=where)
        return cast(T, float(value))
    if isinstance(value, str) and len(value) > MAX_TEXT:
        raise PatchError(f"the text is longer than {MAX_TEXT} characters", place=where)
    return cast(T, value)


def others(raw: dict[str, object], known: tuple[str, ...]) -> Mapping[str, object]:
    """The fields of an object that are not among those known."""
    return {name: value for name, value in raw.items() if name not in known}


def objects(raw: dict[str, object], name: str, place: str, most: int) -> list[tuple[dict[str, object], str]]:
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
        raise PatchError(f"has {len(items)} entries; at most {most} are allowed", place=where)
    for index, item in enumerate(items):
        if not isinstance(item, dict):
            raise PatchError("needs an object", place=f"{where}[{index}]")
    return [(item, f"{where}[{index}]") for index, item in enumerate(items)]


def texts(raw: dict[str, object], name: str, place: str) -> list[str]:
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
        raise PatchError("needs a list of texts", place=f"{place}.{name}")
    return [str(item) for item in items]


def numbers(raw: dict[str, object], name: str, place: str) -> tuple[float, ...]:
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
        raise PatchError(f"has {len(items)} entries; at most {MAX_SERIES} are allowed", place=where)
    return tuple(get({f"{k}": item}, f"{k}", float, where) for k, item in enumerate(items))
