"""Modules of time against arithmetic, published rhythms and statistics."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from scipy import stats

from dunefall.catalogue.time.pattern_field import WEIGHTS
from dunefall.dsp.triggers import spread_evenly
from rig import RATE, Rig, pulses, rises, ticks


def test_divider_counts_and_begins_where_it_is_told() -> None:
    """Definition: every n-th trigger from the first one on; an offset of k begins k triggers earlier."""
    out = Rig("divider", by_a=3, by_b=64, by_c=1).run(200 * 40, trigger=ticks(200, 40))
    assert (rises(out["a"]) == 40 * np.arange(0, 200, 3)).all()
    assert (rises(out["b"]) == 40 * np.arange(0, 200, 64)).all()
    assert (rises(out["c"]) == 40 * np.arange(200)).all()
    late = Rig("divider", by_a=3, offset=1).run(12 * 40, trigger=ticks(12, 40))
    assert (rises(late["a"]) == 40 * np.arange(2, 12, 3)).all()


def test_divider_reset_begins_anew() -> None:
    reset = np.zeros(12 * 40)
    reset[200:210] = 1.0  # together with the trigger number 5
    out = Rig("divider", by_a=4).run(12 * 40, trigger=ticks(12, 40), reset=reset)
    assert (rises(out["a"]) == 40 * np.array([0, 4, 5, 9])).all()


@pytest.mark.parametrize("factor", [2, 3, 7, 64])
def test_multiplier_never_drifts(factor: int) -> None:
    """Each tick within a sample of exact division of the gap before; over 300 triggers of 1000.5 samples on average."""
    places = np.floor(np.arange(300) * 1000.5).astype(int)
    trigger = np.zeros(places[-1] + 500)
    for place in places:
        trigger[place : place + 200] = 1.0
    out = rises(Rig("multiplier", factor=factor).run(len(trigger), trigger=trigger)["gate"])
    out = out[(out >= places[1]) & (out < places[-1])]
    exact = np.concatenate([a + np.arange(factor) * (a - b) / factor for b, a in pairwise(places[:-1])])
    assert len(out) == len(exact)
    assert np.abs(out - exact).max() <= 1.0


def test_a_slower_trigger_leaves_no_ticks_in_the_gap() -> None:
    trigger = np.zeros(30_000)
    for place in (0, 1000, 2000, 12_000):
        trigger[place : place + 100] = 1.0
    out = rises(Rig("multiplier", factor=4).run(30_000, trigger=trigger)["gate"])
    assert (out[(out > 2000) & (out < 12_000)] == [2250, 2500, 2750]).all()


def test_trigger_delay_is_exact_and_keeps_all_under_way() -> None:
    out = Rig("trigger-delay", delay_s=0.1, length_s=0.001).run(60 * 200, trigger=ticks(40, 200))["out"]
    assert (rises(out) == 4800 + 200 * np.arange((12_000 - 4800) // 200)).all()
    assert out.sum() == pytest.approx(48 * len(rises(out)), abs=48)


def test_a_bouncing_burst() -> None:
    """Gaps and levels are geometric series (definition): 4800, 3600, 2700, … samples and 1, 0.8, 0.64, …"""
    trigger = pulses([0.0], 1.0)
    out = Rig("burst", count=6, gap_s=0.1, acceleration=0.25, fall=0.2).run(48_000, trigger=trigger)
    hits = rises(out["out"])
    np.testing.assert_allclose(np.diff(hits), 4800 * 0.75 ** np.arange(5), atol=1.0)
    np.testing.assert_allclose(out["level"][hits], 0.8 ** np.arange(6), rtol=1e-12)
    assert rises(out["ended"])[0] == hits[-1]


def test_a_new_trigger_begins_a_burst_anew() -> None:
    out = Rig("burst", count=4, gap_s=0.1).run(48_000, trigger=pulses([0.0, 0.15], 1.0))["out"]
    assert len(rises(out)) == 2 + 4


@pytest.mark.parametrize(
    ("kind", "table"),
    [(0, "00010001"), (1, "01111111"), (2, "01101001"), (3, "10000000"), (4, "00010111")],
)
def test_logic(kind: int, table: str) -> None:
    """Truth tables of three gates, c slowest: and, or, exclusive or, not any, majority (definition)."""
    a, b, c = (np.tile(np.repeat([0.0, 1.0], 1 << k), 4 >> k) for k in range(3))
    out = Rig("logic", kind=kind).run(8, a=a, b=b, c=c)
    expected = np.array([float(x) for x in table])
    if kind == 0:
        expected = a * b * c
    np.testing.assert_array_equal(out["out"], expected)
    np.testing.assert_array_equal(out["inverse"], 1.0 - expected)


def test_logic_takes_only_what_is_linked_and_toggles() -> None:
    assert (Rig("logic", kind=0).run(8, a=np.ones(8))["out"] == 1.0).all()
    out = Rig("logic", kind=5).run(400, a=ticks(4, 100))["out"]
    assert [out[k] for k in (0, 99, 100, 200, 300)] == [1, 1, 0, 1, 0]


def test_comparator_does_not_flutter() -> None:
    """A noisy ramp crosses a level once each way with hysteresis, many times without."""
    ramp = np.r_[np.linspace(-1, 1, 20_000), np.linspace(1, -1, 20_000)]
    noisy = ramp + np.random.default_rng(3).uniform(-0.04, 0.04, 40_000)
    steady = Rig("comparator", hysteresis=0.1).run(40_000, signal=noisy)
    assert len(rises(steady["above"])) == 1
    assert len(rises(Rig("comparator", hysteresis=0.0).run(40_000, signal=noisy)["above"])) > 10
    inside = Rig("comparator", hysteresis=0.0, window=1.0).run(40_000, signal=ramp)["inside"]
    assert inside.mean() == pytest.approx(0.5, abs=0.001)


def throws(count: int, **params: float) -> np.ndarray:
    """Which of many triggers passed."""
    out = Rig("chance", seed=5, **params).run(count * 8, trigger=ticks(count, 8))
    return out["passed"][::8]


def test_no_more_than_n_in_a_row() -> None:
    passed = throws(4000, probability=0.7, mode=1, most=2)
    runs = np.diff(np.flatnonzero(np.diff(np.r_[-1, passed, -1])))
    assert runs.max() == 2


@pytest.mark.parametrize(("probability", "deck"), [(0.25, 8), (0.5, 5), (1.0, 3), (0.0, 4)])
def test_a_shuffled_deck_is_exact_in_every_deck(probability: float, deck: int) -> None:
    passed = throws(deck * 200, probability=probability, mode=2, deck=deck).reshape(200, deck)
    assert (passed.sum(axis=1) == np.floor(probability * deck + 0.5)).all()
    if 0 < probability < 1:  # every place of the deck is as likely: binomial, 99.9 %
        each = passed.mean(axis=0)
        away = stats.norm.ppf(0.9995) * np.sqrt(each.mean() * (1 - each.mean()) / 200)
        assert np.abs(each - each.mean()).max() < 1.5 * away


@pytest.mark.parametrize("density", [20.0, 60.0])
def test_scatter_is_poisson(density: float) -> None:
    """Gaps are exponential: Kolmogorov-Smirnov, p > 0.01 at a fixed seed; mean within 3 % (scipy.stats)."""
    seconds = 4000 / density
    out = Rig("scatter", density_hz=density, length_s=0.0005, seed=4).run(round(seconds * RATE))["out"]
    gaps = np.diff(rises(out)) / RATE
    assert stats.kstest(gaps, stats.expon(scale=1 / density).cdf).pvalue > 0.01
    assert gaps.mean() == pytest.approx(1 / density, rel=0.03)
    assert abs(stats.spearmanr(gaps[:-1], gaps[1:]).statistic) < 0.05  # one gap says nothing of the next


def test_scatter_keeps_its_smallest_gap() -> None:
    out = Rig("scatter", density_hz=50, gap_s=0.02, length_s=0.001).run(20 * 48_000)["out"]
    gaps = np.diff(rises(out))
    assert gaps.min() >= 960
    assert gaps.mean() == pytest.approx(48_000 * (0.02 + 1 / 50), rel=0.05)


def test_even_rhythms_are_the_published_ones() -> None:
    """Toussaint 2005: E(3,8), E(5,8), E(5,12) as printed; the others as necklaces by their gaps."""

    def word(hits: int, steps: int) -> str:
        return "".join("x" if hit else "." for hit in spread_evenly(hits, steps))

    assert word(3, 8) == "x..x..x."
    assert word(5, 8) == "x.xx.xx."
    assert word(5, 12) == "x..x.x..x.x."
    assert word(5, 16) == "x..x..x..x..x..."
    assert word(7, 12) == "x.xx.x.xx.x."
    for hits in range(1, 33):
        for steps in range(hits, 65):
            places = np.flatnonzero(spread_evenly(hits, steps))
            gaps = np.diff(np.r_[places, places[0] + steps])
            assert len(places) == hits
            assert gaps.max() - gaps.min() <= 1  # as even as can be (definition)


def test_even_spread_plays_its_rhythm() -> None:
    out = Rig("even-spread", hits=5, steps=8, rotation=2, accents=1).run(16 * 40, trigger=ticks(16, 40))
    expected = np.roll([True, False, True, True, False, True, True, False], 2)
    for name, steps in (("out", expected), ("rest", ~expected)):
        assert (rises(out[name]) == 40 * np.flatnonzero(np.tile(steps, 2))).all(), name
    assert (rises(out["accent"]) == 40 * np.array([2, 10])).all()  # the first hit of the pattern


def test_more_hits_than_steps_are_all_steps() -> None:
    out = Rig("even-spread", hits=64, steps=3).run(9 * 40, trigger=ticks(9, 40))["out"]
    assert len(rises(out)) == 9


def test_pattern_field_is_its_patterns_and_what_lies_between() -> None:
    """At a corner the hits are the steps of that pattern whose weight is above one less the density; moving over the
    field changes few of them at a time."""

    def hits(x: float, y: float, density: float = 0.5) -> np.ndarray:
        rig = Rig("pattern-field", x=x, y=y, surprise=0, density_a=density)
        return rig.run(32 * 20, trigger=ticks(32, 20))["out_a"][::20] > 0.5

    np.testing.assert_array_equal(hits(0, 0), WEIGHTS[0, 0, 0] > 0.5)
    np.testing.assert_array_equal(hits(1, 1), WEIGHTS[3, 3, 0] > 0.5)
    changed = [np.sum(hits(x, 0.3) != hits(x + 0.02, 0.3)) for x in np.arange(0, 0.96, 0.06)]
    assert max(changed) <= 4
    counts = [hits(0.4, 0.6, density).sum() for density in (0.0, 0.3, 0.6, 0.9)]
    assert counts == sorted(counts)
    assert counts[0] == 0


def test_a_clock_wanders_within_its_clamp_and_stops() -> None:
    seconds = 20.0
    wild = np.exp2(np.random.default_rng(2).uniform(-6, 6, 400)).repeat(2400)[: round(seconds * RATE)]
    rig = Rig("clock", sync=1, least_s=0.1, most_s=0.4)
    gaps = np.diff(rises(rig.run(len(wild), period_s=wild)["gate"])) / RATE
    assert gaps.min() >= 0.1 - 2 / RATE
    assert gaps.max() <= 0.4 + 2 / RATE
    run = np.r_[np.ones(9600), np.zeros(19_200), np.ones(9600)]
    out = Rig("clock", sync=1, period_s=0.05).run(len(run), run=run)["gate"]
    assert not out[9600:28_800].any()
    assert len(rises(out)) == 8


def test_a_humanised_clock_keeps_its_tempo() -> None:
    """Each tick moves by up to half a period, none drifts away: 400 ticks later they are still there."""
    found = rises(Rig("clock", sync=1, period_s=0.05, humanise=0.5, width=0.1).run(400 * 2400)["gate"])
    away = found - 2400 * np.arange(len(found))
    assert np.ptp(away) <= 0.25 * 2400 + 2
    assert np.std(away) > 100
