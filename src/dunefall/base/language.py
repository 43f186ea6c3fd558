"""The language of all that is shown: texts by gettext, plurals, and the decimal mark of its numbers.

It is that of the desktop (``LANGUAGE``, ``LC_ALL``, ``LC_MESSAGES``, ``LANG``), unless the preferences or
``DUNEFALL_LANGUAGE`` name another; a process keeps the one that it began with. ``pseudo`` is English with every text in
brackets: what is shown without them has escaped translation.
"""

from __future__ import annotations

import gettext
import json
import os
from functools import cache
from pathlib import Path
from string import Formatter
from typing import Any

from dunefall.base.folders import config_folder

__all__ = ["LANGUAGES", "capital", "decimal", "inline", "language", "tr", "tr_count", "uncapital"]

LANGUAGES = {"en": "English", "de": "Deutsch", "ja": "日本語"}
"""By their codes, each in its own words."""
PSEUDO = "pseudo"
FOLDER = Path(__file__).parent.parent / "data" / "languages"
MOST_BYTES = 1 << 20
_COMMA = frozenset(("de",))
"""Languages with a decimal comma."""


@cache
def language() -> str:
    """The code of the language, one of ``LANGUAGES`` or ``pseudo``."""
    wanted = [os.environ.get("DUNEFALL_LANGUAGE") or _preferred(), *os.environ.get("LANGUAGE", "").split(":")]
    wanted += [os.environ.get(name, "") for name in ("LC_ALL", "LC_MESSAGES", "LANG")]
    for name in wanted:
        code = name if name == PSEUDO else name.partition(".")[0].partition("_")[0].lower()
        if code in (PSEUDO, *LANGUAGES):
            return code
        if code in ("c", "posix"):
            break
    return "en"


def _preferred() -> str:
    """What the preferences say, read by itself: whoever reads files tells of their faults in a language."""
    try:
        with (config_folder() / "preferences.json").open("rb") as file:
            raw = json.loads(file.read(MOST_BYTES))
    except (OSError, ValueError, RecursionError):
        return ""
    named = raw.get("language") if isinstance(raw, dict) else None
    return named if isinstance(named, str) else ""


class _Pseudo(gettext.NullTranslations):
    """English in brackets."""

    def gettext(self, message: str) -> str:
        return f"⟦{message}⟧" if any(sign.isalpha() for sign in message) else message

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        return self.gettext(msgid1 if n == 1 else msgid2)


@cache
def _texts() -> gettext.NullTranslations:
    code = language()
    if code == PSEUDO:
        return _Pseudo()
    return gettext.translation("dunefall", FOLDER, [code], fallback=True)


def decimal(text: str) -> str:
    """A number as the language writes it.

    Parameters
    ----------
    text : str
        The number with a decimal point.

    Returns
    -------
    str
    """
    return text.replace(".", ",") if language() in _COMMA else text


def inline(name: str) -> str:
    """A name in the midst of a sentence: English has it in small letters.

    Parameters
    ----------
    name : str
        As it stands alone.

    Returns
    -------
    str
    """
    return name.lower() if language() in ("en", PSEUDO) else name


def uncapital(text: str) -> str:
    """A text that goes on a sentence: English begins it with a small letter.

    Parameters
    ----------
    text : str
        As it stands alone.

    Returns
    -------
    str
    """
    return text[:1].lower() + text[1:] if language() in ("en", PSEUDO) else text


def capital(text: str) -> str:
    """A text as it stands alone, with a capital letter.

    Parameters
    ----------
    text : str
        Any text.

    Returns
    -------
    str
    """
    letter = next((k for k, sign in enumerate(text) if sign.isalpha()), 0)
    return text[:letter] + text[letter : letter + 1].upper() + text[letter + 1 :]


class _Filled(Formatter):
    """Fills in values; numbers with the decimal mark of the language."""

    def format_field(self, value: Any, format_spec: str) -> Any:
        text = super().format_field(value, format_spec)
        return decimal(text) if isinstance(value, float) else text


_FILLED = _Filled()


@cache
def _text(message: str) -> str:
    return _texts().gettext(message) if message else message


def tr(message: str, /, **values: object) -> str:
    """A text in the language of the window.

    Parameters
    ----------
    message : str
        The text in English; with values, each stands in it as ``{name}`` or ``{name:.1f}``.
    **values
        What is filled in.

    Returns
    -------
    str

    Examples
    --------
    >>> tr("{name} is muted.", name="Fog air")
    'Fog air is muted.'
    """
    text = _text(message)
    return _FILLED.vformat(text, (), values) if values else text


def tr_count(one: str, many: str, count: int, **values: object) -> str:
    """A text about so many of something.

    Parameters
    ----------
    one, many : str
        The text in English, of one and of more; the number stands in it as ``{count}``.
    count : int
        How many.
    **values
        What else is filled in.

    Returns
    -------
    str

    Examples
    --------
    >>> tr_count("{count} layer", "{count} layers", 1), tr_count("{count} layer", "{count} layers", 2)
    ('1 layer', '2 layers')
    """
    return _FILLED.vformat(_texts().ngettext(one, many, count), (), {"count": count, **values})
