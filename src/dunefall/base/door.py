"""The one door for what comes from outside as bytes or text: everything is bounded here before anything else sees it.

Files are read up to a size; JSON up to a depth; every text in it is valid Unicode without control characters, of a
length; paths are texts that the system can take. What is typed is not refused but made to fit.
"""

from __future__ import annotations

import json
import re
from pathlib import Path

from dunefall.base.errors import PatchError, StorageError
from dunefall.base.language import tr

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
            raise PatchError(tr("{path} is no ordinary file", path=path))
        size = path.stat().st_size
        if size > most:
            raise PatchError(tr("{path} has {size:.0f} MB; at most {most:g} MB are read", path=path, size=size / 1e6,
                                most=most / 1e6))  # fmt: skip
        return path.read_bytes()
    except (OSError, ValueError) as error:
        raise StorageError(
            tr("cannot read {path}: {reason}", path=path, reason=getattr(error, "strerror", None) or error)
        ) from error


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
        raise PatchError(tr("byte {start} is not UTF-8 text; is this a patch file?", start=error.start)) from error
    try:
        raw = json.loads(text, parse_constant=_refuse_constant, object_pairs_hook=_unique_object)
    except json.JSONDecodeError as error:
        raise PatchError(tr("line {lineno}, column {colno}: this is not valid JSON ({msg})", lineno=error.lineno,
                            colno=error.colno, msg=error.msg)) from error  # fmt: skip
    except RecursionError as error:
        raise PatchError(tr("the file is nested too deeply to be a patch")) from error
    except ValueError as error:
        raise PatchError(tr("a number in the file cannot be read ({error})", error=error)) from error
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
        raise PatchError(tr("no file can be called {text}", text=_shown(text)), place=place)
    return Path(text)


def _refuse_constant(name: str) -> float:
    raise PatchError(tr("{name} is not a number a patch may hold", name=name))


def _unique_object(pairs: list[tuple[str, object]]) -> dict[str, object]:
    result = dict(pairs)
    if len(result) != len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise PatchError(tr("the field {twice} appears twice in one object", twice=_shown(twice)))
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
            raise PatchError(tr("the file is nested deeper than {MAX_DEPTH} levels", MAX_DEPTH=MAX_DEPTH))
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
        raise PatchError(tr("the text is longer than {MAX_TEXT} characters", MAX_TEXT=MAX_TEXT), place=place)
    found = _WRONG.search(text)
    if found:
        code = ord(found[0])
        what = tr("half of a character") if 0xD800 <= code <= 0xDFFF else tr("a control character")
        raise PatchError(
            tr("the text {text} holds {what} (U+{code:04X})", text=_shown(text), what=what, code=code), place=place
        )


def _shown(text: str) -> str:
    """A text in an error: its beginning, in characters that can be shown."""
    return json.dumps(text[:_SHOWN])
