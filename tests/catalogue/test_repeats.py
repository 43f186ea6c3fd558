"""When patches begin again, against arithmetic."""

from __future__ import annotations

from fractions import Fraction

import pytest

from dunefall.catalogue import spec_of
from dunefall.catalogue.joining import joined
from dunefall.catalogue.repeats import Repeat, repeat_of_layer, repeat_of_patch
from dunefall.catalogue.story import patch_story
from dunefall.patch.mixing import with_inserts
from dunefall.patch.model import Link, Module, Patch, Place
from rig import demo, patch_of


def out(*modules: Module, links: tuple[tuple[str, str, float], ...], tempo_bpm: float = 120.0) -> Patch:
    return patch_of(*modules, Module("a-output", "output", "A"), links=links, tempo_bpm=tempo_bpm)


CLOCK = Module("c", "clock", "Clock", {"period_beats": 0.25})


def test_sequences_of_5_7_and_8_steps_repeat_after_280_steps() -> None:
    """Common practice and arithmetic: sixteenths at 92 BPM last 163.04 ms, 280 of them 45.65 s."""
    steps = Module("s", "step-sequencer", "Steps", {"length_a": 5.0, "length_b": 7.0, "length_c": 8.0, "length_d": 1.0})
    ends = tuple((f"s.{row}", "a-output.level_db", 1.0) for row in "abc")
    patch = out(CLOCK, steps, links=(("c.gate", "s.clock", 1.0), *ends), tempo_bpm=92.0)
    repeat = repeat_of_patch(patch)
    assert repeat.seconds == 280 * Fraction(1, 4) * 60 / 92
    assert repeat.told(92.0) == "It repeats after 280 steps, 17.5 bars, 45.7 s."
    assert "It repeats after 280 steps, 17.5 bars, 45.7 s." in patch_story(patch)
    assert repeat.told(92.0, "Drip line") == "Drip line repeats after 280 steps, 17.5 bars, 45.7 s."


def test_dividers_and_spreads_count_triggers() -> None:
    patch = out(
        CLOCK, Module("d", "divider", "D", {f"by_{x}": 3.0 for x in "abcdefgh"}),
        Module("e", "even-spread", "E", {"hits": 3.0, "steps": 8.0}),
        links=(("c.gate", "d.trigger", 1.0), ("d.a", "e.trigger", 1.0), ("e.out", "a-output.level_db", 1.0)),
    )  # fmt: skip
    assert repeat_of_patch(patch).seconds == Fraction(1, 8) * 3 * 8


@pytest.mark.parametrize(("rate", "seconds"), [(0.1, 10), (0.07, Fraction(100, 7) * 7)])
def test_waves_meet_after_their_common_multiple(rate: float, seconds: Fraction) -> None:
    patch = out(
        Module("l", "lfo", "L", {"rate_hz": rate}), Module("k", "lfo", "K", {"rate_hz": 1.0}),
        links=(("l.out", "a-output.level_db", 1.0), ("k.out", "a-output.angle_deg", 1.0)),
    )  # fmt: skip
    assert repeat_of_patch(patch).seconds == seconds


def test_why_never() -> None:
    chance = out(
        CLOCK,
        Module("x", "chance", "Skip"),
        links=(("c.gate", "x.trigger", 1.0), ("x.passed", "a-output.angle_deg", 1.0)),
    )
    assert repeat_of_patch(chance).told(120) == "It never repeats, because Skip goes by chance."
    sure = chance.with_param("x", "probability", 1.0)
    assert repeat_of_patch(sure).seconds == Fraction(1, 8)
    moved = out(
        Module("l", "lfo", "Tide", {"rate_hz": 0.1}), Module("k", "lfo", "K"),
        links=(("k.out", "l.rate_hz", 0.5), ("l.out", "a-output.angle_deg", 1.0)),
    )  # fmt: skip
    assert repeat_of_patch(moved).told(120) == "It never repeats, because the speed of Tide is moved."
    assert repeat_of_patch(demo()).short == "never"


def test_noise_is_a_sound_and_no_course() -> None:
    patch = out(
        Module("n", "noise", "Air"), Module("l", "lfo", "L", {"rate_hz": 0.5}),
        links=(("n.out", "a-output.audio", 1.0), ("l.out", "a-output.angle_deg", 1.0)),
    )  # fmt: skip
    assert repeat_of_layer(patch, "a").told(120.0) == "It repeats after 1 bar, 2.0 s, but for the noise of Air."


def test_only_what_is_linked_counts() -> None:
    quiet = out(Module("x", "stepped-random", "X"), links=(("x.out", "a-output.angle_deg", 0.0),))
    assert repeat_of_patch(quiet) == Repeat(Fraction(0))
    assert repeat_of_patch(quiet).told(120.0) == "It repeats at once: nothing in it moves."


def test_loops_end() -> None:
    patch = out(
        Module("s", "slew", "S"), Module("t", "two-way-switch", "T", {"rate_hz": 0.5}),
        links=(("s.out", "t.a", 1.0), ("t.out", "s.signal", 1.0), ("s.out", "a-output.angle_deg", 1.0)),
    )  # fmt: skip
    assert repeat_of_patch(patch).seconds == 4


