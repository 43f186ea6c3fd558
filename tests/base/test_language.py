"""Languages: which one is spoken, what is filled into its texts, numbers both ways, and that its files are whole."""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Callable
from pathlib import Path
from string import Formatter

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from dunefall.base.amounts import format_amount, format_offset, parse_amount, parse_link
from dunefall.base.errors import ParameterError
from dunefall.base.language import FOLDER, LANGUAGES, language, tr, tr_count
from dunefall.base.units import UNITS, format_value, parse_range, parse_time, parse_value

sys.path.insert(0, str(Path(__file__).parents[2] / "scripts"))
import make_languages

OTHERS = sorted(set(LANGUAGES) - {"en"})


@pytest.mark.parametrize(
    ("variables", "code"),
    [  # the order is that of GNU gettext (its manual, "Locale Environment Variables"; from memory)
        ({}, "en"),
        ({"LANG": "de_DE.UTF-8"}, "de"),
        ({"LANG": "ja_JP.UTF-8", "LC_ALL": "de_AT"}, "de"),
        ({"LANG": "de_DE.UTF-8", "LC_MESSAGES": "C"}, "en"),
        ({"LANG": "en_GB.UTF-8", "LANGUAGE": "nl:de:en"}, "de"),
        ({"LANG": "fi_FI.UTF-8"}, "en"),
        ({"LANG": "de_DE.UTF-8", "DUNEFALL_LANGUAGE": "ja"}, "ja"),
        ({"DUNEFALL_LANGUAGE": "pseudo"}, "pseudo"),
    ],
)
def test_the_desktop_says_which_language(speak: Callable[..., None], variables: dict[str, str], code: str) -> None:
    speak(**variables)
    assert language() == code


def test_the_preferences_come_before_the_desktop(speak: Callable[..., None], tmp_path: Path) -> None:
    file = tmp_path / "preferences.json"
    file.write_text(json.dumps({"language": "de"}))
    speak(LANG="ja_JP.UTF-8")
    assert language() == "de"
    for broken in ('{"language": 3}', "[]", "{", "[" * 100_000, '{"language": "../.."}'):
        file.write_text(broken)
        speak(LANG="ja_JP.UTF-8")
        assert language() == "ja"


def test_values_and_plurals_are_filled_in(speak: Callable[..., None]) -> None:
    assert tr("{number} beats", number="1.5") == "1.5 beats"
    assert tr_count("{count} bar", "{count} bars", 2) == "2 bars"
    speak(DUNEFALL_LANGUAGE="de")
    assert tr("{value:.1f} dB", value=-6.0) == "-6,0 dB"
    assert (tr_count("{count} bar", "{count} bars", 1), tr_count("{count} bar", "{count} bars", 2)) == (
        "1 Takt",
        "2 Takte",
    )
    assert tr("never said: {name}", name="⟨3.5⟩") == "never said: ⟨3.5⟩"  # no translation: in English, names untouched
    speak(DUNEFALL_LANGUAGE="pseudo")
    assert tr("{value:.1f} dB", value=6.0) == "⟦6.0 dB⟧"


@pytest.mark.parametrize("code", OTHERS)
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.sampled_from(sorted(UNITS)), st.floats(-60.0, 60.0))
def test_what_is_shown_can_be_typed(speak: Callable[..., None], code: str, unit: str, value: float) -> None:
    value = (
        abs(value) + 0.01 if unit in ("hz", "s", "beats") else max(-1.0, min(1.0, value)) if unit == "pan" else value
    )
    speak(DUNEFALL_LANGUAGE="en")
    meant = parse_value(format_value(value, unit), unit)
    speak(DUNEFALL_LANGUAGE=code)
    assert parse_value(format_value(value, unit), unit) == pytest.approx(meant, rel=1e-9, abs=1e-9)
    amount = format_amount(value, unit)
    assert parse_amount(amount, unit) == pytest.approx(value, abs=0.0051)


