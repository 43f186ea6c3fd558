"""What is typed of a link: its amount and its offset, in the unit of its target."""

from __future__ import annotations

import math
import re

from dunefall.base.errors import ParameterError
from dunefall.base.language import decimal, tr
from dunefall.base.units import MINUS, UNITS, format_amount, format_value, parse_value, with_english_words

__all__ = ["format_offset", "parse_amount", "parse_link"]

MOST = 1000.0
_SEMITONES = dict.fromkeys(("oct", "octave", "octaves"), 12.0) | dict.fromkeys(("st", "semitone", "semitones"), 1.0)
_SEMITONES |= dict.fromkeys(("ct", "cent", "cents"), 0.01)
_TYPED = re.compile(r"^([×x]?)\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)\s*(.*)$", re.IGNORECASE)


def parse_amount(text: str, unit: str) -> float:
    """A typed amount in the domain of a link's target.

    Parameters
    ----------
    text : str
        A number with or without the unit of the amount; intervals in octaves, semitones or cents wherever the target is
        a pitch, a frequency or a time, and there a factor such as ``× 2``.
    unit : str
        Of the target, a key of `base.units.UNITS`.

    Returns
    -------
    float

    Raises
    ------
    ParameterError
        If it is no amount, or too large.

    Examples
    --------
    >>> parse_amount("2 octaves", "note"), parse_amount("12 st", "hz"), parse_amount("× 2", "s")
    (24.0, 1.0, 1.0)
    """
    sign = UNITS[unit].amount_sign
    found = _TYPED.match(with_english_words(text).strip().replace(MINUS, "-").replace(",", "."))
    factor, number, word = found.groups() if found else ("", "", "?")
    word = word.strip().lower()
    value = float(number) if number else math.nan
    if factor and sign == "oct" and value > 0.0 and not word:
        value = math.log2(value)
    elif sign in _SEMITONES and word in _SEMITONES:
        value *= _SEMITONES[word] / _SEMITONES[sign]
    elif (factor and sign != "×") or word not in ("", sign.lower()):
        value = math.nan
    elif sign == "%":
        value /= 100.0
    if math.isnan(value):
        raise ParameterError(tr("'{text}' is not an amount; type a number in {sign}", text=text, sign=sign or "steps"))
    if not abs(value) <= MOST:
        raise ParameterError(tr("an amount must be −1000 to 1000 {sign}; got {text}", sign=sign, text=text))
    return value


def format_offset(offset: float, unit: str, place: bool) -> str:
    """Text of a link's offset: as an amount; where it is a place by itself, as the note, ``C4``."""
    return format_value(offset, unit) if place else format_amount(offset, unit).replace(decimal(".00 "), " ")


def parse_link(text: str, unit: str, place: bool = False) -> dict[str, float]:
    """What was typed of a link: "12 st", "offset 3 st", or both with a comma between.

    Parameters
    ----------
    text : str
        What was typed.
    unit : str
        Of the target, a key of `base.units.UNITS`.
    place : bool
        The offset is a place, such as the note ``C4``.

    Returns
    -------
    dict of str to float
        ``amount``, ``offset``.

    Raises
    ------
    ParameterError
        If a part is neither.
    """
    values = {}
    for part in re.split(r",\s+|;", with_english_words(text.strip())):
        name, _, number = part.strip().rpartition("offset")
        if number == part.strip():
            values["amount"] = parse_amount(name or number, unit)
        else:
            values["offset"] = parse_value(number, unit) if place else parse_amount(number, unit)
            if not abs(values["offset"]) <= MOST:
                raise ParameterError(tr("an offset must be −1000 to 1000; got {number}", number=number.strip()))
    return values