def test_long_ways() -> None:
    """Rates in ten-thousandths of a hertz meet after 10,000 s; clocks of prime tenths of a second only after years."""
    rates = (0.0123, 0.0457, 0.0789, 0.0311, 0.0917)
    modules = [Module(f"l{k}", "lfo", f"L{k}", {"rate_hz": rate}) for k, rate in enumerate(rates)]
    patch = out(*modules, links=tuple((f"l{k}.out", "a-output.angle_deg", 0.1) for k in range(5)))
    assert repeat_of_patch(patch).seconds == 10_000
    assert repeat_of_patch(patch).short == "2 h 47 min"
    periods = (99.7, 100.9, 101.3, 101.9)
    modules = [Module(f"c{k}", "clock", f"C{k}", {"sync": 1.0, "period_s": s}) for k, s in enumerate(periods)]
    patch = out(*modules, links=tuple((f"c{k}.gate", "a-output.angle_deg", 0.1) for k in range(4)))
    assert "its periods only meet after a hundred years" in repeat_of_patch(patch).told(120.0)


def test_rows_and_divisions_that_nobody_uses_do_not_count() -> None:
    """Five steps were told as forty, a division by two as 1,680 steps."""
    steps = Module("s", "step-sequencer", "S", {"length_a": 5.0, "length_b": 8.0, "direction_c": 3.0})
    patch = out(CLOCK, steps, links=(("c.gate", "s.clock", 1.0), ("s.gate", "a-output.level_db", 1.0)))
    assert repeat_of_patch(patch).seconds == 5 * Fraction(1, 8)
    halves = out(
        CLOCK, Module("d", "divider", "D"), links=(("c.gate", "d.trigger", 1.0), ("d.a", "a-output.angle_deg", 1))
    )
    by = round(next(p.default for p in spec_of("divider").params if p.id == "by_a"))  # type: ignore[union-attr]
    assert repeat_of_patch(halves).seconds == by * Fraction(1, 8)


def test_muted_layers_do_not_count() -> None:
    patch = out(Module("x", "stepped-random", "X"), links=(("x.out", "a-output.angle_deg", 1.0),))
    assert repeat_of_patch(patch).seconds is None
    assert repeat_of_patch(patch.with_param("a-output", "mute", 1.0)).seconds == 0


def test_steps_are_those_of_clocks() -> None:
    """Free waves were told in steps."""
    waves = out(
        Module("l", "lfo", "L", {"rate_hz": 0.5}), Module("k", "lfo", "K", {"rate_hz": 0.3}),
        links=(("l.out", "a-output.angle_deg", 1.0), ("k.out", "a-output.level_db", 1.0)),
    )  # fmt: skip
    assert repeat_of_patch(waves).told(120.0) == "It repeats after 5 bars, 10.0 s."


def test_noise_that_is_held_goes_by_chance() -> None:
    """A noise that is held was told to repeat after 0.2 s, but for the noise."""
    held = out(
        CLOCK, Module("n", "noise", "Air"), Module("h", "sample-hold", "Held"),
        links=(("n.out", "h.signal", 1.0), ("c.gate", "h.trigger", 1.0), ("h.out", "a-output.angle_deg", 1.0)),
    )  # fmt: skip
    assert repeat_of_patch(held).told(120.0) == "It never repeats, because Air goes by chance."


@pytest.mark.parametrize(
    ("kind", "values", "seconds"),
    [
        ("tremolo", {"rate_hz": 4.0}, Fraction(1, 4)),
        ("tremolo", {"speed": 1.0, "period_beats": 0.5}, Fraction(1, 4)),
        ("chorus", {"rate_hz": 0.5}, 2),
        ("flanger", {"rate_hz": 0.1}, 10),
        ("phaser", {"rate_hz": 0.2}, 5),
        ("crusher", {}, 0),
    ],
)
def test_what_moves_by_itself_in_an_effect_counts(kind: str, values: dict[str, float], seconds: Fraction) -> None:
    patch = out(
        Module("o", "oscillator", "O"), Module("e", kind, "E", values),
        links=(("o.out", "e.audio", 1.0), ("e.out", "a-output.audio", 1.0)),
    )  # fmt: skip
    assert repeat_of_patch(patch).seconds == seconds


def test_impulses_count_and_clouds_go_by_chance() -> None:
    ticks = out(Module("i", "impulse", "I", {"rate_hz": 2.0}), links=(("i.out", "a-output.audio", 1.0),))
    assert repeat_of_patch(ticks).seconds == Fraction(1, 2)
    cloud = out(Module("d", "drone-cloud", "Cloud"), links=(("d.out", "a-output.audio", 1.0),))
    assert repeat_of_patch(cloud).short == "never"
    drifting = out(Module("o", "oscillator", "O", {"drift_ct": 5.0}), links=(("o.out", "a-output.audio", 1.0),))
    assert repeat_of_patch(drifting).short == "never"


def test_the_master_and_what_is_inserted_on_the_mix_count() -> None:
    """The master was not looked at: a patch whose level goes by chance was told to repeat at once."""
    still = out(Module("o", "oscillator", "Osc", {"shape": 2.0}), links=(("o.out", "a-output.audio", 1.0),))
    patch = with_inserts(still)
    before = repeat_of_patch(patch).seconds
    assert before == repeat_of_patch(still).seconds
    for type_id, seconds in (("stepped-random", None), ("lfo", Fraction(2))):
        mover = Module("w", type_id, "Wind", {"rate_hz": 0.5} if type_id == "lfo" else {})
        moved = patch.with_new_module("master", mover)
        moved = moved.with_link(Link("w", Place("w", "out"), Place("master-strip", "level_db"), 3.0))
        assert repeat_of_patch(moved).seconds == seconds
    chorus = joined(patch, "master", "chorus").patch.with_param("chorus-1", "rate_hz", 0.25)
    assert repeat_of_patch(chorus).seconds == Fraction(4)
    assert repeat_of_layer(chorus, "a").seconds == before
