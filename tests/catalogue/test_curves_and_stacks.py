"""Filter forms, Waveshaper, FM stack and the operator's own level, against outside numbers."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import bilinear, freqz
from scipy.special import jv

from dunefall.catalogue.shape import waveshaper
from dunefall.catalogue.source.fm_stack import ARRANGEMENTS
from rig import RATE, Rig, level_db, pulses, tone

SECOND = round(RATE)
Q = 2.0
RESONANCE = (1.4142135623730951 - 1 / Q) / (1.4142135623730951 - 0.02)


def response(port: str, **params: float) -> np.ndarray:
    impulse = np.zeros(SECOND)
    impulse[0] = 1.0
    return np.abs(np.fft.rfft(Rig("filter", cutoff_hz=800, **params).run(SECOND, audio=impulse)[port]))


def analogue(kind: str) -> np.ndarray:
    """The second-order prototype through the bilinear transform with prewarping (scipy.signal.bilinear)."""
    w = 2 * RATE * np.tan(np.pi * 800 / RATE)
    bottom = [1, w / Q, w * w]
    top = {"low": [w * w], "band": [w / Q, 0], "high": [1, 0, 0], "notch": [1, 0, w * w], "peak": [-1, 0, w * w]}[kind]
    b, a = bilinear(top, bottom, RATE)
    return np.abs(freqz(b, a, worN=np.arange(SECOND // 2 + 1), fs=RATE)[1])


@pytest.mark.parametrize("kind", ["low", "band", "high", "notch", "peak"])
def test_every_form_is_the_bilinear_transform_of_its_prototype(kind: str) -> None:
    """Zavalishin 2018; at 24 dB it is the square of it."""
    wanted = analogue(kind)[10:23000]
    np.testing.assert_allclose(response(kind, resonance=RESONANCE)[10:23000], wanted, atol=2e-4)
    np.testing.assert_allclose(response(kind, resonance=RESONANCE, slope=1)[10:23000], wanted**2, atol=1e-3)


def test_morph_meets_every_form_and_lies_between_them() -> None:
    for form, kind in enumerate(("low", "band", "high", "notch", "peak")):
        np.testing.assert_allclose(response("morph", form=form), response(kind), atol=1e-9)
    noise = np.random.default_rng(1).normal(size=4800)
    rig = Rig("filter", cutoff_hz=800)
    out = rig.run(4800, audio=noise, form=np.full(4800, 0.25))
    np.testing.assert_allclose(out["morph"], 0.75 * out["low"] + 0.25 * out["band"], atol=1e-9)


def strangers(sound: np.ndarray, hz: float) -> float:
    """Power of all that is no harmonic up to 16 kHz, in dB of the whole."""
    power = np.abs(np.fft.rfft(sound * np.blackman(len(sound)))) ** 2
    frequencies = np.fft.rfftfreq(len(sound), 1 / RATE)
    away = np.abs(frequencies / hz - np.round(frequencies / hz)) * hz
    return 10 * np.log10(power[(away > 30) & (frequencies > 50) & (frequencies < 16000)].sum() / power.sum())


@pytest.mark.parametrize("curve", range(7))
def test_waveshaper_aliases_at_least_20_db_less_than_the_bare_curve(curve: int) -> None:
    """1.2 kHz sine at strong drive (CHECKS.md; Parker et al. 2016)."""
    sine = tone(1203.7, 0.6)
    drawn = {"point_2": 0.5, "point_3": -0.8, "point_5": 0.9, "point_6": -0.4} if curve == 6 else {}
    out = Rig("waveshaper", curve=curve, drive_db=20, **drawn).run(len(sine), audio=sine)["out"]
    points = np.array([-1.0, -0.67, -0.33, 0.0, 0.33, 0.67, 1.0])
    for name, value in drawn.items():
        points[int(name[-1]) - 1] = value
    bare = np.array([waveshaper._one_value(curve, x, points) for x in 10 * sine])
    assert strangers(out[9600:], 1203.7) < strangers(bare[9600:] - bare[9600:].mean(), 1203.7) - 20


@pytest.mark.parametrize("curve", range(7))
def test_the_area_is_the_integral_of_the_curve(curve: int) -> None:
    """Trapezoidal rule (numpy) over a fine grid."""
    points = np.array([-0.9, 0.4, -0.2, 0.1, 0.8, -0.6, 0.5])
    x = np.linspace(-3, 3, 60001)
    value, area = (np.array([f(curve, v, points) for v in x]) for f in (waveshaper._one_value, waveshaper._one_area))
    summed = np.concatenate(([0.0], np.cumsum(0.5 * (value[1:] + value[:-1]) * np.diff(x))))
    np.testing.assert_allclose(area - area[0], summed, atol=1e-4)


def test_a_soft_sound_passes_the_waveshaper() -> None:
    quiet = tone(300, 0.5, level=0.001)
    out = Rig("waveshaper", curve=2, drive_db=0).run(len(quiet), audio=quiet)["out"]
    assert level_db(out[9600:]) == pytest.approx(level_db(quiet), abs=0.05)
    biased = Rig("waveshaper", curve=0, bias=0.5, drive_db=12).run(SECOND, audio=tone(300, 1.0))["out"]
    assert abs(biased[SECOND // 2 :].mean()) < 1e-3
    assert (Rig("waveshaper", bias=0.5).run(6400)["out"] == 0).all()


def test_a_pair_of_the_stack_makes_bessel_sidebands() -> None:
    """B at twice A's pitch: amplitudes |J_n(index) + …| at f (1 + 2 n); from scipy.special.jv, with what comes back
    from below 0 Hz (Chowning 1973)."""
    rig = Rig("fm-stack", pitch_note=69, arrangement=3, index=1.5, b_ratio=2, b_level=1, c_level=0, d_level=0, level=1)
    spectrum = 2 * np.abs(np.fft.rfft(rig.run(SECOND)["out"])) / SECOND
    for n in range(4):  # -1 - 2 n comes back onto 1 + 2 n with the other sign
        wanted = abs(jv(n, 1.5) - jv(-1 - n, 1.5)) / np.sqrt(2)
        assert spectrum[440 * (1 + 2 * n)] == pytest.approx(wanted, abs=2e-3)


def test_every_arrangement_is_heard_and_side_by_side_is_four_sines() -> None:
    for number in range(len(ARRANGEMENTS)):
        assert level_db(Rig("fm-stack", arrangement=number).run(4800)["out"]) > -30
    levels = {f"{x}_level": 1.0 for x in "abcd"}
    ratios = {"a_ratio": 1.0, "b_ratio": 2.0, "c_ratio": 3.0, "d_ratio": 0.0, "d_hz": 1000.0}
    out = Rig("fm-stack", pitch_note=69, arrangement=7, level=1, **levels, **ratios).run(SECOND)["out"]
    spectrum = 2 * np.abs(np.fft.rfft(out)) / SECOND
    np.testing.assert_allclose(spectrum[[440, 880, 1320, 1000]], 0.5, atol=1e-3)


def test_an_operator_has_a_level_of_its_own() -> None:
    """Silent until struck; 60 dB down after the decay (definition); half the velocity, half the level."""
    gate = pulses([0.1], 1.0)
    rigs = [Rig("operator", pitch_note=69, attack_s=0.001, decay_s=0.4, velocity=velocity) for velocity in (1.0, 0.5)]
    full, half = (rig.run(SECOND, trigger=gate)["out"] for rig in rigs)
    assert (full[:4800] == 0).all()
    fall = level_db(full[14400:15360]) - level_db(full[24000:24960])
    assert fall == pytest.approx(60 * 0.2 / 0.4, abs=0.5)
    np.testing.assert_allclose(half, 0.5 * full, atol=1e-12)
