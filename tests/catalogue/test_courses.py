"""Envelopes, contours, slews and what is made of movements, against their definitions."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, pulses, rises, ticks


def gate(*spans: tuple[float, float], seconds: float) -> np.ndarray:
    made = np.zeros(round(seconds * RATE))
    for begin, end in spans:
        made[round(begin * RATE) : round(end * RATE)] = 1.0
    return made


def test_an_envelope_that_holds() -> None:
    rig = Rig("envelope", kind=1, attack_s=0.01, hold_s=0.1, release_s=0.05)
    out = rig.run(9600, trigger=gate((0.0, 0.001), seconds=0.2))
    level = out["out"]
    assert level[480:5280].min() > 0.999
    assert level[5400] < 1.0
    assert (level[round(0.165 * RATE) :] == 0).all()
    assert rises(out["ended"])[0] == pytest.approx(0.16 * RATE, abs=3)


def test_an_envelope_that_sustains_and_one_that_loops() -> None:
    held = gate((0.0, 0.3), seconds=0.6)
    out = Rig("envelope", kind=2, attack_s=0.01, decay_s=0.05, sustain=0.4, release_s=0.1).run(len(held), trigger=held)
    level = out["out"]
    assert level[481] == pytest.approx(1.0, abs=0.01)
    np.testing.assert_allclose(level[round(0.07 * RATE) : round(0.3 * RATE)], 0.4, atol=1e-9)
    assert (np.diff(level[round(0.3 * RATE) : round(0.4 * RATE)]) <= 1e-12).all()
    assert level[-1] == 0.0
    loop = Rig("envelope", kind=3, attack_s=0.02, hold_s=0.01, decay_s=0.03).run(len(held), trigger=held)["out"]
    peaks = np.flatnonzero((loop[1:-1] >= 0.9999) & (loop[:-2] < 0.9999))
    np.testing.assert_allclose(np.diff(peaks), 0.06 * RATE, atol=3)


@pytest.mark.parametrize("kind", [0, 1, 2, 3])
def test_a_new_trigger_goes_on_from_the_present_level(kind: int) -> None:
    trigger = gate((0.0, 0.02), (0.05, 0.07), (0.051, 0.09), (0.12, 0.3), seconds=0.4)
    out = Rig("envelope", kind=kind, attack_s=0.02, decay_s=0.08, release_s=0.08).run(len(trigger), trigger=trigger)[
        "out"
    ]
    assert np.abs(np.diff(out)).max() < 0.012  # no jump: the steepest attack moves 1/960 by 7 at most


def test_velocity_counts_as_far_as_told() -> None:
    trigger = gate((0.0, 0.2), seconds=0.2)
    soft = np.full(len(trigger), 0.25)
    for force, top in ((1.0, 0.25), (0.5, 0.625), (0.0, 1.0)):
        out = Rig("envelope", kind=2, sustain=1.0, force=force).run(len(trigger), trigger=trigger, velocity=soft)["out"]
        assert out.max() == pytest.approx(top, abs=1e-6)


def test_a_contour_passes_its_points_in_time() -> None:
    series = {"heights": (0.0, 1.0, -0.5, 0.0), "times": (0.0, 0.25, 0.5, 0.25), "bends": (0.0, 0.0, 0.0, 0.0)}
    out = Rig("contour", length_s=1.0, drawn=series).run(60_000, trigger=pulses([0.0], 1.25))
    for at, level in ((12_000, 1.0), (24_000, 0.25), (36_000, -0.5), (48_000, 0.0)):
        assert out["out"][at - 1] == pytest.approx(level, abs=1e-3)
    assert rises(out["ended"])[0] == pytest.approx(48_000, abs=2)
    straight = np.interp(np.arange(48_000) + 1, [0, 12_000, 36_000, 48_000], series["heights"])
    np.testing.assert_allclose(out["out"][:48_000], straight, atol=1e-6)


def test_a_contour_waits_and_goes_round() -> None:
    held = gate((0.0, 1.0), seconds=1.5)
    series = {"heights": (0.0, 1.0, 0.5, 0.0), "times": (0.0, 0.2, 0.2, 0.2), "bends": (0.0,) * 4}
    waits = Rig("contour", mode=1, begin=2, end=3, length_s=0.3, drawn=series).run(len(held), trigger=held)["out"]
    assert (waits[10_000:47_900] == 0.5).all()
    assert waits[-1] == 0.0
    loops = Rig("contour", mode=2, begin=2, end=3, length_s=0.3, drawn=series).run(len(held), trigger=held)["out"]
    assert loops[10_000:47_900].min() == pytest.approx(0.5, abs=0.01)
    assert loops[10_000:47_900].max() > 0.4
    assert loops[-1] == 0.0


def test_straight_slews() -> None:
    step = np.r_[np.zeros(64), np.ones(9600), np.full(9600, 0.5), np.zeros(9600)]
    timed = Rig("slew", kind=1, rise_s=0.1, fall_s=0.1).run(len(step), signal=step)["out"]
    np.testing.assert_allclose(timed[64 : 64 + 4800], np.arange(1, 4801) / 4800, atol=1e-9)
    half = timed[9664 : 9664 + 4800]
    np.testing.assert_allclose(half, 1.0 - np.arange(1, 4801) / 9600, atol=1e-9)  # half the way, the same time
    rated = Rig("slew", kind=2, rise_s=0.1, fall_s=0.1).run(len(step), signal=step)["out"]
    assert rated[9664 + 2400] == pytest.approx(0.5, abs=1e-3)  # half the way, half the time
    assert rated[9664 + 1200] == pytest.approx(0.75, abs=1e-3)


def test_a_control_mix_adds_and_ends_as_told() -> None:
    x = np.linspace(-3, 3, 601)
    plain = Rig("control-mix", amount_a=2.0, amount_b=-1.0, offset=0.25).run(601, a=0.5 * x, b=np.ones(601))["out"]
    np.testing.assert_allclose(plain, x - 0.75, atol=1e-12)
    cut, fold, wrap = (Rig("control-mix", ending=way).run(601, a=x)["out"] for way in (1, 2, 3))
    np.testing.assert_allclose(cut, np.clip(x, -1, 1), atol=1e-12)
    np.testing.assert_allclose(fold, 2 / np.pi * np.arcsin(np.sin(np.pi / 2 * x)), atol=1e-9)  # a triangle
    np.testing.assert_allclose(wrap, (x + 1) % 2 - 1, atol=1e-9)


def test_scale_map_and_switches() -> None:
    x = np.linspace(-1, 1, 400)
    out = Rig("scale-offset", scale=-0.5, offset=0.5, low=0.2, high=0.9).run(400, signal=x)["out"]
    np.testing.assert_allclose(out, np.clip(0.5 - 0.5 * x, 0.2, 0.9), atol=1e-12)
    mapped = Rig("map", drawn={"curve": (0.0, 1.0, -1.0)}).run(400, signal=x)["out"]
    np.testing.assert_allclose(mapped, np.interp(x, [-1, 0, 1], [0, 1, -1]), atol=1e-12)
    two = Rig("two-way-switch", value_a=-0.3, value_b=0.6).run(400, gate=ticks(2, 200))
    assert (two["out"][:100] == 0.6).all()
    assert (two["out"][100:200] == -0.3).all()
    own = Rig("two-way-switch", rate_hz=100.0).run(4800)["out"]
    assert (np.diff(np.flatnonzero(np.diff(own))) == 480).all()
    signals = {way: np.full(400, float(k)) for k, way in enumerate("abcdefgh")}
    order = {"order": (0.0, 0.0, 3.0, 7.0)}
    one = Rig("sequential-switch", drawn=order).run(400, trigger=ticks(8, 50), **signals)
    assert [one["out"][k * 50 + 5] for k in range(8)] == [0, 0, 3, 7, 0, 0, 3, 7]
    sent = Rig("sequential-switch", drawn=order).run(400, trigger=ticks(8, 50), a=np.ones(400))
    assert [sent["to_d"][k * 50 + 5] for k in range(4)] == [0, 0, 1, 0]


def test_cross_fades_keep_power_or_level() -> None:
    a, b = np.ones(4), np.zeros(4)
    powers = []
    for place in (0, 0.2, 0.5, 0.9, 1):
        first, second = (Rig("cross-fade", place=place, law=1).run(4, a=x, b=y)["out"][0] for x, y in ((a, b), (b, a)))
        powers.append(first**2 + second**2)
    np.testing.assert_allclose(powers, 1.0, atol=1e-9)  # constant power (textbook)
    middle = Rig("cross-fade", place=0.5, law=1).run(4, a=a, b=b)["out"][0]
    assert 20 * np.log10(middle) == pytest.approx(-3.01, abs=0.01)
    even = Rig("cross-fade", place=0.3, law=0).run(4, a=a, b=a)["out"]
    np.testing.assert_allclose(even, 1.0, atol=1e-12)


def test_a_gesture_goes_round_and_back() -> None:
    series = {"path_x": (-1.0, 0.0, 1.0), "path_y": (0.0, 0.5, 0.0)}
    there = Rig("gesture", length_s=0.1, mode=1, smooth_s=0.0005, drawn=series).run(9600)["x"]
    np.testing.assert_allclose(there[:9600:1200], [-1, -0.5, 0, 0.5, 1, 0.5, 0, -0.5], atol=0.02)
    once = Rig("gesture", length_s=0.1, mode=2, smooth_s=0.0005, drawn=series).run(9600)["x"]
    assert once[-1] == pytest.approx(1.0, abs=1e-3)


def test_orders_of_the_sequential_switch() -> None:
    """Forward, backward, there and back; at random all are met, about equally often."""
    ways = {letter: np.full(4000, float(k)) for k, letter in enumerate("abcd")}
    wanted = {0: [0, 1, 2, 3, 0, 1], 1: [3, 2, 1, 0, 3, 2], 2: [0, 1, 2, 3, 2, 1, 0, 1]}
    for direction, order in wanted.items():
        switch = Rig("sequential-switch", direction=direction, drawn={"order": (0, 1, 2, 3)})
        out = switch.run(4000, trigger=ticks(40, 100), **ways)["out"]
        assert out[50 : 100 * len(order) : 100].tolist() == order
    at_random = Rig("sequential-switch", direction=3, drawn={"order": (0, 1, 2, 3)})
    out = at_random.run(4000, trigger=ticks(40, 100), **ways)["out"][50::100]
    assert set(out) == {0.0, 1.0, 2.0, 3.0}


def test_a_product_is_one() -> None:
    a, b = np.linspace(-1, 1, 640), np.linspace(1, -0.5, 640)
    out = Rig("product", amount=0.5, offset=0.1).run(640, a=a, b=b)["out"]
    np.testing.assert_allclose(out, 0.5 * a * b + 0.1, atol=1e-12)
