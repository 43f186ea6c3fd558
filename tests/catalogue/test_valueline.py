"""Several values typed in one line."""

from __future__ import annotations

import pytest

from dunefall.base.errors import ParameterError
from dunefall.catalogue import spec_of
from dunefall.catalogue.valueline import parse_line


def line(text: str, type_id: str = "ladder", first: str = "cutoff_hz") -> dict[str, float]:
    spec = spec_of(type_id)
    assert spec is not None
    return parse_line(text, spec, spec.param(first), 120.0)


@pytest.mark.parametrize(
    ("text", "values"),
    [
        ("950, resonance 30, drive 6 dB", {"cutoff_hz": 950.0, "resonance": 0.3, "drive_db": 6.0}),
        ("cutoff 1.2k; res 5", {"cutoff_hz": 1200.0, "resonance": 0.05}),
        ("0,5k", {"cutoff_hz": 500.0}),
        ("0,5k, dri 0,5", {"cutoff_hz": 500.0, "drive_db": 0.5}),
        ("A4,res 12", {"cutoff_hz": 440.0, "resonance": 0.12}),
    ],
)
def test_values_by_the_beginnings_of_their_names(text: str, values: dict[str, float]) -> None:
    assert line(text) == pytest.approx(values)


def test_choices_and_names_of_several_words() -> None:
    assert line("range beats, high cut 4k, feedback -20", "delay", "time_s") == {
        "span": 3.0, "high_cut_hz": 4000.0, "feedback": -0.2,
    }  # fmt: skip
    assert line("wet 30, time 2", "delay", "wet") == {"wet": 0.3, "time_s": 2.0}, "the time that counts"
    assert line("range beats, time 2", "delay", "wet") == {"span": 3.0, "time_beats": 2.0}


@pytest.mark.parametrize(
    ("text", "says"),
    [("950, wobble 3", "wobble 3"), ("950, resonance 400", "Resonance"), ("950, resonance", "resonance"),
     ("cutoff loud", "loud")],
)  # fmt: skip
def test_what_cannot_be_taken_is_said(text: str, says: str) -> None:
    with pytest.raises(ParameterError, match=says):
        line(text)