@pytest.mark.parametrize("code", OTHERS)
def test_english_is_still_understood(speak: Callable[..., None], code: str) -> None:
    speak(DUNEFALL_LANGUAGE=code)
    assert parse_value("20 % left", "pan") == -0.2
    assert parse_value("2 bars", "beats") == 8.0
    assert parse_range("100 Hz to 2 kHz", "hz") == (100.0, 2000.0)
    assert parse_link("12 st, offset 3 st", "note") == {"amount": 12.0, "offset": 3.0}


def test_german_is_understood(speak: Callable[..., None]) -> None:
    speak(DUNEFALL_LANGUAGE="de")
    assert format_value(1910.0, "hz") == "1,91 kHz"
    assert format_value(-0.2, "pan") == "20 % links"
    assert parse_value("20 % links", "pan") == -0.2
    assert parse_value("2 Takte", "beats") == 8.0
    assert parse_range("100 Hz bis 2,5 kHz", "hz") == (100.0, 2500.0)
    assert parse_link("12,5 st, Versatz 3 st", "note") == {"amount": 12.5, "offset": 3.0}
    assert format_offset(3.0, "note", False) == "+3 st"
    assert parse_time("1:30,5") == 90.5
    with pytest.raises(ParameterError, match="ist hier kein Wert"):
        parse_value("zwölf Äpfel", "hz")


def _fields(text: str) -> set[tuple[str, str]]:
    fields = {(name, form or "") for _, name, form, _ in Formatter().parse(text) if name is not None}
    return fields if all(name.isidentifier() for name, _ in fields) else set()  # a text about braces


@pytest.mark.parametrize("code", OTHERS)
def test_every_message_is_translated_with_what_is_filled_in(code: str) -> None:
    catalog = make_languages.updated(code, make_languages.template())
    for message in filter(lambda message: message.id, catalog):
        wanted = [message.id] if isinstance(message.id, str) else list(message.id)
        given = [message.string] if isinstance(message.string, str) else list(message.string)
        assert all(given), f"not translated: {message.id!r}"
        for text in given:
            filled = set[tuple[str, str]]().union(*map(_fields, wanted))
            assert _fields(text) <= filled, f"{text!r} fills in what {wanted} do not"
            if len(wanted) == 1:
                assert _fields(text) == filled, f"{text!r} leaves out {filled - _fields(text)}"
            tags = [sorted(re.findall(r"</?[a-z]+", one)) for one in (wanted[-1], text)]
            assert tags[0] == tags[1], f"{text!r} is marked up otherwise than {wanted[-1]!r}"


def test_no_message_is_a_piece_of_a_sentence() -> None:
    """What goes on another text has a place for it: only so can a language put it elsewhere (GNU gettext's manual,
    "Preparing Strings": entire sentences; from memory)."""
    for message in filter(lambda message: message.id, make_languages.template()):
        for text in [message.id] if isinstance(message.id, str) else message.id:
            assert not text.startswith((" ", ",", ";", ":", ".")), f"{text!r} is glued to what stands before it"
            assert not text.endswith((" ", ",", ";", "(")), f"{text!r} is glued to what follows"
            assert "}{" not in text, f"{text!r} has two places without anything between"
            hangs = re.search(r"\}.* (was|were|is|are|has|have|with|for|of|to|by|and|or)$", text)
            whole = text.startswith("What ") or text.endswith("what was")
            assert whole or not hangs, f"{text!r} waits for what follows"


@pytest.mark.parametrize("code", OTHERS)
def test_the_files_are_those_that_the_script_writes(code: str) -> None:
    messages = make_languages.template()
    path = FOLDER / code / "LC_MESSAGES" / "dunefall.po"
    catalog = make_languages.updated(code, messages)
    assert path.read_bytes() == make_languages.plain(catalog)
    assert path.with_suffix(".mo").read_bytes() == make_languages.compiled(catalog)
    assert (FOLDER / "dunefall.pot").read_bytes() == make_languages.plain(messages)
