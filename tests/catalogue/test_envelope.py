"""Envelope."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, pulses


def test_envelope_times() -> None:
    out = Rig("envelope", attack_s=0.1, decay_s=0.5).run(48000, trigger=pulses([0.0], 1.0))["out"]
    top = int(out.argmax())
    assert out[top] == 1.0
    assert top / RATE == pytest.approx(0.1, rel=0.01)
    assert 20 * np.log10(out[top + round(0.5 * RATE)]) == pytest.approx(-60, abs=0.1)


def test_retriggered_envelope_does_not_jump() -> None:
    out = Rig("envelope", attack_s=0.02, decay_s=0.5).run(48000, trigger=pulses([0.0, 0.05, 0.07, 0.2], 1.0))["out"]
    fastest = 1.3 * np.log(1.3 / 0.3) / (0.02 * RATE)  # slope of the charging curve at its foot
    assert np.abs(np.diff(out)).max() <= fastest * 1.01


def test_a_curve_that_is_moved_bends_what_follows_of_a_strike() -> None:
    """A curve that begins at 0 and is moved then is not the curve of 0."""
    trigger = np.zeros(9600)
    trigger[:480] = 1.0
    still, moved = Rig("envelope", kind=0, decay_s=0.2), Rig("envelope", kind=0, decay_s=0.2)
    flat = still.run(9600, trigger=trigger)["out"]
    bent = moved.run(9600, trigger=trigger, curve=np.where(np.arange(9600) < 64, 0.0, 1.0))["out"]
    assert np.abs(bent - flat).max() > 0.05


@pytest.mark.parametrize("linked", [False, True])
def test_a_strike_with_hardly_any_curve_is_the_one_without(linked: bool) -> None:
    """They were 10 dB apart, and so were those with and without a velocity."""
    trigger = pulses([0.0, 0.3], 1.0)
    straight = Rig("envelope", attack_s=0.02, decay_s=0.5).run(len(trigger), trigger=trigger)["out"]
    given = {"velocity": np.ones(len(trigger))} if linked else {}
    for curve in (0.0, 1e-6):
        out = Rig("envelope", attack_s=0.02, decay_s=0.5, curve=curve).run(len(trigger), trigger=trigger, **given)
        np.testing.assert_allclose(out["out"], straight, atol=5e-4)  # a sample earlier or later


@pytest.mark.parametrize("curve", [-1.0, -0.4, 0.5, 1.0])
def test_a_curve_keeps_the_times_of_a_strike(curve: float) -> None:
    out = Rig("envelope", attack_s=0.1, decay_s=0.5, curve=curve).run(48000, trigger=pulses([0.0], 1.0))["out"]
    top = int(out.argmax())
    assert top / RATE == pytest.approx(0.1, rel=0.01)
    assert 20 * np.log10(out[top + round(0.5 * RATE)]) == pytest.approx(-60, abs=0.5)
    assert (np.diff(out[top:]) <= 0).all()


def test_velocity_lowers_a_strike_and_nothing_else() -> None:
    trigger = pulses([0.0], 1.0)
    full = Rig("envelope", attack_s=0.02, decay_s=0.5).run(48000, trigger=trigger)["out"]
    soft = Rig("envelope", attack_s=0.02, decay_s=0.5).run(48000, trigger=trigger, velocity=np.full(48000, 0.25))["out"]
    np.testing.assert_allclose(soft, 0.25 * full, atol=1e-6)


def test_it_begins_at_zero_if_asked() -> None:
    trigger = pulses([0.0, 0.1], 0.3)
    out = Rig("envelope", attack_s=0.02, decay_s=2.0, begins=1).run(len(trigger), trigger=trigger)["out"]
    at = round(0.1 * RATE)
    assert out[at - 1] > 0.3
    assert out[at] < 0.01
