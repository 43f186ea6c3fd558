"""Between two patches: ends are met, values go in their own domain, what only one has comes and goes."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest

from dunefall.analysis.loudness import judge
from dunefall.patch.changes import difference
from dunefall.patch.library import load_patch, starters
from dunefall.patch.model import Link, Module, Patch, Place
from dunefall.patch.states import recalled
from dunefall.patch.take import Edit, Entry, Take
from dunefall.render.offline import render_to_array
from dunefall.vary.blend import blended, on_square
from rig import demo

RATE = 48000


def darker() -> Patch:
    """Another value, a switch, a sequence, a link's amount, a locked value."""
    patch = demo().with_param("fog-air-band", "cutoff_hz", 200.0).with_param("drip-line-output", "mute", 1.0)
    link = patch.links[0]
    return patch.with_link(replace(link, amount=3.0 * link.amount))


def test_both_ends_are_met() -> None:
    first, last = demo(), darker().without_module("drip-line-echo").with_new_module("shared", Module("n", "lfo", "N"))
    assert blended(first, last, 0.0) == first
    assert not difference(blended(first, last, 1.0), last)


def test_frequencies_go_in_octaves_switches_half_way_and_links_by_their_amounts() -> None:
    first, last = demo().with_param("fog-air-band", "cutoff_hz", 800.0), darker()
    middle = blended(first, last, 0.5)
    assert middle.module("fog-air-band").params["cutoff_hz"] == pytest.approx(400.0)
    assert blended(first, last, 0.49).module("drip-line-output").params.get("mute", 0.0) == 0.0
    assert middle.module("drip-line-output").params["mute"] == 1.0
    assert middle.links[0].amount == pytest.approx(2.0 * first.links[0].amount)


def test_sequences_go_step_by_step() -> None:
    first = Patch().with_new_module("shared", Module("s", "step-sequencer", "S", series={"row_a": (60.0,) * 8}))
    last = first.with_series("s", {"row_a": (72.0,) * 8})
    row = blended(first, last, 0.5).module("s").series["row_a"]
    assert row == (72.0,) * 4 + (60.0,) * 4


def test_what_is_locked_stays() -> None:
    first = demo()
    band = first.module("fog-air-band")
    first = first.with_module(replace(band, locked=frozenset({"cutoff_hz"})))
    after = blended(first, darker(), 0.9).module("fog-air-band")
    assert after.params["cutoff_hz"] == band.params["cutoff_hz"]
    assert after.locked == {"cutoff_hz"}


def test_a_module_and_a_layer_of_one_end_come_in_by_links_and_level() -> None:
    last = demo().with_new_module("shared", Module("new", "lfo", "New"))
    last = last.with_link(Link("new-link", Place("new", "out"), Place("fog-air-band", "cutoff_hz"), 2.0))
    early = blended(demo(), last, 0.25)
    assert next(link for link in early.links if link.id == "new-link").amount == pytest.approx(0.5)
    assert early.has("new")
    late = blended(last, demo(), 0.75)
    assert next(link for link in late.links if link.id == "new-link").amount == pytest.approx(0.5)
    without = demo().without_layer("drip-line")
    level = demo().module("drip-line-output").params["level_db"]
    quiet = blended(demo(), without, 0.9).module("drip-line-output").params["level_db"]
    assert quiet == pytest.approx(level - 20.0, abs=1e-6)


def test_the_corners_of_a_square_are_met() -> None:
    corners = tuple(demo().with_param("fog-air-band", "cutoff_hz", hz) for hz in (100.0, 200.0, 400.0, 800.0))
    for k, corner in enumerate(corners):
        assert on_square(corners, float(k % 2), float(k // 2)) == corner  # type: ignore[arg-type]
    middle = on_square(corners, 0.5, 0.5)  # type: ignore[arg-type]
    assert middle.module("fog-air-band").params["cutoff_hz"] == pytest.approx(100.0 * 2.0**1.5)


def _played(steps: list[Patch], every: float) -> np.ndarray:
    entries = tuple(
        Entry(round(k * every * RATE), Edit(difference(before, after)))
        for k, (before, after) in enumerate(pairwise(steps), 1)
    )
    return render_to_array(Take(steps[0], RATE, entries), seconds=every * len(steps) + 0.5, rate=RATE)


@pytest.mark.parametrize("name", ["pump-engine", "drip-line"])
def test_a_blend_is_never_much_louder_than_its_ends_and_makes_no_step(name: str) -> None:
    """Within 6 dB of the louder end, and no larger step from sample to sample than both ends make by themselves, by as
    much as edits may (see tests/compiler/test_edits); 500 of them are in bench.blends."""
    first = load_patch(starters()[name])
    last = first
    for module in first.modules():
        for param, value in module.params.items():
            if param.endswith("_hz"):
                last = last.with_param(module.id, param, value * 0.7)
    way = [recalled(first, blended(first, last, k / 10)) for k in range(11)]
    ends = [render_to_array(end, seconds=3.0, rate=RATE) for end in (first, last)]
    sound = _played(way, 0.2)
    loudest = max(judge(end, RATE).integrated for end in ends)
    assert judge(sound, RATE).integrated < loudest + 6.0
    steps = [float(np.abs(np.diff(end, axis=0)).max()) for end in ends]
    assert np.abs(np.diff(sound, axis=0)).max() < 2.0 * max(steps) + 1e-3
