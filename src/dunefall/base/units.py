"""Units and their text forms: how a number is shown, and every form in which it may be typed.

Sources: note numbers and pitch, MIDI 1.0 and ISO 16:1975 (69 is 440 Hz).
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import cache

from dunefall.base.errors import ParameterError
from dunefall.base.language import decimal, tr, tr_count

__all__ = [
    "UNITS",
    "Unit",
    "between",
    "format_amount",
    "format_value",
    "hz_to_note",
    "note_name",
    "note_to_hz",
    "parse_range",
    "parse_time",
    "parse_value",
    "range_told",
    "with_english_words",
]

MINUS = "−"
_NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
_STEPS = {"c": 0, "d": 2, "e": 4, "f": 5, "g": 7, "a": 9, "b": 11}
_NUMBER = re.compile(r"^([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)\s*(.*)$", re.IGNORECASE)
_NOTE = re.compile(r"^([a-g])([#♯b♭]?)(-?\d{1,2})(?:\s*([+-]\s*\d+(?:\.\d+)?)\s*(?:ct|c|cents?))?$", re.IGNORECASE)
_BEATS = re.compile(r"^(\d+)\s*/\s*(\d+)\s*([.t]?)$", re.IGNORECASE)


@dataclass(frozen=True)
class Unit:
    """A unit: its sign, what else may be typed with which factor, and how far links add up.

    Attributes
    ----------
    sign : str
        Shown after the number.
    typed : dict[str, float]
        Lower-case suffixes that may be typed and their factor into the unit itself.
    amount_sign : str
        Sign of a link's amount: octaves where the domain is logarithmic, else the unit's own.
    octaves : bool
        Links add up in octaves (frequencies, times).
    """

    sign: str
    typed: dict[str, float]
    amount_sign: str
    octaves: bool = False


UNITS: dict[str, Unit] = {
    "hz": Unit("Hz", {"hz": 1, "khz": 1000, "k": 1000, "mhz": 0.001}, "oct", True),
    "s": Unit("s", {"s": 1, "sec": 1, "ms": 0.001, "min": 60, "m": 60, "h": 3600}, "oct", True),
    "beats": Unit("beats", {"beats": 1, "beat": 1, "b": 1, "bars": 4, "bar": 4}, "oct", True),
    "bpm": Unit("BPM", {"bpm": 1}, "BPM"),
    "shift": Unit("Hz", {"hz": 1, "khz": 1000, "k": 1000}, "Hz"),
    "m": Unit("m", {"m": 1, "cm": 0.01, "km": 1000}, "oct", True),
    "deg": Unit("°", {"°": 1, "deg": 1}, "°"),
    "note": Unit("", {"st": 1}, "st"),
    "st": Unit("st", {"st": 1, "semitones": 1, "oct": 12, "c": 0.01, "cents": 0.01}, "st"),
    "cents": Unit("ct", {"ct": 1, "cents": 1, "c": 1, "st": 100}, "ct"),
    "db": Unit("dB", {"db": 1}, "dB"),
    "lufs": Unit("LUFS", {"lufs": 1, "db": 1}, "LU"),
    "ratio": Unit("%", {"%": 0.01}, "%"),
    "factor": Unit("×", {"x": 1, "×": 1}, "×"),
    "pan": Unit("", {}, "%"),
    "choice": Unit("", {}, ""),
    "none": Unit("", {}, ""),
}


def note_to_hz(note: float) -> float:
    """Frequency in Hz of a MIDI note number (69 is 440 Hz).

    Examples
    --------
    >>> round(note_to_hz(60), 3)
    261.626
    """
    return float(440.0 * 2.0 ** ((note - 69.0) / 12.0))


def hz_to_note(hz: float) -> float:
    """MIDI note number of a frequency above 0 Hz.

    Examples
    --------
    >>> hz_to_note(440.0)
    69.0
    """
    return 69.0 + 12.0 * math.log2(hz / 440.0)


def note_name(note: float) -> str:
    """Name of a note number, with cents when it is off the key.

    Parameters
    ----------
    note : float
        MIDI note number; 69 is 440 Hz.

    Returns
    -------
    str

    Examples
    --------
    >>> note_name(57.25)
    'A3 +25 ct'
    """
    key = math.floor(note + 0.5)
    cents = round((note - key) * 100)
    name = f"{_NAMES[key % 12]}{key // 12 - 1}"
    return tr("{name} {cents:+d} ct", name=name, cents=cents).replace("-", MINUS) if cents else name


def _number(value: float, digits: int = 3) -> str:
    if value == 0:
        return "0"
    places = max(0, digits - 1 - math.floor(math.log10(abs(value))))
    text = f"{value:.{min(places, 6)}f}"
    if "." in text and places > 2:
        text = text.rstrip("0").rstrip(".")
    return decimal(text.replace("-", MINUS))


def format_value(value: float, unit: str, *, choices: tuple[str, ...] = ()) -> str:
    """Text of a value in its unit.

    Parameters
    ----------
    value : float
        The value, in its unit.
    unit : str
        A key of `base.units.UNITS`.
    choices : tuple of str
        Names of the choices, where the value is one.

    Returns
    -------
    str

    Examples
    --------
    >>> format_value(1910.0, "hz"), format_value(0.24, "s"), format_value(-6.0, "db")
    ('1.91 kHz', '240 ms', '−6.0 dB')
    """
    if choices:
        return choices[max(0, min(len(choices) - 1, round(value)))]
    if unit == "hz":
        return (
            tr("{number} kHz", number=_number(value / 1000))
            if value >= 1000
            else tr("{number} Hz", number=_number(value))
        )
    if unit == "s":
        if value < 1:
            return tr("{number} ms", number=_number(value * 1000))
        return f"{_number(value)} s" if value < 100 else tr("{number} min", number=_number(value / 60))
    if unit == "note":
        return note_name(value)
    if unit == "db":
        return tr("{value:.1f} dB", value=value).replace("-", MINUS)
    if unit == "ratio":
        return f"{value * 100:.0f} %".replace("-", MINUS) if abs(value) >= 0.1 else f"{_number(value * 100, 2)} %"
    if unit == "pan":
        side = round(abs(value) * 100)
        if side == 0:
            return tr("centre")
        return tr("{side} % left", side=side) if value < 0 else tr("{side} % right", side=side)
    if unit == "beats":
        return _note_value(value)
    sign = UNITS[unit].sign
    return f"{_number(value, 4)} {sign}".rstrip()


SHORTEST_NOTE = 1 / 256
"""In beats: nothing shorter has a name."""


def _note_value(beats: float) -> str:
    """Beats as a note value where one fits (a beat is a quarter), else as a number."""
    if beats >= 4 and beats % 4 == 0:
        return tr_count("{count} bar", "{count} bars", round(beats / 4))
    if beats < SHORTEST_NOTE:
        return tr("{number} beats", number=_number(beats, 4))
    for mark, factor in (("", 1.0), (".", 1.5), ("t", 2.0 / 3.0)):
        share = 4.0 * factor / beats
        if abs(share - round(share)) < 1e-9 and round(share) in (1, 2, 4, 8, 16, 32, 64, 128, 256, 512):
            return f"1/{round(share)}{mark}"
    return tr("{number} beats", number=_number(beats, 4))


_CLOCK = re.compile(r"^(?:(\d+):)?(\d+):(\d+(?:[.,]\d+)?)$")


def parse_time(text: str) -> float:
    """Seconds of a time such as ``1:30``, ``0:01:30.5``, ``45`` or ``2 min``; raises ParameterError.

    Parameters
    ----------
    text : str
        What was typed, or read.

    Returns
    -------
    float

    Examples
    --------
    >>> parse_time("1:30"), parse_time("250 ms")
    (90.0, 0.25)
    """
    match = _CLOCK.match(text.strip())
    if match:
        hours, minutes, seconds = match.groups()
        return int(hours or 0) * 3600.0 + int(minutes) * 60.0 + float(seconds.replace(",", "."))
    return parse_value(text, "s")


def format_amount(amount: float, unit: str) -> str:
    """Text of a link's amount, always signed.

    Parameters
    ----------
    amount : float
        Amount in the domain of the target: octaves, semitones, or its unit.
    unit : str
        A key of `base.units.UNITS`.

    Returns
    -------
    str

    Examples
    --------
    >>> format_amount(1.5, "hz"), format_amount(-0.12, "ratio")
    ('+1.50 oct', '−12 %')
    """
    sign = UNITS[unit].amount_sign
    text = f"{amount * 100:+.0f}" if sign == "%" else decimal(f"{amount:+.2f}")
    return f"{text} {tr(sign)}".rstrip().replace("-", MINUS)


def _parse_note(text: str) -> float | None:
    match = _NOTE.match(text)
    if not match:
        return None
    letter, accidental, octave, cents = match.groups()
    shift = {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1}[accidental.lower()]
    return _STEPS[letter.lower()] + shift + 12.0 * (int(octave) + 1) + float((cents or "0").replace(" ", "")) / 100.0


def _parse_beats(text: str) -> float | None:
    match = _BEATS.match(text)
    if not match or int(match.group(2)) == 0:
        return None
    length = {"": 1.0, ".": 1.5, "t": 2.0 / 3.0}[match.group(3).lower()]
    return 4.0 * int(match.group(1)) / int(match.group(2)) * length


@cache
def _local_words() -> tuple[tuple[re.Pattern[str], str], ...]:
    """What units and sides are called in the language of the window, and in English; the longest first."""
    told = {
        tr("{number} beats", number=""): "beats", tr_count("{count} bar", "{count} bars", 1): "bar",
        tr_count("{count} bar", "{count} bars", 2): "bars", tr("{side} % left", side=""): "left",
        tr("{side} % right", side=""): "right", tr("centre"): "centre", tr("oct"): "oct",
        tr("offset {format_offset}", format_offset=""): "offset",
    }  # fmt: skip
    words = {text.strip("12 %").lower(): english for text, english in told.items()}
    return tuple((re.compile(rf"(?<![^\W\d_]){re.escape(word)}(?![^\W\d_])", re.IGNORECASE), words[word])
                 for word in sorted(words, key=len, reverse=True) if word not in ("", words[word]))  # fmt: skip


def with_english_words(text: str) -> str:
    """What was typed, with the names of units and sides in English, as it is taken apart.

    Parameters
    ----------
    text : str
        In the language of the window, or in English.

    Returns
    -------
    str
    """
    for pattern, english in _local_words():
        text = pattern.sub(english, text)
    return text


def _parse_pan(text: str) -> float | None:
    if text in ("centre", "center", "middle"):
        return 0.0
    match = re.match(r"^(\d+(?:\.\d+)?)\s*%?\s*(l|left|r|right)$", text)
    return (-1 if match.group(2)[0] == "l" else 1) * float(match.group(1)) / 100 if match else None


def _parse_musical(text: str, unit: str, tempo_bpm: float) -> float | None:
    """Notes for pitches and frequencies, note values for times and rates."""
    if unit in ("note", "hz"):
        note = _parse_note(text)
        if note is not None:
            return note if unit == "note" else note_to_hz(note)
    if unit in ("s", "beats", "hz"):
        beats = _parse_beats(text)
        if beats:
            return {"beats": beats, "s": beats * 60 / tempo_bpm, "hz": tempo_bpm / (60 * beats)}[unit]
    return _parse_pan(text) if unit == "pan" else None


def range_told(low: str, high: str) -> str:
    """A range by its two ends, as they are told.

    Parameters
    ----------
    low, high : str
        The ends.

    Returns
    -------
    str

    Examples
    --------
    >>> range_told("100 Hz", "400 Hz")
    '100 Hz to 400 Hz'
    """
    return tr("{low} to {high}", low=low, high=high)


def between() -> str:
    """A pattern of what stands between the two ends of a range: " to ", in English or the language of the window."""
    return f"(?: to |{re.escape(range_told('|', '|').strip('|'))})"


def parse_range(
    text: str, unit: str, *, choices: tuple[str, ...] = (), tempo_bpm: float = 120.0, such_as: str = "100 Hz to 400 Hz"
) -> tuple[float, float]:
    """Two numbers typed as "from to to", each as ``parse_value`` takes it; raises ParameterError.

    Parameters
    ----------
    text : str
        What was typed, or read.
    unit : str
        A key of `base.units.UNITS`.
    choices : tuple of str
        Names of the choices, where the value is one.
    tempo_bpm : float
        Tempo in BPM, for values in beats.
    such_as : str
        An example, for the error.

    Returns
    -------
    tuple[float, float]

    Raises
    ------
    ParameterError
        If it is not two values of the unit.

    Examples
    --------
    >>> parse_range("100 Hz to 2 kHz", "hz")
    (100.0, 2000.0)
    """
    parts = re.split(between(), text)
    ends = [parse_value(part, unit, choices=choices, tempo_bpm=tempo_bpm) for part in parts]
    if len(ends) != 2:
        raise ParameterError(tr("two values are needed, such as {such_as}; got {text}", such_as=such_as, text=text))
    return ends[0], ends[1]


def parse_value(text: str, unit: str, *, choices: tuple[str, ...] = (), tempo_bpm: float = 120.0) -> float:
    """Number meant by what somebody typed: a plain number, one with a unit, a note, a note value or a choice.

    Parameters
    ----------
    text : str
        Such as ``"950"``, ``"0.95k"``, ``"A#4"``, ``"1/8."``, ``"50%"``, ``"3 st"``, ``"-6 dB"``.
    unit : str
        A key of ``UNITS``; a number without a suffix is in this unit (a bare number for ``ratio`` is per cent).
    choices : tuple of str
        Names of the choices, where the value is one.
    tempo_bpm : float (0, inf)
        Tempo for note values.

    Returns
    -------
    float

    Raises
    ------
    ParameterError
        If the text is none of these; it never guesses.

    Examples
    --------
    >>> parse_value("0.95k", "hz"), parse_value("A4", "hz"), parse_value("1/8.", "s", tempo_bpm=120)
    (950.0, 440.0, 0.375)
    """
    plain = text.strip().replace(MINUS, "-").lower()
    if not choices:
        plain = with_english_words(plain)
    if choices:
        for index, choice in enumerate(choices):
            if choice.lower().replace(MINUS, "-") == plain:
                return float(index)
        raise ParameterError(
            tr("'{text}' is none of: {listed}", text=text, listed=", ".join(choices)), allowed=", ".join(choices)
        )
    musical = _parse_musical(plain, unit, tempo_bpm)
    if musical is not None:
        return musical
    match = _NUMBER.match(plain.replace(",", "."))
    if match and math.isfinite(float(match.group(1))):
        number, suffix = float(match.group(1)), match.group(2).strip()
        if not suffix:
            return number / 100 if unit in ("ratio", "pan") else number
        if unit in ("hz", "s") and suffix in UNITS["s" if unit == "hz" else "hz"].typed and number > 0:
            return 1.0 / (number * UNITS["s" if unit == "hz" else "hz"].typed[suffix])
        if unit == "note" and suffix in UNITS["hz"].typed and number > 0:
            return hz_to_note(number * UNITS["hz"].typed[suffix])
        if suffix in UNITS[unit].typed:
            return number * UNITS[unit].typed[suffix]
    forms = ", ".join(UNITS[unit].typed) or tr("no unit")
    raise ParameterError(
        tr("'{text}' is not a value here; type a number ({forms})", text=text, forms=forms), allowed=forms
    )
