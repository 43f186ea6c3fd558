"""Struck body, Drone cloud, Chaotic tone and Impulse against outside numbers."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import special, stats
from scipy.optimize import brentq

from dunefall.catalogue.source.struck_body import BODIES
from rig import RATE, Rig, pulses

SECOND = round(RATE)


def spectrum_of(sound: np.ndarray) -> np.ndarray:
    return np.abs(np.fft.rfft(sound * np.hanning(len(sound))))


def test_bar_modes_are_the_roots_of_its_equation() -> None:
    """Free ends: cosh x cos x = 1, frequencies as x squared (Fletcher and Rossing; CHECKS.md)."""
    roots = [brentq(lambda x: math.cos(x) - 1 / math.cosh(x), (k + 0.5) * np.pi - 0.3, (k + 0.5) * np.pi + 0.3)
             for k in range(1, 11)]  # fmt: skip
    np.testing.assert_allclose(BODIES["bar"], (np.array(roots) / roots[0]) ** 2, rtol=1e-5)
    np.testing.assert_allclose(BODIES["bar"][:4], [1, 2.7565, 5.4039, 8.9330], rtol=1e-4)


def test_membrane_modes_are_bessel_zeros() -> None:
    """scipy.special.jn_zeros, in order (CHECKS.md)."""
    zeros = sorted(zero for order in range(16) for zero in special.jn_zeros(order, 8))
    np.testing.assert_allclose(BODIES["membrane"], np.array(zeros[:16]) / zeros[0], rtol=1e-8)


@pytest.mark.parametrize(("body", "name"), list(enumerate(BODIES)))
@pytest.mark.parametrize("rate", [44100.0, 96000.0])
def test_a_struck_body_rings_at_its_modes(body: int, name: str, rate: float) -> None:
    gate = pulses([0.01], 2.0, rate=rate)
    rig = Rig("struck-body", rate=rate, body=body, pitch_note=57, decay_s=30, material=0, hardness=1, place=0.13)
    spectrum = spectrum_of(rig.run(len(gate), trigger=gate)["out"][-round(rate) :])
    for ratio in BODIES[name][:5]:
        hz = round(220 * ratio)
        near = spectrum[hz - 12 : hz + 13]
        assert abs(int(near.argmax()) - 12 + hz - 220 * ratio) < 1.0, ratio
        assert near.max() > 0.003 * spectrum.max()


def test_a_struck_body_fades_as_told() -> None:
    """The first mode falls by 60 dB in the decay time (definition); twice the size rings twice as long, an octave
    lower."""
    for size in (1.0, 2.0):
        rig = Rig("struck-body", pitch_note=69, decay_s=1, material=1, size=size)
        out = rig.run(3 * SECOND, trigger=pulses([0.01], 3.0))["out"]
        level = [np.abs(np.sum(part * np.exp(-2j * np.pi * 440 / size * np.arange(4800) / RATE))) for part in
                 (out[9600:14400], out[33600:38400])]  # fmt: skip
        assert 20 * np.log10(level[1] / level[0]) == pytest.approx(-30 / size, abs=0.6)


def test_a_body_without_a_strike_is_silent_and_a_driven_one_rings() -> None:
    assert (Rig("struck-body").run(4800)["out"] == 0).all()
    noise = np.random.default_rng(1).normal(0, 0.2, SECOND)
    spectrum = spectrum_of(Rig("struck-body", pitch_note=69).run(SECOND, audio=noise)["out"])
    assert min(abs(int(spectrum.argmax()) - 440 * ratio) for ratio in BODIES["bar"]) < 4
    assert spectrum[430:450].max() > 10 * spectrum[600:1000].max()


def test_a_still_drone_cloud_is_a_harmonic_series() -> None:
    """f, 2f, 3f … with 6 dB less per octave: amplitudes as 1 / n (definition)."""
    still = {"scatter_ct": 0.0, "drift_ct": 0.0, "drift_level": 0.0, "spread": 0.0, "partials": 8.0}
    sound = Rig("drone-cloud", pitch_note=45, tilt_db=-6.0206, level=1, **still).run(2 * SECOND)["out"][SECOND:]
    amplitudes = 2 * np.abs(np.fft.rfft(sound))[110 : 9 * 110 : 110] / SECOND
    np.testing.assert_allclose(amplitudes / amplitudes[0], 1 / np.arange(1, 9), rtol=2e-3)


@pytest.mark.parametrize(("series", "ratios"), [(2, [1, 1 / 2, 1 / 3]), (3, [1, 2 ** (7 / 12), 2, 2 ** (16 / 12)])])
def test_drone_cloud_series(series: int, ratios: list[float]) -> None:
    still = {"scatter_ct": 0.0, "drift_ct": 0.0, "drift_level": 0.0, "spread": 0.0, "partials": 4.0}
    sound = Rig("drone-cloud", pitch_note=69, series=series, tilt_db=0, **still).run(3 * SECOND)["out"][SECOND:]
    spectrum = spectrum_of(sound)
    for ratio in ratios:
        assert spectrum[round(880 * ratio)] > 0.3 * spectrum.max()


def test_a_drone_cloud_moves_to_a_new_seed_and_stays_there() -> None:
    """Scattered partials stand elsewhere after a trigger, and nothing jumps on the way."""
    still = {"scatter_ct": 100.0, "drift_ct": 0.0, "drift_level": 0.0, "spread": 0.0, "partials": 4.0, "move_s": 0.5}
    rig = Rig("drone-cloud", pitch_note=69, **still)
    before = rig.run(SECOND)["out"][SECOND // 2 :]
    moving = rig.run(SECOND, trigger=pulses([0.1], 1.0))["out"]
    after = rig.run(SECOND, trigger=np.zeros(SECOND))["out"][SECOND // 2 :]
    a, b = spectrum_of(before), spectrum_of(after)
    assert abs(int(a[150:300].argmax()) - int(b[150:300].argmax())) >= 2
    highest = 2 * np.pi * 4 * 440 * 2 ** (2 / 12) / RATE
    assert np.abs(np.diff(moving)).max() < highest * np.abs(moving).max() * 1.05


def test_the_logistic_map_at_full_temper_has_its_published_density() -> None:
    """r = 4: the values have the density 1 / (pi sqrt(x (1 - x))) (Ulam and von Neumann 1947): arcsine."""
    sound = Rig("chaotic-tone", pitch_note=69, temper=1, smooth=0, level=1).run(40 * SECOND)["out"]
    # one value per half cycle of 440 Hz; the high-pass takes off what does not move, so differences are compared
    steps = np.diff(sound)
    jumps = steps[np.abs(steps) > 0.02]
    generator = np.random.default_rng(1)
    x = np.sin(np.pi / 2 * generator.random(100000)) ** 2
    reference = 2 * (4 * x * (1 - x) - x)
    assert stats.ks_2samp(jumps, reference[np.abs(reference) > 0.02]).statistic < 0.02


def test_a_calm_map_is_a_tone() -> None:
    for kind in (0, 1, 3):
        sound = Rig("chaotic-tone", pitch_note=69, kind=kind, temper=0.05).run(2 * SECOND)["out"][SECOND:]
        spectrum = spectrum_of(sound)
        assert abs(int(spectrum[100:].argmax()) + 100 - 440) <= 1, kind


def test_impulses_are_single_samples() -> None:
    clicks = Rig("impulse", rate_hz=480, level=1).run(SECOND)["out"]
    assert np.flatnonzero(clicks).tolist() == list(range(0, SECOND, 100))
    turned = Rig("impulse", rate_hz=480, level=1, alternate=1).run(SECOND)["out"]
    assert turned.sum() == 0.0
    by_hand = Rig("impulse", level=0.5).run(4800, trigger=pulses([0.01, 0.05], 0.1))["out"]
    assert np.flatnonzero(by_hand).tolist() == [480, 2400]


def test_an_operator_s_fine_tuning_is_in_cents() -> None:
    """100 cents are a semitone (definition)."""
    fine = Rig("operator", pitch_note=57, fine_ct=100).run(4800)["out"]
    np.testing.assert_allclose(fine, Rig("operator", pitch_note=58).run(4800)["out"], atol=1e-9)
    beside = Rig("operator", pitch_note=69, ratio=2, fine_ct=-50).run(96000)["out"]
    spectrum = np.abs(np.fft.rfft(beside * np.hanning(96000)))
    assert np.argmax(spectrum) / 2 == pytest.approx(880 * 2 ** (-50 / 1200), abs=0.5)
