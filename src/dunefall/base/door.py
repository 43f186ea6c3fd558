"""The one door for what comes from outside as bytes or text: everything is bounded here before anything else sees it.

Files are read up to a size; JSON up to a depth; every text in it is valid Unicode without control characters, of a
length; paths are texts that the system can take. What is typed is not refused but made to fit.
"""

from __future__ import annotations

import json
import re
from pathlib import Path

from dunefall.base.errors import PatchError, StorageError

__all__ = ["MAX_BYTES", "MAX_TEXT", "clean", "dump_json", "parse_json", "path_of", "read_file"]

MAX_BYTES = 16_000_000
MAX_DEPTH = 32
MAX_TEXT = 10_000
MAX_PATH = 4_096
MOST_NAME = 60
"""Characters of a name."""
_WRONG = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\ud800-\udfff]")
"""Control characters but tab and line feed, and halves of characters, which no file can hold."""
_SHOWN = 40
_ESCAPE = re.compile(r"\\[ubfr]")
"""Escapes in JSON that could stand for such characters."""
_USUAL = bytes([9, 10, 13, *range(0x20, 0x7F)])
"""Bytes that are no control characters; a carriage return stands between values only."""


def read_file(path: Path, most: int = MAX_BYTES) -> bytes:
    """Bytes of a file.

    Parameters
    ----------
    path : Path
        The file.
    most : int
        How many bytes it may have.

    Returns
    -------
    bytes

    Raises
    ------
    PatchError
        If the file is absurdly large, or no ordinary file.
    StorageError
        If it cannot be read.
    """
    try:
        if path.exists() and not (path.is_file() or path.is_dir()):  # a device has no end
            raise PatchError(f"{path} is no ordinary file")
        size = path.stat().st_size
        if size > most:
            raise PatchError(f"{path} has {size / 1e6:.0f} MB; at most {most / 1e6:g} MB are read")
        return path.read_bytes()
    except (OSError, ValueError) as error:
        raise StorageError(f"cannot read {path}: {getattr(error, 'strerror', None) or error}") from error


def parse_json(data: bytes) -> object:
    """Objects, lists and values of a file's bytes.

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
        If it is no valid JSON, with line and column; or if a text in it is none, with its place.

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
    if _may_hold_wrong(data, text) or not _within(raw):
        _check_parts(raw)  # which finds the place, if anything is wrong
    return raw


def dump_json(raw: object) -> str:
    """The text of objects and lists in a file."""
    return json.dumps(raw, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def clean(text: str, most: int = MOST_NAME) -> str:
    """What was typed or pasted, as a name: without control characters and broken ones, and not too long.

    Examples
    --------
    >>> clean("  Night\\x00 wind \\ud800")
    'Night wind'
    """
    return _WRONG.sub("", text).replace("\t", " ").replace("\n", " ").strip()[:most].strip()


def path_of(text: str, place: str = "") -> Path:
    """The path of a text in a file.

    Parameters
    ----------
    text : str
        What the file has.
    place : str
        Its place in the file.

    Returns
    -------
    Path

    Raises
    ------
    PatchError
        If no file can have that name.
    """
    if not text or len(text) > MAX_PATH or _WRONG.search(text) or "\n" in text:
        raise PatchError(f"no file can be called {_shown(text)}", place=place)
    return Path(text)


def _refuse_constant(name: str) -> float:
    raise PatchError(f"{name} is not a number a patch may hold")


def _unique_object(pairs: list[tuple[str, object]]) -> dict[str, object]:
    result = dict(pairs)
    if len(result) != len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise PatchError(f"the field {_shown(twice)} appears twice in one object")
    return result


def _may_hold_wrong(data: bytes, text: str) -> bool:
    """Whether a text in a file may be none; a quick answer, since nearly all are."""
    if data.isascii() and data.translate(None, _USUAL):
        return True
    if not data.isascii() and _WRONG.search(text.replace("\r", "")):
        return True
    return "\\" in text and _ESCAPE.search(text) is not None


def _within(raw: object) -> bool:
    """Whether nothing is too deep or too long."""
    level: list[object] = [raw]
    for _ in range(MAX_DEPTH):
        below: list[object] = []
        for part in level:
            if type(part) is dict:
                if max(map(len, part), default=0) > MAX_TEXT:
                    return False
                below += part.values()
            elif type(part) is list:
                below += part
            elif type(part) is str and len(part) > MAX_TEXT:
                return False
        level = below
    return not level


def _check_parts(raw: object) -> None:
    """Depth and texts, level by level."""
    level: list[tuple[object, str]] = [(raw, "")]
    depth = 0
    while level:
        depth += 1
        if depth > MAX_DEPTH:
            raise PatchError(f"the file is nested deeper than {MAX_DEPTH} levels")
        below: list[tuple[object, str]] = []
        for part, place in level:
            if isinstance(part, dict):
                for name, item in part.items():
                    _check_text(name, place)
                    below.append((item, f"{place}.{name}" if place else name))
            elif isinstance(part, list):
                below += [(item, f"{place}[{index}]") for index, item in enumerate(part) if not _is_number(item)]
            elif isinstance(part, str):
                _check_text(part, place)
        level = below


def _is_number(item: object) -> bool:
    return isinstance(item, int | float)


def _check_text(text: str, place: str) -> None:
    if len(text) > MAX_TEXT:
        raise PatchError(f"the text is longer than {MAX_TEXT} characters", place=place)
    found = _WRONG.search(text)
    if found:
        code = ord(found[0])
        what = "half of a character" if 0xD800 <= code <= 0xDFFF else "a control character"
        raise PatchError(f"the text {_shown(text)} holds {what} (U+{code:04X})", place=place)


def _shown(text: str) -> str:
    """A text in an error: its beginning, in characters that can be shown."""
    return json.dumps(text[:_SHOWN])
