"""Amounts, offsets and ranges of links in the units of what they move, and what Named controls show of them."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.base.amounts import parse_amount, parse_link
from dunefall.base.errors import ParameterError
from dunefall.catalogue.controls import scale_of, shown_value
from dunefall.catalogue.linking import new_link
from dunefall.catalogue.reach import range_of, unit_of, with_range
from dunefall.catalogue.story import link_story
from dunefall.compiler.loop import run
from dunefall.compiler.traces import no_traces
from dunefall.patch.model import Link, Module, Patch, Place
from rig import patch_of, watch_all


def linked(source: Module, target: Module, link: Link) -> Patch:
    return patch_of(source, target, Module("a-output", "output", "A")).with_link(link)


def arrives(patch: Patch, module: str, output: str) -> float:
    """What a module gives after 50 ms."""
    program = watch_all(patch)
    run(program.plan, program.memory, no_traces(), np.zeros((2432, 2)))
    return float(program.memory.rows[program.row_at[module, output]])


@pytest.mark.parametrize(
    ("text", "unit", "amount"),
    [
        ("12 st", "note", 12.0), ("2 octaves", "note", 24.0), ("1 oct", "st", 12.0), ("50 cents", "note", 0.5),
        ("12 st", "hz", 1.0), ("−1,5 oct", "s", -1.5), ("× 2", "s", 1.0), ("x0.5", "hz", -1.0), ("50 %", "ratio", 0.5),
        ("1 st", "cents", 100.0), ("3", "db", 3.0),
    ],
)  # fmt: skip
def test_amounts_are_typed_in_any_unit_of_the_same_kind(text: str, unit: str, amount: float) -> None:
    """Semitones and octaves into a pitch input were dropped."""
    assert parse_amount(text, unit) == pytest.approx(amount)


@pytest.mark.parametrize(
    ("text", "unit"), [("12 st", "ratio"), ("much", "note"), ("", "hz"), ("× 2", "db"), ("3 m", "s")]
)
def test_what_is_no_amount_is_refused(text: str, unit: str) -> None:
    with pytest.raises(ParameterError, match="is not an amount"):
        parse_amount(text, unit)


def test_offsets_of_pitch_inputs_are_notes() -> None:
    assert parse_link("12 st, offset C4", "note", True) == {"amount": 12.0, "offset": 60.0}
    assert parse_link("offset 3 st", "note") == {"offset": 3.0}


def test_a_movement_into_a_pitch_input_swings_an_octave_around_c4() -> None:
    """It was ± 1 semitone around 8 Hz."""
    wave, scale = Module("l", "lfo", "Tide", {"shape": 0.0}), Module("q", "quantiser", "Notes", {"scale": 0.0})
    bare = patch_of(wave, scale, Module("a-output", "output", "A"))
    link = new_link(bare, Place("l", "out"), Place("q", "pitch"))
    patch = bare.with_link(link)
    assert unit_of(patch, link) == "note"
    assert range_of(patch, link) == (48.0, 72.0)
    assert link_story(patch, link) == "Tide moves it up to 12.00 st either way, around C4"


def test_a_range_holds_at_both_ends_of_an_input() -> None:
    hand, scale = Module("h", "named-control", "Hand"), Module("q", "quantiser", "Notes", {"scale": 0.0})
    link = Link("x", Place("h", "out"), Place("q", "pitch"))
    patch = linked(hand, scale, link)
    patch = patch.with_link(with_range(patch, link, 50.0, 71.0))
    assert range_of(patch, patch.link("x")) == (50.0, 71.0)
    assert link_story(patch, patch.link("x")) == "Hand raises it by up to 21.00 st, from D3"
    assert arrives(patch, "q", "out") == 50.0
    assert arrives(patch.with_param("h", "value", 1.0), "q", "out") == 71.0


def test_a_range_from_nothing_begins_at_the_shortest_time() -> None:
    hand, slew = Module("h", "named-control", "Hand"), Module("s", "slew", "Slew")
    link = Link("x", Place("h", "out"), Place("s", "rise_s"))
    patch = linked(hand, slew, link)
    made = with_range(patch, link, 0.0, 3.0)
    low, high = range_of(patch, made) or (0.0, 0.0)
    assert low < 0.002
    assert high == pytest.approx(3.0)
    assert made.curve == "early"
    with pytest.raises(ParameterError, match="must be"):
        with_range(patch, link, 0.1, 90000.0)


def test_gates_and_sounds_have_no_range() -> None:
    clock, strike = Module("c", "clock", "Clock"), Module("e", "envelope", "Strike")
    link = Link("x", Place("c", "gate"), Place("e", "trigger"))
    patch = linked(clock, strike, link)
    assert range_of(patch, link) is None
    with pytest.raises(ParameterError, match="set this link's amount"):
        with_range(patch, link, 0.0, 1.0)


def test_what_adds_in_octaves_tells_its_factor() -> None:
    wave, tone = Module("l", "lfo", "Tide"), Module("f", "filter", "Low-pass")
    link = Link("x", Place("l", "out"), Place("f", "cutoff_hz"), 1.5)
    assert link_story(linked(wave, tone, link), link) == "Tide moves it up to 1.50 oct (× 2.83) either way"


def test_a_named_control_shows_what_arrives() -> None:
    """0.1 to 0.4 s at half way showed 0.25 s and gave 0.2 s."""
    hand = Module("h", "named-control", "Length", {"unit": 3.0, "low": 0.1, "high": 1.0, "value": 0.5})
    delay = Module("d", "trigger-delay", "Late")
    link = Link("x", Place("h", "out"), Place("d", "delay_s"))
    patch = linked(hand, delay, link)
    patch = patch.with_link(with_range(patch, link, 0.1, 0.4))
    shown = shown_value(patch, patch.module("h"))
    assert (shown.name, shown.low, shown.high) == ("Length (s)", pytest.approx(0.1), pytest.approx(0.4))
    assert shown.default == pytest.approx(0.2)
    scale = scale_of(patch, patch.module("h"))
    assert scale.share(0.2) == pytest.approx(0.5)
    turned = patch.with_link(with_range(patch, link, 0.4, 0.1))
    assert scale_of(turned, turned.module("h")).share(0.4) == pytest.approx(0.0)
    alone = patch.without_link("x")
    assert (shown_value(alone, hand).low, shown_value(alone, hand).default) == (0.1, pytest.approx(0.55))


def test_absurd_numbers_are_refused() -> None:
    """They would make a link that no file holds."""
    hand, scale = Module("h", "named-control", "Hand"), Module("q", "quantiser", "Notes")
    link = Link("x", Place("h", "out"), Place("q", "pitch"))
    patch = linked(hand, scale, link)
    for first, last in ((1e99, 0.0), (-1e308, 1e308), (float("nan"), 1.0), (1.0, float("nan"))):
        with pytest.raises(ParameterError, match="must lie within"):
            with_range(patch, link, first, last)
    with pytest.raises(ParameterError, match="offset must be"):
        parse_link("offset 1e99", "note", True)
