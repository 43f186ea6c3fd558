"""Units: what may be typed, and what is shown."""

from __future__ import annotations

import doctest
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dunefall.base import events, units
from dunefall.base.errors import ParameterError
from dunefall.base.units import format_amount, format_value, hz_to_note, note_to_hz, parse_value

TYPED = [
    ("950", "hz", 950.0),
    ("0.95k", "hz", 950.0),
    ("1,5 kHz", "hz", 1500.0),
    ("A4", "hz", 440.0),
    ("A#4", "note", 70.0),
    ("e♭2 +25 ct", "note", 39.25),
    ("440 Hz", "note", 69.0),
    ("240 ms", "s", 0.24),
    ("2 min", "s", 120.0),
    ("1/8.", "s", 0.375),  # 120 BPM, dotted eighth: 375 ms (arithmetic)
    ("1/16", "s", 0.125),
    ("4 Hz", "s", 0.25),
    ("50%", "ratio", 0.5),
    ("50", "ratio", 0.5),
    ("-6 dB", "db", -6.0),
    ("−6", "db", -6.0),
    ("3 st", "st", 3.0),
    ("1 oct", "st", 12.0),
    ("20 % left", "pan", -0.2),
    ("centre", "pan", 0.0),
    ("2 bars", "beats", 8.0),
    ("1/4t", "beats", 2 / 3),
]


@pytest.mark.parametrize(("text", "unit", "value"), TYPED)
def test_typed_forms(text: str, unit: str, value: float) -> None:
    assert parse_value(text, unit, tempo_bpm=120) == pytest.approx(value, rel=1e-12)


def test_note_values_follow_the_tempo() -> None:
    # 92 BPM, sixteenths: 163.04 ms (arithmetic; CHECKS.md)
    assert parse_value("1/16", "s", tempo_bpm=92) == pytest.approx(0.16304, abs=5e-6)


@pytest.mark.parametrize("text", ["", "abc", "12 apples", "1e999", "nan", "1/0", "H4", "--3"])
def test_what_is_no_value_is_refused(text: str) -> None:
    for unit in ("hz", "s", "ratio", "note"):
        with pytest.raises(ParameterError, match="is not a value"):
            parse_value(text, unit)


def test_choices_are_typed_by_name() -> None:
    assert parse_value("Pink", "choice", choices=("white", "pink")) == 1.0
    with pytest.raises(ParameterError, match="none of: white, pink"):
        parse_value("grey", "choice", choices=("white", "pink"))


def test_note_frequencies() -> None:
    # ISO 16:1975, MIDI 1.0: note 60 is 261.626 Hz, 69 is 440 Hz
    assert note_to_hz(60) == pytest.approx(261.626, abs=5e-4)
    assert note_to_hz(69) == 440.0


@given(st.floats(min_value=-24, max_value=136))
def test_note_and_frequency_are_inverse(note: float) -> None:
    assert hz_to_note(note_to_hz(note)) == pytest.approx(note, abs=1e-9)


@given(st.sampled_from(["hz", "s", "db", "ratio", "note", "beats"]), st.floats(min_value=0.011, max_value=100))
def test_what_is_shown_can_be_typed(unit: str, value: float) -> None:
    back = parse_value(format_value(value, unit), unit)
    tolerance = {"note": 0.0051, "db": 0.051, "ratio": 0.0051}.get(unit, 0.006 * value)
    assert math.isclose(back, value, abs_tol=tolerance)


def test_amounts_are_signed() -> None:
    assert format_amount(2.0, "s") == "+2.00 oct"
    assert format_amount(-7.0, "note") == "−7.00 st"


@pytest.mark.parametrize("module", [units, events])
def test_examples_in_docstrings(module: object) -> None:
    assert doctest.testmod(module).failed == 0  # type: ignore[arg-type]
